"""Keys of the API: made by a person for programs of theirs, shown once, kept as a hash."""

import secrets
from dataclasses import dataclass
from datetime import timedelta

from django.utils import timezone

from northing.access import operations
from northing.access.acts import Act
from northing.access.models import SCOPES, ApiToken
from northing.access.permissions import require_house
from northing.actions.confirmations.supplier_links import hashed
from northing.activity.operations import add_history
from northing.core.problems import Problem, Refused, refuse_if

PREFIX = "nk_"
MOST_DAYS, MOST_TOKENS = 366, 50


@dataclass(frozen=True)
class TokenRequest:
    """A token: what it is called, what it may do, for how many days."""

    name: str
    scopes: tuple[str, ...]
    days: int


def make_token(act: Act, request: TokenRequest) -> str:
    """Make a token and return it, once. Not keyed, since a result would be stored."""
    problems = []
    if not request.name.strip():
        problems.append(Problem("Give the token a name.", "name"))
    if not request.scopes or not set(request.scopes) <= set(SCOPES):
        problems.append(Problem(f"Choose from {', '.join(SCOPES)}.", "scopes"))
    if not 1 <= request.days <= MOST_DAYS:
        problems.append(Problem(f"A token lives from 1 to {MOST_DAYS} days.", "days"))
    if live_tokens(act).count() >= MOST_TOKENS:
        problems.append(Problem(f"You have {MOST_TOKENS} tokens.", mend="End some first."))
    refuse_if(problems)
    token = PREFIX + secrets.token_urlsafe(32)
    made = operations.write_token(
        ApiToken(
            person=act.person,
            name=request.name.strip()[:60],
            token_hash=hashed(token),
            scopes=sorted(request.scopes),
            made_at=act.at,
            expires_at=act.at + timedelta(days=request.days),
        )
    )
    words = f"Made the API token {made.name}: {', '.join(made.scopes)}, until {made.expires_at:%-d %b %Y}"
    add_history(act, "make_token", words, [("person", act.person.pk, None)])
    return token


def end_token(act: Act, key: int) -> None:
    """End a token of one's own."""
    found = live_tokens(act).filter(pk=key).first()
    if found is None:
        raise Refused(Problem("You have no such token.", mend="Look again."))
    operations.end_token(found, act.at)
    add_history(act, "end_token", f"Ended the API token {found.name}", [("person", act.person.pk, None)])


def end_token_of(act: Act, key: int) -> None:
    """End a token of any person of the house."""
    require_house(act.person)
    found = ApiToken.objects.select_related("person").filter(pk=key, revoked_at=None).first()
    if found is None:
        raise Refused(Problem("This token has ended already.", mend="Look again."))
    operations.end_token(found, act.at)
    add_history(act, "end_token", f"Ended the API token {found.name}", [("person", found.person_id, None)])


def live_tokens(act: Act):
    """The person's tokens that still work."""
    return ApiToken.objects.filter(person=act.person, revoked_at=None, expires_at__gt=act.at)


def token_of(text: str) -> ApiToken | None:
    """The live token that this is; its use is noted once a minute."""
    now = timezone.now()
    found = ApiToken.objects.select_related("person").filter(
        token_hash=hashed(text), revoked_at=None, expires_at__gt=now, person__is_active=True
    )
    token = found.first()
    if token and (token.used_at is None or now - token.used_at > timedelta(minutes=1)):
        operations.use_token(token, now)
    return token
