"""Addresses that are told what happens: made, and ended."""

import secrets
from dataclasses import dataclass

from northing.access.acts import Act
from northing.access.permissions import require_house
from northing.activity.operations import add_history, once
from northing.core.problems import Problem, Refused, refuse_if
from northing.messaging import operations
from northing.messaging.models import Webhook
from northing.messaging.webhooks import KINDS


@dataclass(frozen=True)
class HookRequest:
    """An address, and what it is told."""

    url: str
    kinds: tuple[str, ...]


@dataclass(frozen=True)
class EndRequest:
    """A webhook (id) to be disabled."""

    hook: int


@once
def add_hook(act: Act, request: HookRequest) -> dict:
    """Tell an address from now on. Returns its id and its secret: it is shown this once."""
    require_house(act.person)
    problems = []
    if not request.url.startswith(("https://", "http://")) or len(request.url) > 200:
        problems.append(Problem("Enter an address that begins with https://.", "url"))
    if not request.kinds or set(request.kinds) - set(KINDS):
        problems.append(Problem("Choose what it is told.", "kinds", f"Some of {', '.join(KINDS)}."))
    refuse_if(problems)
    secret = secrets.token_hex(24)
    hook = operations.write_webhook(
        Webhook(url=request.url, secret=secret, kinds=sorted(set(request.kinds)), set_by=act.person, made_at=act.at)
    )
    add_history(act, "add_hook", f"{hook.url} is told: {', '.join(hook.kinds)}", [("person", act.person.pk, None)])
    return {"hook": hook.pk, "secret": secret}


@once
def end_hook(act: Act, request: EndRequest) -> int:
    """Tell an address no more."""
    require_house(act.person)
    hook = Webhook.objects.filter(pk=request.hook, ended_at=None).first()
    if hook is None:
        raise Refused(Problem("This webhook is disabled already."))
    operations.end_webhook(hook, act.at)
    add_history(act, "end_hook", f"Webhook {hook.url} disabled", [("person", act.person.pk, None)])
    return hook.pk
