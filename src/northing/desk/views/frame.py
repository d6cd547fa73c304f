"""Pages of the frame: health, find anything, watch."""

import uuid
from datetime import timedelta

from django.contrib.auth.decorators import login_not_required
from django.db import connection
from django.db.models import Case, Count, F, Q, Value, When
from django.http import JsonResponse
from django.shortcuts import render
from django.utils import timezone

from northing.core.moves import PARTIES
from northing.costing.models import Charge
from northing.desk.models import Visit
from northing.desk.queries.answers import acts_of
from northing.desk.queries.paging import page_of_rows
from northing.directory.models import Company, Item
from northing.directory.queries import in_one_currency, scoped
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
    asked = {name: request.GET.get(name, "").replace("\x00", "")[:40] for name in ("party", "company", "who", "new")}
    matters = scoped(Matter.objects.select_related("company", "person"), request.user)
    companies = list(scoped(Company.objects.all(), request.user, "pk"))
    visit = _visited(request)
    if asked["company"] in {company.code for company in companies}:
        matters = matters.filter(company__code=asked["company"])
    if asked["who"] == "me":
        matters = matters.filter(person=request.user)
    changed = Q(changed_at__gt=visit.before)
    counts = dict(matters.values_list("party").annotate(Count("id")).order_by())
    new = matters.filter(changed).count()
    if asked["new"]:
        matters = matters.filter(changed)
    if asked["party"] in PARTIES:
        matters = matters.filter(party=asked["party"])
    page = page_of_rows(_dearest_first(matters, companies_of(request.user)), request.GET)
    parties = [{"code": code, "words": words, "count": counts.get(code, 0)} for code, words in PARTIES.items()]
    context = {"matters": page.rows, "page": page, "parties": parties, "companies": companies, "asked": asked}
    context |= {"since": visit.before, "new": new, "key": uuid.uuid4().hex, "doing": acts_of(page.rows)}
    return render(request, "desk/watch.html", context)


def _visited(request) -> Visit:
    """This visit, and the one before; within half an hour it is the same one."""
    now = timezone.now()
    visit, _ = Visit.objects.get_or_create(person=request.user, defaults={"at": now, "before": now})
    if now - visit.at > timedelta(minutes=30):
        visit.before = visit.at
    visit.at = now
    visit.save()
    return visit


def _dearest_first(matters, companies):
    """What waiting costs: overdue before ours and what is due within a week, those before the rest; then by stake.

    Where a day of delay has a price, a month of it counts on top of what is at stake. Companies of several base
    currencies are put in order by what it is worth in one of them.
    """
    today = timezone.localdate()
    soon = Q(party="us") | Q(due__lte=today + timedelta(days=7))
    urgency = Case(When(due__lt=today, then=0), When(soon, then=1), default=2)
    worth = in_one_currency(companies)
    dear = F("at_stake") + F("per_day") * 30
    if len(set(worth.values())) > 1:
        dear *= Case(*[When(company=key, then=Value(rate)) for key, rate in worth.items()])
    return matters.annotate(urgency=urgency, dear=dear).order_by("urgency", "-dear", "due", "id")


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
