"""Refusals that no form caught, and records that are not there, become pages that say so."""

from django.core.exceptions import ObjectDoesNotExist
from django.shortcuts import render

from northing.core.problems import NotAllowed, Refused


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
