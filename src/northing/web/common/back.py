"""The way back to the list in which a person acted: an address of ours that the form brought along, with its filter."""

from django.shortcuts import redirect
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme


def way_back(request, otherwise: str, *args: int):
    """Redirect to the address in `back`, if it is one of ours, else to the page of that name."""
    back = request.POST.get("back", "")[:600]
    if back.startswith("/") and url_has_allowed_host_and_scheme(back, None):
        return redirect(back)
    return redirect(reverse(otherwise, args=args))
