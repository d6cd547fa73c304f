"""Who knocks: tokens, scopes, and the act that a call is."""

from django.http import HttpRequest
from django.utils import timezone
from ninja.security import HttpBearer

from northing.access.acts import LONGEST_KEY, Act
from northing.actions.access.tokens import token_of
from northing.core.problems import NotAllowed, Problem, Refused


class Token(HttpBearer):
    """`Authorization: Bearer …` with a token made under one's account."""

    def authenticate(self, request: HttpRequest, token: str):
        """The live token, or None."""
        found = token_of(token[:200])
        if found is not None:
            request.user = found.person
            # For the line of the request: web.common.logs reads it.
            request.noted = {"token": found.pk}
        return found


def act_of(request: HttpRequest) -> Act:
    """The act of the token's person; `Idempotency-Key` makes its action happen once."""
    key = request.headers.get("Idempotency-Key", "").replace("\x00", "")
    if len(key) > LONGEST_KEY:
        what = f"The Idempotency-Key has {len(key)} characters; at most {LONGEST_KEY} tell one call from another."
        raise Refused(Problem(what, "Idempotency-Key", "Send a shorter one, such as a UUID."))
    return Act(request.auth.person, timezone.now(), f"api:{key}" if key else "", "api")


def require(request: HttpRequest, scope: str) -> None:
    """Raise NotAllowed unless the token has the scope."""
    if scope not in request.auth.scopes:
        what = f"This token has not the scope {scope!r}; it has {', '.join(request.auth.scopes)}."
        raise NotAllowed(Problem(what, mend="Make one that has, under your account."))
