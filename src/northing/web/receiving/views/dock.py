"""The dock's day: what comes when, and its sheet."""

from pathlib import Path
from urllib.parse import urlencode

from django.db.models import F
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.inventory.models import Transfer, TransferLine
from northing.masterdata.models import Site
from northing.receiving.models import Receipt
from northing.reports.dock_day import counts, delivery_rows, expected, windows
from northing.reports.dock_sheet import dock_sheet
from northing.reports.putaway import to_put_away
from northing.web.common.paging import page_of, page_of_rows
from northing.web.common.permissions import open_page
from northing.web.common.sites import site_asked
from northing.web.receiving.found import deliveries_found, is_label, receipts_found, words_of
from northing.web.receiving.queries import named_receipts, sent_here

# A scanned label is longer than any words.
LONGEST = 200
# Two lists share the page.
ROWS = 50
# A way to goods without an order for each of them; with more sites one chooses the site first.
MOST_SITES = 3
# Deliveries of one sheet; it says itself of how many lines there was no room.
SHEET_ROWS = 200
WINDOWS = {"overdue": "Overdue", "today": "Today", "week": "Next 7 days", "later": "Later", "unplanned": "Not planned"}


@open_page
def dock(request):
    """The day of the dock: what comes when, and the latest receipts; both by whatever the paper shows."""
    today = timezone.localdate()
    asked, deliveries, taken, sites = _asked(request)
    words = words_of(asked["q"])
    scan = asked["q"] if words and is_label(asked["q"]) else ""
    unordered = [asked["site"]] if asked["site"] else sites if len(sites) <= MOST_SITES else []
    if scan and not deliveries.exists() and len(unordered) == 1 and _receives(request, unordered[0]):
        # Nothing that is expected is of these goods: they came without an order.
        return redirect(f"{reverse('receive-unordered', args=[unordered[0].pk])}?{urlencode({'scan': scan})}")
    counted = counts(deliveries, today)
    if asked["when"] in WINDOWS:
        deliveries = deliveries.filter(windows(today)[asked["when"]])
    page = page_of(lambda first, past: delivery_rows(deliveries, today, first, past), request.GET, ROWS)
    receipts = page_of_rows(taken.order_by("-pk"), request.GET, 20, name="receipts")
    named_receipts(receipts.rows)
    context = {
        "asked": asked,
        "sites": sites if len(sites) > 1 else [],
        "windows": [(name, label, counted[name]) for name, label in WINDOWS.items()],
        "all": sum(counted.values()),
        "rows": page.rows,
        "page": page,
        "receipts": receipts,
        "unordered": unordered,
        "scan": scan,
        "putaway": to_put_away([asked["site"]] if asked["site"] else sites).count(),
        "on_way": _on_way(asked["site"] or None, sites),
        "others": [] if words else sent_here(request.user),
    }
    return render(request, "receiving/dock.html", context)


def _on_way(site: Site | None, sites: list[Site]) -> list[Transfer]:
    """What other sites of the company sent here and has not arrived."""
    open_lines = TransferLine.objects.filter(transfer__target__in=[site] if site else sites, ended__lt=F("quantity"))
    found = Transfer.objects.filter(pk__in=open_lines.values("transfer")).select_related("source", "target", "history")
    return list(found.order_by("pk"))


def _receives(request, site: Site) -> bool:
    return may(request.user, "receive", site.company_id, site.pk)


@open_page
def sheet(request):
    """The dock's sheet of what the dock's page shows, as a PDF."""
    today = timezone.localdate()
    asked, deliveries, _, _ = _asked(request)
    if asked["when"] in WINDOWS:
        deliveries = deliveries.filter(windows(today)[asked["when"]])
    rows = delivery_rows(deliveries, today, 0, SHEET_ROWS)
    site, when = asked["site"] or "All sites", WINDOWS.get(asked["when"], "all days").lower()
    words = f"{site}, {when}, as of {today:%-d %b %Y}" + (f", “{asked['q']}”" if asked["q"] else "")
    answer = HttpResponse(dock_sheet(rows, words, deliveries.count() - len(rows)), content_type="application/pdf")
    answer["Content-Disposition"] = f'inline; filename="dock-sheet-{today:%Y-%m-%d}.pdf"'
    return answer


def _asked(request):
    """What is asked for, the deliveries and the receipts that it means whatever their day, and the person's sites."""
    sites = list(scoped(Site.objects.all(), request.user))
    site = site_asked(request, sites)
    deliveries = expected([site.pk] if site else [one.pk for one in sites])
    taken = scoped(Receipt.objects.select_related("container", "site", "received_by"), request.user)
    taken = taken.filter(site=site) if site else taken
    asked = {"q": request.GET.get("q", "").strip()[:LONGEST], "when": request.GET.get("when", ""), "site": site}
    words = words_of(asked["q"])
    if words:
        deliveries, taken = deliveries_found(deliveries, words), receipts_found(taken, words)
    return asked, deliveries, taken, sites


WORKER = Path(__file__).resolve().parent.parent / "static" / "receiving" / "worker.js"


@open_page
def worker(request):
    """The script that keeps the dock's pages on a phone; it must lie where they do."""
    answer = HttpResponse(WORKER.read_text(), content_type="text/javascript; charset=utf-8")
    answer["Cache-Control"] = "no-cache"
    return answer
