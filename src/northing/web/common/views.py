"""Whether the application is up."""

import secrets

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError
from django.http import HttpResponse

from northing.access.permissions import HOUSE, may_somewhere
from northing.jobs.health import health
from northing.web.common.permissions import open_page


@open_page
@login_not_required
def healthz(request):
    """Say `ok`, or 503. `?only=web` leaves the worker out.

    Who keeps the house, or sends the token of HEALTH_TOKEN, reads what is not well and why; others read no more.
    """
    parts = health(worker=request.GET.get("only") != "web")
    well = all(part.well for part in parts)
    words = "ok" if well else "not ok"
    if _may_know(request):
        rows = (f"{part.name}: {'ok' if part.well else 'not ok'}. {part.words}" for part in parts)
        words = "\n".join([words, *rows])
    return HttpResponse(words, status=200 if well else 503, content_type="text/plain")


def _may_know(request) -> bool:
    token = request.headers.get("Authorization", "").removeprefix("Bearer ")
    if settings.HEALTH_TOKEN and secrets.compare_digest(token.encode(), settings.HEALTH_TOKEN.encode()):
        return True
    try:
        return request.user.is_authenticated and may_somewhere(request.user, HOUSE)
    except DatabaseError:
        return False
