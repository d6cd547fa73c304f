"""Goods that come to a dock: of its own companies' orders, and beside them."""

from collections.abc import Iterable, Sequence

from django.db.models import Count, F, Min, OuterRef, Subquery
from django.db.models.functions import Coalesce, Lower

from northing.access.models import Person
from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.masterdata.models import Company, Site
from northing.orders.models import Instalment, PurchaseOrder
from northing.receiving.models import Receipt, ReceiptLine
from northing.shipping.models import Container, Leg, ShipmentLine
from northing.web.receiving.parts import Part
from northing.worklist.models import LineSummary


def sent_here(person: Person) -> list[Container]:
    """Containers on their way to one of the person's sites (by its name or code) with goods of other companies alone,
    such as were landed at another port than theirs; each with where it goes to, and whose it is.
    """
    mine = companies_of(person)
    sites = scoped(Site.objects.all(), person).values_list("name", "code")
    places = {name.lower() for site in sites for name in site}
    last = Leg.objects.filter(shipment=OuterRef("shipment")).order_by("-number").values("destination")[:1]
    still = ShipmentLine.objects.filter(accounted__lt=F("quantity"))
    own = still.filter(instalment__line__order__company__in=mine).values("container__shipment")
    boxes = Container.objects.filter(pk__in=still.values("container")).exclude(shipment__in=own)
    boxes = boxes.annotate(goes_to=Subquery(last)).annotate(place=Lower("goes_to")).filter(place__in=places)
    found = list(boxes.filter(shipment__expected_dock__isnull=False).select_related("shipment"))
    owners: dict[int, set[int]] = {}
    rows = still.filter(container__in=found).values_list("container", "instalment__line__order__company").distinct()
    for box, company in rows:
        owners.setdefault(box, set()).add(company)
    names = dict(Company.objects.values_list("pk", "name"))
    for box in found:
        box.whose = ", ".join(sorted(names[key] for key in owners.get(box.pk, ())))
    return sorted(found, key=lambda box: (box.expected_dock, box.number))


def expected_boxes(companies: set[int], first: int, past: int) -> list[dict]:
    """Containers with goods still to come for sites of companies (ids), the next to land first.

    Rows `first` to `past` of container and site, each with its open parts.
    """
    still = ShipmentLine.objects.filter(
        instalment__line__order__company__in=companies,
        accounted__lt=F("quantity"),
        container__isnull=False,
    )
    day = Coalesce("container__own_dock", "container__shipment__expected_dock")
    site = F("instalment__line__order__site")
    pairs = still.order_by().annotate(site=site).values("container", "site").annotate(day=Min(day))
    found = list(pairs.order_by(F("day").asc(nulls_last=True), "container__number", "container", "site")[first:past])
    parts = still.filter(container__in=[row["container"] for row in found]).order_by("pk")
    parts = parts.select_related(
        "container__shipment__voyage",
        "instalment__line__order__site",
        "instalment__line__order__supplier",
        "instalment__line__item",
    )
    boxes: dict[tuple[int, int], dict] = {(row["container"], row["site"]): {"parts": []} for row in found}
    for part in parts:
        order = part.instalment.line.order
        box = boxes.get((part.container_id, order.site_id))
        if box is not None:
            box["container"], box["site"] = part.container, order.site
            box["parts"].append(part)
    for box in boxes.values():
        orders = {part.instalment.line.order for part in box["parts"]}
        box["orders"] = sorted(orders, key=lambda order: order.number)
        box["suppliers"] = sorted({str(order.supplier) for order in orders})
    return list(boxes.values())


def named_receipts(receipts: Sequence[Receipt]) -> None:
    """Each receipt gets the numbers of its `orders` and the names of its `suppliers`."""
    order = "instalment__line__order"
    lines = ReceiptLine.objects.filter(receipt__in=[one.pk for one in receipts]).order_by("pk")
    rows = lines.values_list("receipt", f"{order}__number", f"{order}__supplier__name")
    orders: dict[int, dict[str, None]] = {}
    suppliers: dict[int, dict[str, None]] = {}
    for receipt, number, supplier in rows:
        orders.setdefault(receipt, {})[number] = None
        suppliers.setdefault(receipt, {})[supplier] = None
    for one in receipts:
        one.orders, one.suppliers = list(orders.get(one.pk, ())), list(suppliers.get(one.pk, ()))


def expected_orders(companies: Iterable[int], first: int, past: int) -> list[PurchaseOrder]:
    """Orders of companies (ids) of which units are with the supplier and not packed, the next to come first.

    Rows `first` to `past`; each gets the number of its lines that wait, and the day of the next.
    """
    waiting = LineSummary.objects.filter(company__in=list(companies), is_open=True, with_supplier__gt=0)
    rows = waiting.values("order").annotate(due=Min("expected_on"), lines=Count("line")).order_by("due", "order")
    found = list(rows[first:past])
    orders = PurchaseOrder.objects.select_related("supplier", "site").in_bulk([row["order"] for row in found])
    for row in found:
        orders[row["order"]].due, orders[row["order"]].waiting = row["due"], row["lines"]
    return [orders[row["order"]] for row in found]


def parts_of_container(box: Container, site: Site) -> list[Part]:
    """What is still expected out of a container for a site's company."""
    found = ShipmentLine.objects.filter(
        container=box, instalment__line__order__company=site.company_id, accounted__lt=F("quantity")
    )
    found = found.select_related("instalment__line__item", "instalment__line__order__supplier").order_by("pk")
    return [Part(one.instalment.line, one.quantity - one.accounted, shipment_line=one.pk) for one in found]


def parts_of_order(order: PurchaseOrder) -> list[Part]:
    """The instalments of an order that are with its supplier, not packed; line by line, the oldest first."""
    found = Instalment.objects.filter(line__order=order, position__with_supplier__gt=0)
    found = found.select_related("line__item", "line__order__supplier", "position").order_by("line__number", "number")
    return [Part(one.line, one.position.with_supplier, instalment=one.pk) for one in found]
