"""Refusals that no form caught, and records that are not there, become pages that say so."""

import time

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import logout
from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import ObjectDoesNotExist
from django.http import HttpResponseNotAllowed
from django.shortcuts import redirect, render
from django.urls import reverse

from northing.access.permissions import needs_factor
from northing.access.queries import has_factor
from northing.core.problems import NotAllowed, Refused
from northing.web.common.permissions import SAFE, check_permission


def refusal(request, refused: Refused):
    """The page that says what was refused."""
    status = 403 if isinstance(refused, NotAllowed) else 409
    return render(request, "common/refused.html", {"problems": refused.problems}, status=status)


class SignedIn(LoginRequiredMiddleware):
    """Every page asks for a session and for the permission it states; the API asks for a token by itself."""

    def process_view(self, request, view_func, view_args, view_kwargs):
        if request.path.startswith("/api/"):
            return None
        answer = super().process_view(request, view_func, view_args, view_kwargs)
        if answer is not None:
            return answer
        if request.user.is_authenticated:
            away = _idle(request) or _without_factor(request)
            if away is not None:
                return away
        try:
            taken = check_permission(request.user, view_func, request.method, view_kwargs)
        except NotAllowed as refused:
            return refusal(request, refused)
        return None if taken else HttpResponseNotAllowed(SAFE)


# Of a session: when it was used last, as seconds. Written at most so often.
SEEN, OFTEN = "seen", 300


def _idle(request):
    """Sign out who was away for too long, and lead back to where they wanted to go."""
    now, seen = time.time(), request.session.get(SEEN)
    if seen is not None and now - seen > settings.IDLE_MINUTES * 60:
        logout(request)
        messages.error(request, "You were signed out: nothing was done here for a long time.")
        return redirect_to_login(request.get_full_path() if request.method in SAFE else "/")
    if seen is None or now - seen > OFTEN:
        request.session[SEEN] = now
    return None


def _without_factor(request):
    """Lead to the account who needs a second factor in a company and has none; there they set it up."""
    own = request.path.startswith(reverse("account")) or request.path == reverse("account_logout")
    if own or not needs_factor(request.user) or has_factor(request.user):
        return None
    messages.error(request, "Your company asks for a second factor. Set up an authenticator app or a passkey to go on.")
    return redirect("account")


class DomainErrors:
    """Turns a Refused that reached the edge into a page with its problems."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        return self.get_response(request)

    def process_exception(self, request, exception):
        if isinstance(exception, Refused):
            return refusal(request, exception)
        if isinstance(exception, ObjectDoesNotExist):
            return render(request, "404.html", status=404)
        return None
