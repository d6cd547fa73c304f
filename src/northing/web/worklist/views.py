"""The Watch: everything open, by whose move it is."""

import uuid
from datetime import timedelta

from django.db.models import Q
from django.shortcuts import render
from django.utils import timezone

from northing.access.permissions import HOUSE, companies_of, may_somewhere
from northing.access.queries import scoped
from northing.core.worklist.moves import PARTIES
from northing.jobs.health import health
from northing.masterdata.models import Company
from northing.orders.models import PurchaseOrder
from northing.web.common.paging import page_of
from northing.web.common.permissions import open_page
from northing.web.orders.line_book.saved_views import READY
from northing.web.worklist.acts import acts_of
from northing.web.worklist.dearest import COUNTED, counted, dearest
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
    counts = counted(matters, "party", PARTIES)
    new = matters.filter(changed).order_by()[: COUNTED + 1].count()
    if asked["new"]:
        matters = matters.filter(changed)
    if asked["party"] in PARTIES:
        matters = matters.filter(party=asked["party"])
    mine = companies_of(request.user)
    page = page_of(lambda first, past: dearest(matters, mine, first, past), request.GET)
    parties = [{"code": code, "words": words, "count": _said(counts.get(code, 0))} for code, words in PARTIES.items()]
    context = {"matters": name_all(page.rows), "page": page, "parties": parties, "companies": companies, "asked": asked}
    context |= {
        "since": visit.before,
        "new": _said(new),
        "key": uuid.uuid4().hex,
        "doing": acts_of(page.rows, request.user),
    }
    if may_somewhere(request.user, HOUSE):
        context["unwell"] = [part for part in health() if not part.well]
    if not page.rows and may_somewhere(request.user, "keep_house"):
        context["begin"] = not PurchaseOrder.objects.filter(company__in=companies, sent_at__isnull=False).exists()
    context["due_view"] = READY["due"][1]
    return render(request, "worklist/watch.html", context)


def _visited(request) -> Visit:
    """This visit, and the one before; within half an hour it is the same one."""
    return note_visit(request.user, timezone.now(), timedelta(minutes=30))


def _said(count: int) -> str | int:
    """A count in figures; of more than are counted, that there are more."""
    return f"over {COUNTED:,}" if count > COUNTED else count
