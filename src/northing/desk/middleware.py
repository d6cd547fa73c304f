"""Refusals that no form caught, and records that are not there, become pages that say so."""

from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.core.exceptions import ObjectDoesNotExist
from django.shortcuts import render

from northing.core.problems import NotAllowed, Refused


class SignedIn(LoginRequiredMiddleware):
    """Every page asks for a session; the API asks for a token instead, by itself."""

    def process_view(self, request, view_func, view_args, view_kwargs):
        if request.path.startswith("/api/"):
            return None
        return super().process_view(request, view_func, view_args, view_kwargs)


class DomainErrors:
    """Turns a Refused that reached the edge into a page with its problems."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        return self.get_response(request)

    def process_exception(self, request, exception):
        if isinstance(exception, Refused):
            status = 403 if isinstance(exception, NotAllowed) else 409
            return render(request, "desk/refused.html", {"problems": exception.problems}, status=status)
        if isinstance(exception, ObjectDoesNotExist):
            return render(request, "404.html", status=404)
        return None
