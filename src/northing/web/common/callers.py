"""Where a request comes from."""

from django.conf import settings


def caller_of(request) -> str:
    """The address of the caller: behind our own proxy the last one it names, since the others anybody may write."""
    if settings.BEHIND_PROXY:
        named = request.headers.get("X-Forwarded-For", "").rpartition(",")[2].strip()
        if named:
            return named[:45]
    return (request.META.get("REMOTE_ADDR") or "")[:45]
