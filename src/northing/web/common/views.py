"""Whether the application is up."""

from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError
from django.http import HttpResponse

from northing.jobs.queries import worker_is_there
from northing.web.common.permissions import open_page


@open_page
@login_not_required
def healthz(request):
    """Whether web, database and worker are there: `ok`, or 503 with what is away. `?only=web` leaves the worker out."""
    try:
        worker = worker_is_there()
    except DatabaseError:
        return _said("database away", 503)
    return _said("ok", 200) if worker or request.GET.get("only") == "web" else _said("worker away", 503)


def _said(words: str, status: int) -> HttpResponse:
    return HttpResponse(words, status=status, content_type="text/plain")
