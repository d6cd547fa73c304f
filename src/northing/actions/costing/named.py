"""A scope by what people call it: shipments, containers, orders and order lines."""

from collections.abc import Iterable

from northing.access.models import Person
from northing.access.queries import scoped
from northing.actions.costing.scope import Scope
from northing.orders.models import OrderLine, PurchaseOrder
from northing.shipping.models import Container, Shipment
from northing.shipping.queries import visible_shipments

MOST_NAMES = 40


class NoSuchName(Exception):
    """A name that nothing has that the person sees, in words."""


def named_scope(names: Iterable[str], person: Person) -> Scope:
    """The scope of names such as S-00001, QXNU1000012, 031E, PO-1 and PO-1/2, among what a person sees.

    The number of a voyage means the shipments aboard. Raises NoSuchName.
    """
    found: dict[str, list[int]] = {"shipments": [], "containers": [], "lines": [], "orders": []}
    names = list(dict.fromkeys(names))
    if len(names) > MOST_NAMES:
        raise NoSuchName(f"At most {MOST_NAMES} names at once; name the whole order or shipment.")
    for name in names:
        field, keys = _named(name, person)
        found[field] += keys
    return Scope(**{field: tuple(dict.fromkeys(keys)) for field, keys in found.items()})


def names_of(scope: Scope) -> str:
    """A scope as people write it, such as "S-00001, PO-1/2"."""
    lines = OrderLine.objects.filter(pk__in=scope.lines).order_by("order", "number")
    names = [
        *Shipment.objects.filter(pk__in=scope.shipments).order_by("pk").values_list("reference", flat=True),
        *Container.objects.filter(pk__in=scope.containers).order_by("pk").values_list("number", flat=True),
        *PurchaseOrder.objects.filter(pk__in=scope.orders).order_by("pk").values_list("number", flat=True),
        *(f"{order}/{number}" for order, number in lines.values_list("order__number", "number")),
    ]
    return ", ".join(names)


def _named(name: str, person: Person) -> tuple[str, list[int]]:
    seen = visible_shipments(person)
    orders = scoped(PurchaseOrder.objects.all(), person)
    number, _, line = name.rpartition("/")
    line = int(line) if line.isascii() and line.isdigit() and len(line) < 5 else 0
    for field, rows in (
        ("shipments", seen.filter(reference__iexact=name)),
        ("containers", Container.objects.filter(shipment__in=seen, number__iexact=name).order_by("-pk")),
        ("orders", orders.filter(number__iexact=name)),
        ("lines", OrderLine.objects.filter(order__in=orders.filter(number__iexact=number), number=line)),
    ):
        key = rows.values_list("pk", flat=True).first()
        if key is not None:
            return field, [key]
    aboard = list(seen.filter(voyage__number__iexact=name).order_by("pk").values_list("pk", "voyage"))
    if len({voyage for _, voyage in aboard}) > 1:
        raise NoSuchName(f"Several vessels have a voyage {name}; name the shipments.")
    if aboard:
        return "shipments", [key for key, _ in aboard]
    raise NoSuchName(f"There is no shipment, container, order or line {name}, and no voyage of that number.")
