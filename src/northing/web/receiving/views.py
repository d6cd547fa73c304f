"""Dock: what is expected, receiving a container, a receipt and its reversal."""

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.actions.receiving import receive as receive_action
from northing.actions.receiving import reverse
from northing.ledger.models import CostLayer
from northing.ledger.queries import posting_note
from northing.masterdata.models import Site
from northing.orders.models import PurchaseOrder
from northing.receiving.models import Receipt
from northing.receiving.queries import noted_before
from northing.reports.dock_day import counts, delivery_rows, expected, windows
from northing.reports.dock_sheet import dock_sheet
from northing.shipping.models import Container
from northing.web.common.history import history_for
from northing.web.common.paging import page_of, page_of_rows
from northing.web.common.permissions import acts_for, form_for, open_page
from northing.web.common.reversals import ReasonForm, say_done
from northing.web.receiving.forms import MOST_ROWS, ReceiveForm
from northing.web.receiving.found import deliveries_found, receipts_found, words_of
from northing.web.receiving.parts import Part
from northing.web.receiving.queries import named_receipts, parts_of_container, parts_of_order, sent_here

# Two lists share the page.
ROWS = 50
# Deliveries of one sheet; it says itself of how many lines there was no room.
SHEET_ROWS = 200
WINDOWS = {"overdue": "Overdue", "today": "Today", "week": "Next 7 days", "later": "Later", "unplanned": "Not planned"}


@open_page
def dock(request):
    """The day of the dock: what comes when, and the latest receipts; both by whatever the paper shows."""
    today = timezone.localdate()
    asked, deliveries, taken, sites = _asked(request)
    words = words_of(asked["q"])
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
        "others": [] if words else sent_here(request.user),
    }
    return render(request, "receiving/dock.html", context)


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
    site = _site_asked(request, sites)
    deliveries = expected([site.pk] if site else [one.pk for one in sites])
    taken = scoped(Receipt.objects.select_related("container", "site", "received_by"), request.user)
    taken = taken.filter(site=site) if site else taken
    asked = {"q": request.GET.get("q", "").strip()[:80], "when": request.GET.get("when", ""), "site": site}
    words = words_of(asked["q"])
    if words:
        deliveries, taken = deliveries_found(deliveries, words), receipts_found(taken, words)
    return asked, deliveries, taken, sites


def _site_asked(request, sites: list[Site]) -> Site | None:
    """The site that is asked for, else the last one; none for all of them, and where there is one only."""
    codes = {site.code: site for site in sites}
    said = request.GET.get("site")
    if said is not None and (said in codes or not said):
        request.session["dock_site"] = said
    return codes.get(request.session.get("dock_site", "")) if len(sites) > 1 else None


@form_for("receive")
def receive(request, container_id: int, site_id: int):
    """Receive a container's goods for a site: all at once, or line by line."""
    site = get_object_or_404(scoped(Site.objects.select_related("company"), request.user), pk=site_id)
    box = get_object_or_404(Container.objects.select_related("shipment"), pk=container_id)
    context = {"box": box, "site": site, "from": box.number}
    return _receive(request, site, parts_of_container(box, site), box.pk, context)


@form_for("receive")
def receive_order(request, order_id: int):
    """Receive goods that come unpacked against an order, the oldest instalments first."""
    found = scoped(PurchaseOrder.objects.select_related("supplier", "site__company"), request.user)
    order = get_object_or_404(found.exclude(sent_at=None), pk=order_id)
    context = {"order": order, "site": order.site, "from": f"order {order.number}"}
    return _receive(request, order.site, parts_of_order(order), None, context)


def _receive(request, site: Site, parts: list[Part], container: int | None, context: dict):
    _count_rows(request, parts)
    form = ReceiveForm(request.POST or None, parts=parts, site=site, initial={"occurred_on": timezone.localdate()})
    if request.method == "POST" and request.POST.get("split"):
        form.errors.clear()  # a further row is asked for; nothing is received yet
    elif request.method == "POST":
        done = form.do(request, receive_action.receive, lambda _: form.asked(container))
        if done:
            note = posting_note([site.company_id], form.cleaned_data["occurred_on"])
            made = Receipt.objects.get(pk=done)
            words = f"Received{note} as {made}. Stock, costs and positions are up to date."
            if before := noted_before(made):
                messages.warning(request, receive_action.note_words(before))
            if may(request.user, "reverse_receipt", site.company_id):
                say_done(request, words, "receipt", done)
            else:
                messages.success(request, words)
            return redirect("receipt", done)
    context |= {"form": form, "allowed": may(request.user, "receive", site.company_id), "parts": parts}
    return render(request, "receiving/receive.html", context, status=422 if form.errors else 200)


def _count_rows(request, parts: list[Part]) -> None:
    """In how many lots or bins each part came, one more where that is asked for."""
    for part in parts:
        said = request.POST.get(f"rows-{part.key}", "")
        part.rows = int(said) if said.isascii() and said.isdigit() and len(said) < 3 else 1
        part.rows += request.POST.get("split") == part.key
        part.rows = max(1, min(part.rows, MOST_ROWS))


@acts_for("reverse_receipt")
def receipt(request, receipt_id: int):
    """A receipt: what came, what it cost, and the way back."""
    found = Receipt.objects.select_related("container__shipment", "site", "company", "received_by", "reversed_by")
    record = get_object_or_404(scoped(found, request.user), pk=receipt_id)
    form = ReasonForm(request.POST or None)
    if request.method == "POST" and form.do(request, reverse.reverse_receipt, form.reversing(record.pk)):
        messages.success(request, "The receipt is reversed: units and costs are where they were before.")
        return redirect("receipt", record.pk)
    lines = record.lines.select_related("instalment__line__item", "instalment__line__order", "bin").order_by("pk")
    layers = CostLayer.objects.filter(receipt_line__receipt=record, kind="stock").select_related("item")
    context = {
        "receipt": record,
        "lines": lines,
        "layers": {layer.receipt_line_id: layer for layer in layers},
        "form": form,
        "allowed": may(request.user, "reverse_receipt", record.company_id),
        "history": _story(request, record, lines),
    }
    return render(request, "receiving/receipt.html", context, status=422 if form.errors else 200)


def _story(request, record: Receipt, lines):
    """That of its container; of what came unpacked that of its order."""
    if record.container_id:
        return history_for(request, "container", record.container_id)
    return history_for(request, "order", lines[0].instalment.line.order_id)
