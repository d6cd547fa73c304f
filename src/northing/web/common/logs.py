"""The line of each request."""

import re
import time
import uuid

import structlog
from django.conf import settings

from northing.access.models import Person
from northing.web.common.callers import caller_of

# What a person was refused for want of a right, a sign-in, or by a limit.
REFUSALS = (401, 403, 429)
REQUESTS = structlog.get_logger("northing.requests")
GIVEN = re.compile(r"[A-Za-z0-9._-]{8,64}")


def say_event(event: str, **facts: object) -> None:
    """Write an event of its own beside the lines of requests, such as a sign-in that was refused."""
    REQUESTS.info(event, **facts)


def note(request, **facts: object) -> None:
    """Add facts to the line of a request: through which link, by which token (ids, never the secret)."""
    request.noted = getattr(request, "noted", {}) | facts


class RequestLog:
    """One line for each request: its id (ours, or the proxy's), whence, who, what, how it went and how long it took.

    The id stands on every other line that is written meanwhile, and goes back in `X-Request-ID`, so that a person can
    say which request they mean.
    """

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        given, began = request.headers.get("X-Request-ID", ""), time.perf_counter()
        request.id = given if GIVEN.fullmatch(given) else uuid.uuid4().hex
        with structlog.contextvars.bound_contextvars(request=request.id, caller=caller_of(request)):
            answer = self.get_response(request)
            # Only who is known already: with the database away nobody is asked for.
            user = request.__dict__.get("user")
            person = user if type(user) is Person else getattr(request, "_cached_user", None)
            REQUESTS.info(
                "request",
                method=request.method,
                path=request.path[:300],
                status=answer.status_code,
                ms=round((time.perf_counter() - began) * 1000, 1),
                who=person.get_username() if person is not None and person.is_authenticated else "",
                **getattr(request, "noted", {}),
            )
            if answer.status_code in REFUSALS:
                say_event("refused", status=answer.status_code, path=request.path[:300])
        answer["X-Request-ID"] = request.id
        answer.headers.setdefault("Permissions-Policy", settings.PERMISSIONS_POLICY)
        return answer
