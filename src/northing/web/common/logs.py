"""The line of each request."""

import re
import time
import uuid

import structlog

REQUESTS = structlog.get_logger("northing.requests")
GIVEN = re.compile(r"[A-Za-z0-9._-]{8,64}")


class RequestLog:
    """One line for each request: its id (ours, or the proxy's), who, what, how it went and how long it took.

    The id stands on every other line that is written meanwhile, and goes back in `X-Request-ID`, so that a person can
    say which request they mean.
    """

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        given, began = request.headers.get("X-Request-ID", ""), time.perf_counter()
        request.id = given if GIVEN.fullmatch(given) else uuid.uuid4().hex
        with structlog.contextvars.bound_contextvars(request=request.id):
            answer = self.get_response(request)
            # Only who is known already: with the database away nobody is asked for.
            person = getattr(request, "_cached_user", None)
            REQUESTS.info(
                "request",
                method=request.method,
                path=request.path[:300],
                status=answer.status_code,
                ms=round((time.perf_counter() - began) * 1000, 1),
                who=person.get_username() if person is not None and person.is_authenticated else "",
            )
        answer["X-Request-ID"] = request.id
        return answer
