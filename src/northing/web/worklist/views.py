"""The Watch: everything open, by whose move it is."""

import uuid
from datetime import timedelta

from django.db.models import Case, Count, F, Q, Value, When
from django.shortcuts import render
from django.utils import timezone

from northing.access.permissions import companies_of, may_somewhere
from northing.access.queries import scoped
from northing.core.worklist.moves import PARTIES
from northing.jobs.queries import waiting_too_long
from northing.masterdata.models import Company
from northing.masterdata.queries import in_one_currency
from northing.orders.models import PurchaseOrder
from northing.web.common.paging import page_of_keys
from northing.web.common.permissions import open_page
from northing.web.orders.line_book.saved_views import READY
from northing.web.worklist.acts import acts_of
from northing.web.worklist.words import name_all
from northing.worklist.models import Matter, Visit
from northing.worklist.operations import note_visit


@open_page
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
    page = page_of_keys(_dearest_first(matters, companies_of(request.user)), request.GET)
    parties = [{"code": code, "words": words, "count": counts.get(code, 0)} for code, words in PARTIES.items()]
    context = {"matters": name_all(page.rows), "page": page, "parties": parties, "companies": companies, "asked": asked}
    context |= {"since": visit.before, "new": new, "key": uuid.uuid4().hex, "doing": acts_of(page.rows, request.user)}
    if may_somewhere(request.user, "keep_people"):
        context["work_waits"] = waiting_too_long()
    if not page.rows and may_somewhere(request.user, "keep_house"):
        context["begin"] = not PurchaseOrder.objects.filter(company__in=companies, sent_at__isnull=False).exists()
    context["due_view"] = READY["due"][1]
    return render(request, "worklist/watch.html", context)


def _visited(request) -> Visit:
    """This visit, and the one before; within half an hour it is the same one."""
    return note_visit(request.user, timezone.now(), timedelta(minutes=30))


def _dearest_first(matters, companies):
    """Order by cost of waiting: overdue, then ours and due within a week, then the rest; then by stake.

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
