"""Refusals that no form caught, and records that are not there, become pages that say so."""

from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.core.exceptions import ObjectDoesNotExist
from django.http import HttpResponseNotAllowed
from django.shortcuts import render

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
        try:
            taken = check_permission(request.user, view_func, request.method, view_kwargs)
        except NotAllowed as refused:
            return refusal(request, refused)
        return None if taken else HttpResponseNotAllowed(SAFE)


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
