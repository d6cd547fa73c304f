"""What is written to the log never holds a supplier's link whole."""

import json
import logging
import re
import time
import uuid

TOKEN = re.compile(r"/(link|calendar)/([A-Za-z0-9_-]{4})[A-Za-z0-9_-]+")


def masked(text: str) -> str:
    """The text with only the first characters of each token.

    >>> masked("GET /confirmations/link/abcdEFGH1234-_/confirm/")
    'GET /confirmations/link/abcd…/confirm/'
    """
    return TOKEN.sub(r"/\1/\2…", text)


class MaskTokens(logging.Filter):
    """Masks tokens in the words of every record, whatever wrote them."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.msg, record.args = masked(record.getMessage()), ()
        if record.exc_info:
            record.exc_text = masked(logging.Formatter().formatException(record.exc_info))
        return True


REQUESTS = logging.getLogger("northing.requests")
GIVEN = re.compile(r"[A-Za-z0-9._-]{8,64}")


class RequestLog:
    """One line for each request: its id (ours, or the proxy's), who, what, how it went and how long it took.

    The id goes back in `X-Request-ID`, so that a person can say which request they mean.
    """

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        given, began = request.headers.get("X-Request-ID", ""), time.perf_counter()
        request.id = given if GIVEN.fullmatch(given) else uuid.uuid4().hex
        answer = self.get_response(request)
        answer["X-Request-ID"] = request.id
        person = getattr(request, "user", None)
        REQUESTS.info(
            json.dumps(
                {
                    "id": request.id,
                    "method": request.method,
                    "path": masked(request.path)[:300],
                    "status": answer.status_code,
                    "ms": round((time.perf_counter() - began) * 1000, 1),
                    "who": person.get_username() if person is not None and person.is_authenticated else "",
                }
            )
        )
        return answer
