"""The words and the address of an open matter: made when it is shown, of the records it names."""

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from decimal import Decimal

from django.db.models import Sum
from django.urls import reverse

from northing.claims.models import Claim
from northing.drawings.figures import count
from northing.inventory.models import OnHand, Status
from northing.ledger.models import CostLayer
from northing.messaging.models import Message
from northing.orders.models import Instalment, PurchaseOrder
from northing.shipping.models import Container, DespatchNotice, RequiredDocument, Ripple, Shipment
from northing.worklist.models import Matter

ZERO = Decimal(0)
# The words for a matter, and the address of its page.
Named = tuple[str, str]


def name_all(matters: Sequence[Matter]) -> Sequence[Matter]:
    """Give each matter its `subject` and `url`; one query for each kind of record."""
    keys: dict[str, set[int]] = defaultdict(set)
    for matter in matters:
        keys[matter.kind].add(matter.record)
    known = {kind: NAMES[kind](found) for kind, found in keys.items()}
    for matter in matters:
        matter.subject, matter.url = known[matter.kind].get(matter.record, ("", ""))
    return matters


def _orders(keys: Iterable[int]) -> dict[int, Named]:
    found = PurchaseOrder.objects.filter(pk__in=keys).select_related("supplier")
    return {one.pk: (f"Order {one.number} to {one.supplier.name}", reverse("order", args=[one.pk])) for one in found}


def _instalments(keys: Iterable[int]) -> dict[int, Named]:
    found = Instalment.objects.filter(pk__in=keys).select_related("line__order", "line__item")
    return {
        one.pk: (
            f"{one.line.order.number} line {one.line.number}: {one.line.item.code} {one.line.item.description}",
            reverse("line", args=[one.line_id]),
        )
        for one in found
    }


def _shipments(keys: Iterable[int]) -> dict[int, Named]:
    found = Shipment.objects.filter(pk__in=keys)
    return {one.pk: (f"Shipment {one.reference}", reverse("shipment", args=[one.pk])) for one in found}


def _documents(keys: Iterable[int]) -> dict[int, Named]:
    found = RequiredDocument.objects.filter(pk__in=keys).select_related("shipment")
    return {
        one.pk: (f"{one} of {one.shipment.reference}", f"{reverse('shipment', args=[one.shipment_id])}#papers")
        for one in found
    }


def _notices(keys: Iterable[int]) -> dict[int, Named]:
    found = DespatchNotice.objects.filter(pk__in=keys).select_related("supplier")
    return {
        one.pk: (
            f"Despatch notice {one.number} of {one.supplier or 'a forwarder'}",
            reverse("notice", args=[one.pk]),
        )
        for one in found
    }


def _ripples(keys: Iterable[int]) -> dict[int, Named]:
    found = Ripple.objects.filter(pk__in=keys)
    return {one.pk: ("Dates were moved", reverse("moved", args=[one.pk])) for one in found}


def _containers(keys: Iterable[int]) -> dict[int, Named]:
    found = Container.objects.filter(pk__in=keys).select_related("shipment")
    return {
        one.pk: (
            f"Container {one.number} of {one.shipment.reference}",
            reverse("shipment", args=[one.shipment_id]),
        )
        for one in found
    }


def _layers(keys: Iterable[int]) -> dict[int, Named]:
    held = OnHand.objects.filter(layer__in=keys, status=Status.HELD).values_list("layer").order_by()
    units = dict(held.annotate(total=Sum("quantity")))
    found = CostLayer.objects.filter(pk__in=keys).select_related("item")
    return {
        one.pk: (f"{count(units.get(one.pk, ZERO))} {one.item.unit} {one.item}", reverse("inspect", args=[one.pk]))
        for one in found
    }


def _cases(keys: Iterable[int]) -> dict[int, Named]:
    found = Claim.objects.filter(pk__in=keys).select_related("layer__item")
    return {
        one.pk: (f"Case {one.pk}: {count(one.open_quantity)} {one.layer.item.code}", reverse("case", args=[one.pk]))
        for one in found
    }


def _letters(keys: Iterable[int]) -> dict[int, Named]:
    found = Message.objects.filter(pk__in=keys).select_related("supplier")
    return {one.pk: (f"Letter to {one.supplier or one.recipient}: {one.subject}", reverse("chasers")) for one in found}


NAMES: dict[str, Callable[[Iterable[int]], dict[int, Named]]] = {
    "order": _orders,
    "instalment": _instalments,
    "shipment": _shipments,
    "document": _documents,
    "notice": _notices,
    "ripple": _ripples,
    "container": _containers,
    "layer": _layers,
    "case": _cases,
    "letter": _letters,
}
