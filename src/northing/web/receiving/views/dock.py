"""The dock's day: what comes when, and its sheet."""

import uuid
from functools import partial
from pathlib import Path
from urllib.parse import urlencode

from django.db.models import F, Sum
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.inventory.models import Transfer, TransferLine
from northing.jobs import jobs
from northing.masterdata.models import Site
from northing.receiving.models import Receipt
from northing.reports.dock_day import counts, delivery_rows
from northing.reports.dock_groups import order_rows, pallet_rows, shipment_rows
from northing.reports.putaway import to_put_away
from northing.web.common.forms import act_of
from northing.web.common.paging import page_of, page_of_rows
from northing.web.common.permissions import open_page, own_page
from northing.web.common.sites import site_asked
from northing.web.receiving.asked import WINDOWS, Deliveries, of_form, sites_of
from northing.web.receiving.found import is_label, receipts_found, words_of
from northing.web.receiving.queries import named_receipts, sent_here

# Two lists share the page.
ROWS = 50
# A way to goods without an order for each of them; with more sites one chooses the site first.
MOST_SITES = 3
# Lines of a sheet that is made at once: a dozen take a second.
AT_ONCE_LINES = 12
# What the day is listed by, other than by its deliveries.
GROUPS = {"shipments": shipment_rows, "orders": order_rows, "pallets": pallet_rows}


@open_page
def dock(request):
    """The day of the dock: what comes when, and the latest receipts; both by whatever the paper shows."""
    today, sites = timezone.localdate(), sites_of(request.user)
    site = site_asked(request, sites)
    asked = of_form(request.GET, site)
    named, taken = asked.named(sites), _taken(request, asked, site)
    words = words_of(asked.words)
    scan = asked.words if words and is_label(asked.words) else ""
    unordered = [site] if site else sites if len(sites) <= MOST_SITES else []
    if scan and not named.exists() and len(unordered) == 1 and _receives(request, unordered[0]):
        # Nothing that is expected is of these goods: they came without an order.
        return redirect(f"{reverse('receive-unordered', args=[unordered[0].pk])}?{urlencode({'scan': scan})}")
    counted, by = counts(named, today), request.GET.get("by", "")
    find = partial(GROUPS.get(by, delivery_rows), asked.of(sites, today), today)
    page = page_of(find, request.GET, ROWS)
    receipts = page_of_rows(taken.order_by("-pk"), request.GET, 20, name="receipts")
    named_receipts(receipts.rows)
    context = {
        "asked": asked,
        "site": site,
        "sites": sites if len(sites) > 1 else [],
        "windows": [(name, label, counted[name]) for name, label in WINDOWS.items()],
        "all": sum(counted.values()),
        "by": by if by in GROUPS else "",
        "ways": [("", "containers and orders"), *((name, name) for name in GROUPS)],
        "rows": page.rows,
        "page": page,
        "receipts": receipts,
        "unordered": unordered,
        "scan": scan,
        "putaway": to_put_away([site] if site else sites).count(),
        "on_way": _on_way(site, sites),
        "told": sum(one.told for one in sites if site in (None, one)),
        "others": [] if words else sent_here(request.user),
    }
    return render(request, "receiving/dock.html", context)


def _taken(request, asked: Deliveries, site: Site | None):
    """The receipts that the words mean."""
    taken = scoped(Receipt.objects.select_related("container", "site", "received_by"), request.user)
    taken = taken.filter(site=site) if site else taken
    words = words_of(asked.words)
    return receipts_found(taken, words) if words else taken


def _on_way(site: Site | None, sites: list[Site]) -> list[Transfer]:
    """Transfers from other sites of the company that have not arrived yet."""
    open_lines = TransferLine.objects.filter(transfer__target__in=[site] if site else sites, ended__lt=F("quantity"))
    found = Transfer.objects.filter(pk__in=open_lines.values("transfer")).select_related("source", "target", "history")
    return list(found.order_by("pk"))


def _receives(request, site: Site) -> bool:
    return may(request.user, "receive", site.company_id, site.pk)


@own_page
@require_POST
def sheet(request):
    """The dock's sheet of what the page shows, up to a day, or as picked, as a PDF; a long one is for the worker."""
    today, sites = timezone.localdate(), sites_of(request.user)
    asked = of_form(request.POST, site_asked(request, sites))
    lines = asked.of(sites, today).aggregate(lines=Sum("lines"))["lines"] or 0
    act, title = act_of(request, uuid.uuid4().hex), f"Dock sheet: {asked.title(today)}"
    kept = asked.as_request() | {"today": today.isoformat()}
    job = jobs.begin(act, "dock_sheet", title, kept, lines, reverse("dock"), lines > AT_ONCE_LINES)
    if lines > AT_ONCE_LINES:
        return redirect("job", job.pk)
    jobs.run(job.pk)
    return redirect("job-file", job.pk)


WORKER = Path(__file__).resolve().parent.parent / "static" / "receiving" / "worker.js"


@open_page
def worker(request):
    """The script that keeps the dock's pages on a phone; it must lie where they do."""
    answer = HttpResponse(WORKER.read_text(), content_type="text/javascript; charset=utf-8")
    answer["Cache-Control"] = "no-cache"
    return answer
