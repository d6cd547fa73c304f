"""Tell other programs what happens: written in the action's transaction, sent by the worker, tried again for a day."""

import json
from collections.abc import Callable, Collection, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction

from northing.access.acts import Act
from northing.access.permissions import companies_of
from northing.integrations.hook.http import NotTaken, deliver
from northing.messaging.models import Webhook, WebhookDelivery

KINDS = {
    "departed": "a shipment departed",
    "arrived": "a shipment arrived",
    "dates_changed": "a shipment's dock date changed",
}
# Minutes between tries; then it is given up.
WAITS = (1, 2, 5, 15, 30, 60, 120, 240, 480, 480)
AT_ONCE = 200


Told = Sequence[tuple[Mapping[str, Any], Collection[int]]]


def announce(act: Act, kind: str, what: Callable[[], Told]) -> None:
    """Write down what is to be told: facts, and the companies (ids) they are about; none: everybody's.

    It is for every address that asked for such a thing and whose person may see one of the companies; where there is
    none, `what` is not even asked.
    """
    hooks = list(Webhook.objects.filter(ended_at=None, kinds__contains=[kind]).select_related("set_by"))
    if not hooks:
        return
    told = what()
    WebhookDelivery.objects.bulk_create(
        WebhookDelivery(hook=hook, kind=kind, body=dict(facts), made_at=act.at, next_at=act.at)
        for hook in hooks
        for facts, companies in told
        if not companies or companies_of(hook.set_by) & set(companies)
    )


def send_due(now: datetime) -> int:
    """Send what is due, each by itself; returns how many were taken."""
    taken = 0
    due = WebhookDelivery.objects.filter(next_at__lte=now).order_by("next_at").values_list("pk", flat=True)
    for key in list(due[:AT_ONCE]):
        with transaction.atomic():
            found = WebhookDelivery.objects.select_for_update(skip_locked=True, of=("self",)).select_related("hook")
            delivery = found.filter(pk=key, next_at__isnull=False).first()
            taken += delivery is not None and _send(delivery, now)
    return taken


def _send(delivery: WebhookDelivery, now: datetime) -> bool:
    hook = delivery.hook
    if hook.ended_at:
        delivery.next_at, delivery.said = None, "the webhook is disabled"
        delivery.save(update_fields=["next_at", "said"])
        return False
    said = {"id": delivery.pk, "kind": delivery.kind, "at": delivery.made_at.isoformat(), "facts": delivery.body}
    delivery.tries += 1
    try:
        status = deliver(hook.url, hook.secret, str(delivery.pk), int(now.timestamp()), json.dumps(said).encode())
        delivery.done_at, delivery.next_at, delivery.said = now, None, f"taken with {status}"
    except NotTaken as error:
        late = delivery.tries > len(WAITS)
        delivery.next_at = None if late else now + timedelta(minutes=WAITS[delivery.tries - 1])
        delivery.said = f"given up: {error}"[:200] if late else str(error)[:200]
    delivery.save()
    return delivery.done_at is not None
