"""Goods that come to a dock: of its own companies' orders, and beside them."""

from collections.abc import Sequence

from django.db.models import F, OuterRef, Subquery
from django.db.models.functions import Lower

from northing.access.models import Person
from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.masterdata.models import Company, Party, Site
from northing.orders.models import Instalment, PurchaseOrder
from northing.receiving.models import Receipt, ReceiptLine
from northing.shipping.models import Container, Leg, ShipmentLine
from northing.web.receiving.parts import Part
from northing.worklist.models import ExpectedDelivery


def sent_here(person: Person) -> list[Container]:
    """Containers on their way to one of the person's sites (by its name or code) with goods of other companies alone,
    such as were landed at another port than theirs; each with where it goes to, and whose it is.
    """
    mine = companies_of(person)
    if not Company.objects.exclude(pk__in=mine).exists():
        return []
    sites = scoped(Site.objects.all(), person).values_list("name", "code")
    places = {name.lower() for site in sites for name in site}
    last = Leg.objects.filter(shipment=OuterRef("shipment")).order_by("-number").values("destination")[:1]
    expected = ExpectedDelivery.objects.filter(container__isnull=False)
    own = expected.filter(company__in=mine).values("container__shipment")
    boxes = Container.objects.filter(pk__in=expected.exclude(company__in=mine).values("container"))
    boxes = boxes.exclude(shipment__in=own)
    boxes = boxes.annotate(goes_to=Subquery(last)).annotate(place=Lower("goes_to")).filter(place__in=places)
    found = list(boxes.filter(shipment__expected_dock__isnull=False).select_related("shipment"))
    owners: dict[int, set[int]] = {}
    for box, company in expected.filter(container__in=found).values_list("container", "company"):
        owners.setdefault(box, set()).add(company)
    names = dict(Company.objects.values_list("pk", "name"))
    for box in found:
        box.whose = ", ".join(sorted(names[key] for key in owners.get(box.pk, ())))
    return sorted(found, key=lambda box: (box.expected_dock, box.number))


def named_receipts(receipts: Sequence[Receipt]) -> None:
    """Each receipt gets the numbers of its `orders` and the names of its `suppliers`."""
    order = "instalment__line__order"
    lines = ReceiptLine.objects.filter(receipt__in=[one.pk for one in receipts]).order_by("pk")
    names = (f"{order}__number", f"{order}__supplier__name", "supplier__name")
    orders: dict[int, dict[str, None]] = {}
    suppliers: dict[int, dict[str, None]] = {}
    for receipt, number, supplier, whose in lines.values_list("receipt", *names):
        if number:
            orders.setdefault(receipt, {})[number] = None
        suppliers.setdefault(receipt, {})[supplier or whose] = None
    for one in receipts:
        one.orders, one.suppliers = list(orders.get(one.pk, ())), list(suppliers.get(one.pk, ()))


def parts_of_container(box: Container, site: Site) -> list[Part]:
    """What is still expected out of a container for a site's company."""
    found = ShipmentLine.objects.filter(
        container=box, instalment__line__order__company=site.company_id, accounted__lt=F("quantity")
    )
    found = found.select_related("instalment__line__item", "instalment__line__order__supplier").order_by("pk")
    return [Part(one.instalment.line, one.quantity - one.accounted, shipment_line=one.pk) for one in found]


# As many parts as a person counts on one page.
MOST_PARTS = 100


def parts_of_supplier(supplier: Party, site: Site) -> tuple[list[Part], bool]:
    """The instalments of all orders of a site that are with a supplier, not packed, the oldest first; as many as a page
    takes, and whether there are more.
    """
    of_site = {"line__order__supplier": supplier, "line__order__site": site, "line__order__sent_at__isnull": False}
    found = Instalment.objects.filter(position__with_supplier__gt=0, **of_site)
    found = found.select_related("line__item", "line__order__supplier", "position")
    found = found.order_by("asked_on", "line__order__number", "line__number", "number")[: MOST_PARTS + 1]
    parts = [Part(one.line, one.position.with_supplier, instalment=one.pk) for one in found]
    return parts[:MOST_PARTS], len(parts) > MOST_PARTS


def boxes_beside(box: Container, site: Site) -> int:
    """How many containers of the shipment still have goods for the site's company."""
    expected = ExpectedDelivery.objects.filter(container__shipment=box.shipment_id, site=site)
    return expected.count()


def parts_of_order(order: PurchaseOrder) -> list[Part]:
    """The instalments of an order that are with its supplier, not packed; line by line, the oldest first."""
    found = Instalment.objects.filter(line__order=order, position__with_supplier__gt=0)
    found = found.select_related("line__item", "line__order__supplier", "position").order_by("line__number", "number")
    return [Part(one.line, one.position.with_supplier, instalment=one.pk) for one in found]
