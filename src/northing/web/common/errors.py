"""The answer when something failed that no page caught: the database is away, or the program is wrong."""

import sys
from http import HTTPStatus

from django.db import InterfaceError, OperationalError
from django.http import JsonResponse
from django.shortcuts import render
from django.views.defaults import server_error

AWAY = "The database is away or restarts. Nothing was saved by this request; send it again in a moment."
# Seconds after which it is worth trying again.
AGAIN = 5
# Fields that are never written into a page again; a code is one where people sign in, elsewhere it names a record.
SECRET = ("password", "credential")


def failed(request):
    """503 while the database is away, with what was sent and a button that sends it again; else the usual 500."""
    error = sys.exc_info()[1]
    if not isinstance(error, OperationalError | InterfaceError):
        return server_error(request)
    if request.path.startswith("/api/"):
        body = {"type": "about:blank", "title": HTTPStatus(503).phrase, "status": 503, "detail": AWAY, "problems": []}
        answer = JsonResponse(body, status=503, content_type="application/problem+json")
    else:
        context = {"away": AWAY, "sent": _sent(request), "files": bool(request.FILES), "path": request.get_full_path()}
        answer = render(None, "common/away.html", context | {"post": request.method == "POST"}, status=503)
    answer["Retry-After"] = str(AGAIN)
    return answer


def _sent(request) -> list[tuple[str, str]]:
    """The fields of a form as they came, in their order, but for secrets; the key among them keeps it from being done
    twice."""
    secret = (*SECRET, "code") if request.path.startswith("/access/") else SECRET
    return [
        (name, value)
        for name, values in request.POST.lists()
        for value in values
        if not any(word in name.lower() for word in secret)
    ]
