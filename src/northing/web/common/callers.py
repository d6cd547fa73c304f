"""Where a request comes from."""

import ipaddress

from django.conf import settings

UNKNOWN = "0.0.0.0"


def caller_of(request) -> str:
    """The address of the caller: behind our own proxy the last one it names, since the others anybody may write."""
    if settings.BEHIND_PROXY:
        named = request.headers.get("X-Forwarded-For", "").rpartition(",")[2].strip()
        if named:
            return named[:45]
    return (request.META.get("REMOTE_ADDR") or "")[:45]


def address_of(request) -> str:
    """`caller_of` as an Internet address; what is none becomes 0.0.0.0."""
    try:
        return str(ipaddress.ip_address(caller_of(request)))
    except ValueError:
        return UNKNOWN
