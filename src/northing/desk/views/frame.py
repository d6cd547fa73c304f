"""Pages of the frame: health, find anything, watch."""

from datetime import timedelta

from django.contrib.auth.decorators import login_not_required
from django.db import connection
from django.db.models import Case, Count, Q, When
from django.http import JsonResponse
from django.shortcuts import render
from django.utils import timezone

from northing.core.moves import PARTIES
from northing.costing.models import Charge
from northing.desk.queries.paging import page_of_rows
from northing.directory.models import Company, Item
from northing.directory.queries import scoped
from northing.directory.rights import companies_of
from northing.orders.models import PurchaseOrder
from northing.receiving.models import Receipt
from northing.shipping.models import Container, Shipment
from northing.standing.models import Matter


@login_not_required
def healthz(request):
    """Whether the application and its database answer."""
    with connection.cursor() as cursor:
        cursor.execute("select 1")
    return JsonResponse({"status": "ok"})


def watch(request):
    """Everything open, by whose move it is, dearest wait first."""
    party = request.GET.get("party", "")
    asked = request.GET.get("company", "")
    matters = scoped(Matter.objects.select_related("company"), request.user)
    companies = list(scoped(Company.objects.all(), request.user, "pk"))
    if asked in {company.code for company in companies}:
        matters = matters.filter(company__code=asked)
    counts = dict(matters.values_list("party").annotate(Count("id")).order_by())
    if party in PARTIES:
        matters = matters.filter(party=party)
    page = page_of_rows(_dearest_first(matters), request.GET)
    parties = [{"code": code, "words": words, "count": counts.get(code, 0)} for code, words in PARTIES.items()]
    context = {"matters": page.rows, "page": page, "parties": parties, "party": party}
    return render(request, "desk/watch.html", context | {"companies": companies, "asked": asked})


def _dearest_first(matters):
    """What waiting costs: overdue before ours and what is due within a week, those before the rest; then by stake."""
    today = timezone.localdate()
    soon = Q(party="us") | Q(due__lte=today + timedelta(days=7))
    urgency = Case(When(due__lt=today, then=0), When(soon, then=1), default=2)
    return matters.annotate(urgency=urgency).order_by("urgency", "-at_stake", "due", "id")


def find(request):
    """Any record by any fragment of what it is called."""
    text = request.GET.get("q", "").replace("\x00", "").strip()[:60]
    return render(request, "desk/find.html", {"q": text, "groups": _found(text, request.user) if text else []})


def _found(text: str, person) -> list[dict]:
    orders = scoped(PurchaseOrder.objects.select_related("supplier"), person)
    mine = companies_of(person)
    aboard = Q(containers__stowage__instalment__line__order__company__in=mine) | Q(containers__stowage=None)
    shipments = Shipment.objects.filter(aboard)
    containers = Container.objects.filter(
        Q(stowage__instalment__line__order__company__in=mine) | Q(stowage=None), number__icontains=text
    )
    charges = Charge.objects.filter(parts__company__in=mine, bill_number__icontains=text).select_related("payee")
    receipts = scoped(Receipt.objects.all(), person).filter(delivery_note__icontains=text)
    items = Item.objects.filter(Q(code__icontains=text) | Q(description__icontains=text) | Q(packs__gtin=text))
    wanted = [
        ("Orders", orders.filter(number__icontains=text), lambda o: (f"/orders/{o.pk}/", o.number, o.supplier.name)),
        ("Items", items.distinct(), lambda i: (f"/stock/{i.pk}/", i.code, i.description)),
        (
            "Shipments",
            shipments.filter(Q(reference__icontains=text) | Q(document__icontains=text)).distinct(),
            lambda s: (f"/passage/{s.pk}/", s.reference, s.document),
        ),
        ("Containers", containers.distinct(), lambda c: (f"/passage/{c.shipment_id}/", c.number, c.size_type)),
        ("Bills", charges.distinct(), lambda c: (f"/costs/{c.pk}/", c.bill_number, c.payee.name)),
        ("Delivery notes", receipts, lambda r: (f"/dock/receipts/{r.pk}/", r.delivery_note, f"{r.occurred_on}")),
    ]
    groups = [{"name": name, "rows": [shown(row) for row in rows[:12]]} for name, rows, shown in wanted]
    return [group for group in groups if group["rows"]]
