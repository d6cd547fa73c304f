"""The way back to the list in which a person acted: an address of ours that the form brought along, with its filter."""

from django.shortcuts import redirect
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme


def is_ours(address: str) -> bool:
    """Whether an address is a path of this very installation."""
    return address.startswith("/") and url_has_allowed_host_and_scheme(address, None)


def way_back(request, otherwise: str, *args: int):
    """Redirect to the address in `back`, if it is one of ours, else to the page of that name."""
    back = request.POST.get("back", "")[:600]
    if is_ours(back):
        return redirect(back)
    return redirect(reverse(otherwise, args=args))
