"""Tell other programs what happens: written in the action's transaction, sent by the worker, tried again for a day."""

import json
from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Any

from django.conf import settings
from django.utils import timezone
from procrastinate.contrib.django import app

from northing.access.acts import Act
from northing.access.permissions import companies_of
from northing.database.connections import release_connection
from northing.integrations.hook.http import NotTaken, deliver
from northing.messaging.models import Webhook, WebhookDelivery

KINDS = {
    "departed": "a shipment departed",
    "arrived": "a shipment arrived",
    "dates_changed": "a shipment's dock date changed",
    "billed": "a bill or credit note was booked",
    "paid": "a payment was made",
}
TASK = "webhook"
# Seconds to wait after the first, second, ... try that failed; after the last of them it is given up.
PAUSES = tuple(60 * minutes for minutes in (1, 2, 5, 15, 30, 60, 120, 240, 480, 480))


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
    made = WebhookDelivery.objects.bulk_create(
        WebhookDelivery(hook=hook, kind=kind, body=dict(facts), made_at=act.at)
        for hook in hooks
        for facts, companies in told
        if not companies or companies_of(hook.set_by) & set(companies)
    )
    if made:
        app.configure_task(TASK).batch_defer(*({"delivery": delivery.pk} for delivery in made))


def send(pk: int) -> None:
    """Send a notice that is open. Raises NotTaken where it is to go again. No connection is held meanwhile."""
    delivery = WebhookDelivery.objects.select_related("hook").filter(pk=pk, done_at=None, given_up=False).first()
    if delivery is None:
        return
    hook, now = delivery.hook, timezone.now()
    if hook.ended_at:
        _note(delivery, given_up=True, said="the webhook is disabled")
        return
    said = {"id": delivery.pk, "kind": delivery.kind, "at": delivery.made_at.isoformat(), "facts": delivery.body}
    release_connection()
    try:
        body, private = json.dumps(said).encode(), settings.PRIVATE_ADDRESSES
        status = deliver(hook.url, hook.secret, str(delivery.pk), int(now.timestamp()), body, private=private)
    except NotTaken as error:
        over = delivery.tries >= len(PAUSES)
        words = f"given up: {error}" if over else str(error)
        _note(delivery, tries=delivery.tries + 1, given_up=over, said=words[:200])
        if not over:
            raise
    else:
        _note(delivery, tries=delivery.tries + 1, done_at=now, said=f"taken with {status}")


def _note(delivery: WebhookDelivery, **facts: Any) -> None:
    WebhookDelivery.objects.filter(pk=delivery.pk).update(**facts)
