"""Goods that go into other bins: put away from the dock, moved out of a bin, and undone."""

from collections.abc import Sequence
from typing import Any

from django.contrib import messages
from django.http import JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.actions.inventory.move import MovesRequest, move_together
from northing.actions.inventory.put_away import PutAwayRequest, put_away
from northing.actions.inventory.transfer import send_goods
from northing.actions.inventory.undo_move import undo_move as undo
from northing.inventory.models import BinMove, OnHand, Status
from northing.inventory.queries import lying
from northing.masterdata.models import Bin, Site
from northing.receiving.models import Receipt
from northing.reports.putaway import MOST, Task, busiest, queue_of, tasks_of, to_put_away
from northing.web.common.keys import key_of
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, form_for, open_page
from northing.web.common.reversals import reversal_page, say_done
from northing.web.common.sites import site_asked
from northing.web.inventory.forms.moves import Going, MovesForm, ends_of
from northing.web.inventory.queries import scanned

# Moves that are shown, the newest first.
LATEST = 10
# Bins that a field offers while one types.
OFFERED = 500


@acts_for("issue_stock")
def putaway(request):
    """The goods to be put away at a site, bin by bin, with the bins that suit best."""
    sites = list(scoped(Site.objects.select_related("company"), request.user))
    # Goods are put away at the site whose page was sent, wherever more waits by now.
    sent = next((one for one in sites if one.code == request.POST.get("at")), None)
    site = sent or site_asked(request, sites) or busiest(sites)
    if site is None:
        return render(request, "inventory/putaway.html", {"queue": queue_of(OnHand.objects.none())})
    waiting, receipt = to_put_away([site]), _receipt(request)
    rows = waiting.filter(layer__receipt_line__receipt=receipt) if receipt else waiting
    tasks = tasks_of(site, rows)
    zones = sorted({task.way[0] for task in tasks if task.proposals and task.way[0]})
    zone = request.GET.get("zone", "")
    if zone in zones:
        tasks = [task for task in tasks if task.way[0] == zone]
    form = _form(request, site, _proposed(tasks))
    done = form.do(request, put_away, lambda _: PutAwayRequest(form.asked())) if _is_sent(request) else None
    if done:
        say_done(request, "Put away.", "undo-move", done)
        return redirect(request.get_full_path())
    queue = queue_of(rows)
    context = _context(request, form) | {
        "sites": sites if len(sites) > 1 else [],
        "queue": queue,
        "more": max(queue.count - MOST, 0),
        "receipt": receipt,
        "zones": zones,
        "zone": zone,
        "latest": _latest(site),
    }
    return render(request, "inventory/putaway.html", context, status=422 if form.errors else 200)


def _receipt(request) -> Receipt | None:
    """The receipt whose goods are asked for."""
    key = key_of(request.GET.get("receipt", ""))
    return scoped(Receipt.objects.all(), request.user).filter(pk=key).first() if key else None


def _proposed(tasks: Sequence[Task]) -> list[Going]:
    """A row for each bin that is proposed; goods without a proposal have one all the same."""
    rows = []
    for task in tasks:
        key = str(task.lies.pk)
        for number, best in enumerate(task.proposals or [None], 1):
            rows.append(Going(task.lies, key if number == 1 else f"{key}-{number}", best))
    return rows


def _form(request, site: Site, proposed: list[Going]) -> MovesForm:
    """The form of moves as it was sent, or as it is proposed."""
    rows = _sent(request, site) if request.method == "POST" else proposed
    form = MovesForm(request.POST or None, site=site, rows=rows, only=request.POST.get("only", ""))
    if "split" in request.POST:
        form.errors.clear()  # a further row is asked for; nothing goes yet
    return form


def _is_sent(request) -> bool:
    return request.method == "POST" and "split" not in request.POST


def _context(request, form: MovesForm) -> dict[str, Any]:
    """The form, its site, the bins on offer, and whether the person may move goods there."""
    site = form.site
    bins = Bin.objects.filter(site=site, blocked="").order_by("code")[:OFFERED]
    allowed = may(request.user, "issue_stock", site.company_id, site.pk)
    return {"form": form, "site": site, "bins": bins, "allowed": allowed}


def _sent(request, site: Site) -> list[Going]:
    """The rows that a form was sent with, and the one more that was asked for."""
    ends = ends_of(request.POST)
    known = lying(OnHand.objects.filter(bin__site=site)).in_bulk([key for key, _ in ends])
    rows = [Going(known[key], end) for key, end in ends if key in known]
    more = request.POST.get("split", "")
    place = max((place for place, row in enumerate(rows) if str(row.lies.pk) == more), default=None)
    if place is not None:
        taken = {row.end for row in rows}
        end = next(f"{more}-{number}" for number in range(2, len(rows) + 3) if f"{more}-{number}" not in taken)
        rows.insert(place + 1, Going(rows[place].lies, end))
    return rows


def _latest(site: Site):
    found = BinMove.objects.filter(site=site).select_related("moved_by", "history", "undone_by")
    return found.order_by("-pk")[:LATEST]


@acts_for("issue_stock")
def in_bin(request, bin_id: int):
    """The goods in a bin, and moving some of them."""
    found = scoped(Bin.objects.select_related("site__company", "home_of"), request.user, "site__company")
    bin = get_object_or_404(found, pk=bin_id)
    there = lying(OnHand.objects.filter(bin=bin, quantity__gt=0)).order_by("layer__item__code", "pk")
    page = page_of_rows(there, request.GET, 100)
    rows = [Going(one, str(one.pk)) for one in page.rows if one.status != Status.ON_WAY]
    form = _form(request, bin.site, rows)
    to = form.sent_to() if _is_sent(request) else None
    if to:
        day = timezone.localdate()
        made = form.do(request, send_goods, lambda _: form.sent(to, day))
        if made:
            messages.success(request, f"Sent to {to}: the goods are on their way.")
            return redirect("transfer", made)
    elif _is_sent(request):
        done = form.do(request, move_together, lambda _: MovesRequest(form.asked()))
        if done:
            say_done(request, "The goods lie there now.", "undo-move", done)
            return redirect("bin", bin.pk)
    on_way = [one for one in page.rows if one.status == Status.ON_WAY]
    context = _context(request, form) | {"bin": bin, "page": page, "on_way": on_way}
    return render(request, "inventory/bin.html", context, status=422 if form.errors else 200)


@form_for("issue_stock")
def undo_move(request, move_id: int):
    """Undo a move: its goods lie where they lay."""
    found = BinMove.objects.select_related("site", "history").filter(undone_by=None)
    record = get_object_or_404(scoped(found, request.user), pk=move_id)
    back = f"{reverse('putaway')}?site={record.site.code}"
    return reversal_page(request, f"Undo: {record.history.text}", undo, record, back)


@open_page
def scan(request):
    """The bin, or the rows of goods, that a scan names at a site. Answers JSON."""
    site = scoped(Site.objects.all(), request.user).filter(pk=key_of(request.GET.get("site", ""))).first()
    if site is None:
        return JsonResponse({"wrong": "This site is not yours.", "mend": "Reload the page."}, status=404)
    found = scanned(site, request.GET.get("scan", "")[:200])
    return JsonResponse(found, status=422 if "wrong" in found else 200)
