"""The words and the address of an open matter: made when it is shown, of the records it names."""

from collections import defaultdict
from collections.abc import Callable, Iterable, Sequence
from decimal import Decimal

from django.db.models import Sum
from django.urls import reverse

from northing.billing.models import Bill, KeptBill
from northing.claims.models import Claim
from northing.drawings.figures import count, first_of, price
from northing.inventory.models import OnHand, Status
from northing.ledger.models import AskedRate, CostLayer
from northing.messaging.models import Message
from northing.orders.models import Instalment, PurchaseOrder
from northing.payments.models import AskedPayment
from northing.receiving.models import Receipt, ShortQuestion
from northing.shipping.models import Container, DespatchNotice, RequiredDocument, Ripple, Shipment, ShipmentLine
from northing.worklist.models import Matter

ZERO = Decimal(0)
MOST_NAMES = 2
# Of a layer: the order its goods came from.
ORDER = "shipment_line__instalment__line__order"
# The words for a matter, the address of its page, and what tells it from others like it.
Named = tuple[str, str] | tuple[str, str, str]


def name_all(matters: Sequence[Matter]) -> Sequence[Matter]:
    """Give each matter its `subject`, `url` and `beside`; one or two queries for each kind of record."""
    keys: dict[str, set[int]] = defaultdict(set)
    for matter in matters:
        keys[matter.kind].add(matter.record)
    known = {kind: NAMES[kind](found) for kind, found in keys.items()}
    for matter in matters:
        named = known[matter.kind].get(matter.record, ("", "", ""))
        matter.subject, matter.url, matter.beside = (*named, "")[:3]
    return matters


def _orders(keys: Iterable[int]) -> dict[int, Named]:
    found = PurchaseOrder.objects.filter(pk__in=keys).select_related("supplier")
    return {one.pk: (f"Order {one.number} to {one.supplier.name}", reverse("order", args=[one.pk])) for one in found}


def _unbilled(keys: Iterable[int]) -> dict[int, Named]:
    found = PurchaseOrder.objects.filter(pk__in=keys).select_related("supplier")
    return {
        one.pk: (f"Goods of {one.number} from {one.supplier.name}", reverse("order", args=[one.pk])) for one in found
    }


def _bills(keys: Iterable[int]) -> dict[int, Named]:
    found = Bill.objects.filter(pk__in=keys).select_related("party")
    return {one.pk: (f"{one} of {one.party.name}", reverse("bill", args=[one.pk])) for one in found}


def _asked(keys: Iterable[int]) -> dict[int, Named]:
    found = AskedPayment.objects.filter(pk__in=keys).select_related("party")
    return {one.pk: (str(one), reverse("asked-payments")) for one in found}


def _kept(keys: Iterable[int]) -> dict[int, Named]:
    found = KeptBill.objects.filter(pk__in=keys).select_related("party")
    return {one.pk: (f"{one} of {one.party.name}", reverse("kept-bill", args=[one.pk])) for one in found}


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
    found, goods = Shipment.objects.filter(pk__in=keys), _goods("container__shipment", keys)
    return {
        one.pk: (f"Shipment {one.reference}", reverse("shipment", args=[one.pk]), goods.get(one.pk, ""))
        for one in found
    }


def _goods(field: str, keys: Iterable[int]) -> dict[int, str]:
    """Suppliers and orders of the goods aboard, by the record that the field of their shipment lines names."""
    order = "instalment__line__order"
    rows = ShipmentLine.objects.filter(**{f"{field}__in": list(keys)}).order_by(f"{order}__number")
    suppliers: dict[int, dict[str, None]] = defaultdict(dict)
    orders: dict[int, dict[str, None]] = defaultdict(dict)
    for key, supplier, number in rows.values_list(field, f"{order}__supplier__name", f"{order}__number").distinct():
        suppliers[key][supplier] = orders[key][number] = None
    return {
        key: f"{first_of([*names], MOST_NAMES)} · {first_of([*orders[key]], MOST_NAMES)}"
        for key, names in suppliers.items()
    }


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
    found, goods = Container.objects.filter(pk__in=keys).select_related("shipment"), _goods("container", keys)
    return {
        one.pk: (
            f"Container {one.number} of {one.shipment.reference}",
            reverse("shipment", args=[one.shipment_id]),
            goods.get(one.pk, ""),
        )
        for one in found
    }


def _layers(keys: Iterable[int]) -> dict[int, Named]:
    held = OnHand.objects.filter(layer__in=keys, status=Status.HELD).values_list("layer").order_by()
    units = dict(held.annotate(total=Sum("quantity")))
    found = CostLayer.objects.filter(pk__in=keys).select_related(
        "item", "receipt_line__receipt", "receipt_line__supplier", f"{ORDER}__supplier"
    )
    return {
        one.pk: (
            f"{count(units.get(one.pk, ZERO))} {one.item.unit} {one.item}",
            reverse("held" if _without_order(one) else "inspect", args=[one.pk]),
            _came(one),
        )
        for one in found
    }


def _without_order(layer: CostLayer) -> bool:
    return bool(layer.receipt_line and layer.receipt_line.why)


def _came(layer: CostLayer) -> str:
    """The supplier, order and delivery note that goods came by."""
    if _without_order(layer):
        return f"{layer.receipt_line.supplier} · {layer.receipt_line.receipt.delivery_note}"
    if layer.shipment_line is None:
        return ""
    order = layer.shipment_line.instalment.line.order
    return f"{order.supplier} · {order.number} · {layer.receipt_line.receipt.delivery_note}"


def _cases(keys: Iterable[int]) -> dict[int, Named]:
    related = ("layer__item", "layer__receipt_line__receipt", "layer__receipt_line__supplier")
    return {one.pk: _case(one) for one in Claim.objects.filter(pk__in=keys).select_related(*related)}


def _case(one: Claim) -> Named:
    """A case; what belongs to no order is decided about where it is held."""
    units, item = count(one.open_quantity), one.layer.item
    if one.of_no_order:
        return f"{units} {item.unit} {item}", reverse("held", args=[one.layer_id]), _came(one.layer)
    return f"Case {one.pk}: {units} {item.code}", reverse("case", args=[one.pk])


def _shorts(keys: Iterable[int]) -> dict[int, Named]:
    related = ("instalment__line__item", "instalment__line__order__supplier", "line__receipt")
    named: dict[int, Named] = {}
    for one in ShortQuestion.objects.filter(pk__in=keys).select_related(*related):
        line = one.instalment.line
        what = f"{count(one.quantity)} {line.item.unit} {line.item} short"
        came = f"{line.order.supplier} · {line.order.number} · {one.line.receipt.delivery_note}"
        named[one.pk] = (what, reverse("short", args=[one.pk]), came)
    return named


def _letters(keys: Iterable[int]) -> dict[int, Named]:
    found = Message.objects.filter(pk__in=keys).select_related("supplier")
    return {one.pk: (f"Letter to {one.supplier or one.recipient}: {one.subject}", reverse("chasers")) for one in found}


def _rates(keys: Iterable[int]) -> dict[int, Named]:
    found = AskedRate.objects.filter(pk__in=keys).select_related("company")
    said = {one.pk: f"{one.purpose} rate, {price(one.rate, 4)} {one.company.currency}" for one in found}
    return {one.pk: (f"{one}: {said[one.pk]}", reverse("rates")) for one in found}


def _receipts(keys: Iterable[int]) -> dict[int, Named]:
    found = Receipt.objects.filter(pk__in=keys)
    return {one.pk: (f"Receipt {one}", reverse("receipt", args=[one.pk])) for one in found}


NAMES: dict[str, Callable[[Iterable[int]], dict[int, Named]]] = {
    "order": _orders,
    "unbilled": _unbilled,
    "bill": _bills,
    "deposit": _orders,
    "kept bill": _kept,
    "payment": _asked,
    "instalment": _instalments,
    "shipment": _shipments,
    "document": _documents,
    "notice": _notices,
    "ripple": _ripples,
    "container": _containers,
    "layer": _layers,
    "case": _cases,
    "letter": _letters,
    "short": _shorts,
    "rate": _rates,
    "receipt": _receipts,
}
