"""Any record by any fragment of what it is called."""

from django.db.models import Q
from django.shortcuts import render

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.billing.models import Bill
from northing.masterdata.models import Item
from northing.orders.models import PurchaseOrder
from northing.orders.queries import called
from northing.receiving.models import Receipt
from northing.shipping.models import Container, Shipment
from northing.web.common.permissions import open_page


@open_page
def find(request):
    """Any record by any fragment of what it is called."""
    text = request.GET.get("q", "").replace("\x00", "").strip()[:60]
    return render(request, "reports/find.html", {"q": text, "groups": _found(text, request.user) if text else []})


def _found(text: str, person) -> list[dict]:
    orders = scoped(PurchaseOrder.objects.select_related("supplier"), person)
    mine = companies_of(person)
    aboard = Q(containers__shipment_lines__instalment__line__order__company__in=mine) | Q(
        containers__shipment_lines=None
    )
    shipments = Shipment.objects.filter(aboard)
    containers = Container.objects.filter(
        Q(shipment_lines__instalment__line__order__company__in=mine) | Q(shipment_lines=None), number__icontains=text
    )
    bills = Bill.objects.filter(Q(company__in=mine) | Q(lines__parts__company__in=mine), number__icontains=text)
    named = Q(delivery_note__icontains=text) | Q(number__icontains=text)
    receipts = scoped(Receipt.objects.filter(named), person)
    items = Item.objects.filter(Q(code__icontains=text) | Q(description__icontains=text) | Q(packs__gtin=text))
    wanted = [
        ("Orders", orders.filter(called(text)), lambda o: (f"/orders/{o.pk}/", o.number, _about(o))),
        ("Items", items.distinct(), lambda i: (f"/inventory/{i.pk}/", i.code, i.description)),
        (
            "Shipments",
            shipments.filter(Q(reference__icontains=text) | Q(document__icontains=text)).distinct(),
            lambda s: (f"/shipping/{s.pk}/", s.reference, s.document),
        ),
        ("Containers", containers.distinct(), lambda c: (f"/shipping/{c.shipment_id}/", c.number, c.size_type)),
        (
            "Bills",
            bills.select_related("party").distinct(),
            lambda bill: (f"/billing/{bill.pk}/", bill.number, bill.party.name),
        ),
        (
            "Receipts",
            receipts,
            lambda r: (f"/receiving/receipts/{r.pk}/", r, f"{r.delivery_note} · {r.occurred_on:%-d %b %Y}"),
        ),
    ]
    groups = [{"name": name, "rows": [shown(row) for row in rows[:12]]} for name, rows, shown in wanted]
    return [group for group in groups if group["rows"]]


def _about(order: PurchaseOrder) -> str:
    """The supplier, and what we and they call the order beside its number."""
    return " · ".join(filter(None, [order.supplier.name, order.reference, order.supplier_reference]))
