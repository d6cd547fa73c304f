"""Stock by item, and an item with its layers."""

from decimal import Decimal
from urllib.parse import urlencode

from django.contrib import messages
from django.db.models import Sum
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.actions.inventory import issue
from northing.actions.inventory.adjust import adjust_stock
from northing.actions.inventory.adjust import reverse_adjustment as undo_adjustment
from northing.actions.inventory.move import move_goods
from northing.actions.masterdata.reverse_opening import reverse_opening as undo_opening
from northing.core.money.exact import plain
from northing.drawings.figures import count
from northing.inventory.models import OnHand, Opening, StockCount, StockIssue
from northing.ledger.models import CostLayer
from northing.ledger.queries import CAME, posting_note
from northing.masterdata.models import Bin, Item, Site
from northing.orders.models import OrderLine
from northing.reports.item_duty import item_duties
from northing.reports.stock import stock_rows
from northing.web.common.addresses import address_of
from northing.web.common.history import history_for
from northing.web.common.paging import page_of, page_of_keys, page_of_rows
from northing.web.common.permissions import acts_for, form_for, open_page
from northing.web.common.reversals import reversal_page, say_done
from northing.web.inventory.forms.goods import AdjustForm, IssueForm, MoveForm
from northing.web.inventory.forms.lying import LyingForm
from northing.web.masterdata.forms.items import DelayForm

# What is on its way is added up for each of them.
ROWS = 40

# Rows of what is shown at once.
SHOWN = 200


@open_page
def stock(request):
    """Stock by item."""
    text = request.GET.get("q", "").replace("\x00", "").strip()[:60]
    mine = companies_of(request.user)
    page = page_of(lambda first, past: stock_rows(mine, text, first, past), request.GET, ROWS)
    for row in page.rows:
        row["places"] = _places(row)
    return render(request, "inventory/stock.html", {"rows": page.rows, "page": page, "q": text})


# Where units of an item are: what it is called, the figure, and the words of the line book or the state in bins.
PLACES = (
    ("with the supplier", "on_order", "units with supplier"),
    ("packed, not departed", "packed", "units packed"),
    ("under way, not ours yet", "afloat", "units under way"),
    ("under way, ours", "afloat_ours", "units under way"),
    ("landed, not received", "landed", "units landed"),
    ("held", "held", ""),
    ("in store", "in_store", ""),
    ("rejected", "rejected", ""),
    ("between sites", "on_way", ""),
)


def _places(row: dict) -> list[tuple[str, Decimal, str]]:
    """Each place with its units and the address of its lines."""
    lines, bins = reverse("lines"), reverse("lying")
    found = []
    for words, name, phrase in PLACES:
        asked = {"where": f'open, of "{row["code"]}", {phrase}'} if phrase else {"q": row["code"], "status": name}
        found.append((words, row[name], f"{lines if phrase else bins}?{urlencode(asked)}"))
    return found


@open_page
def lying(request):
    """The goods in bins, bin by bin: by item, lot, serial number, pallet, bin, site and state."""
    form = LyingForm(request.GET, request.user)
    told = ("bin__site", "layer__item", "layer__receipt_line")
    page = page_of_keys(form.rows(), request.GET, wide=OnHand.objects.select_related(*told))
    context = {"form": form, "rows": page.rows, "page": page}
    return render(request, "inventory/lying.html", context, status=422 if form.errors else 200)


@acts_for("issue_stock")
def item(request, item_id: int):
    """An item: its layers, what comes, and issuing some of it."""
    record = get_object_or_404(Item.objects.prefetch_related("packs"), pk=item_id)
    mine = companies_of(request.user)
    sites = scoped(Site.objects.all(), request.user)
    start = {"occurred_on": timezone.localdate()}
    form = IssueForm(request.POST or None, sites=sites, initial=start, numbered=record.keeps_serial)
    done = form.do(request, issue.issue_stock, lambda _: form.asked(record.pk)) if request.method == "POST" else None
    if done:
        note = posting_note([form.cleaned_data["site"].company_id], form.cleaned_data["occurred_on"])
        say_done(request, f"Issued{note}.", "take-back-issue", done)
        return redirect("item", record.pk)
    layers = CostLayer.objects.filter(CAME, item=record, company__in=mine, received__gt=0)
    layers = layers.select_related("company", "site").prefetch_related("on_hand__bin").order_by("occurred_on", "pk")
    lines = OrderLine.objects.filter(item=record, order__company__in=mine, summary__is_open=True)
    shown = list(layers[:SHOWN])
    for layer in shown:
        layer.lies = [
            f"{count(row.quantity)} {row.get_status_display().lower()} in {row.bin}"
            for row in layer.on_hand.all()
            if row.quantity
        ]
    context = {
        "item": record,
        "layers": shown,
        "coming": lines.select_related("order__supplier", "summary").order_by("summary__expected_on")[:SHOWN],
        "form": form,
        "issues": page_of_rows(_issues(record, mine), request.GET, 20, name="issues"),
        "duties": item_duties(record, mine, timezone.localdate()),
        "delay_form": DelayForm(initial={"cost": plain(record.delay_cost)}),
        "history": history_for(request, "item", record.pk),
    }
    return render(request, "inventory/item.html", context, status=422 if form.errors else 200)


def _issues(item: Item, companies: set[int]):
    """Issues of an item, the newest first, each with its cost."""
    found = StockIssue.objects.filter(item=item, company__in=companies).select_related("company", "site", "issued_by")
    return found.annotate(cost=Sum("lines__cost")).order_by("-pk")


@form_for("issue_stock")
def take_back_issue(request, issue_id: int):
    """Take a stock issue back: its units return to their bins, at their cost with the late costs since."""
    rows = StockIssue.objects.select_related("item").filter(reversed_by=None)
    record = get_object_or_404(scoped(rows, request.user), pk=issue_id)
    units = f"{count(record.quantity)} {record.item.unit} of {record.item.code}"
    title = f"Reverse the issue of {units} for {record.purpose}"
    return reversal_page(request, title, issue.take_back_issue, record, address_of("item", record.item_id))


@form_for("adjust_stock")
def adjust(request, item_id: int):
    """Enter the count of an item in a bin: stock and books follow."""
    record = get_object_or_404(Item, pk=item_id)
    bins = Bin.objects.filter(site__in=scoped(Site.objects.all(), request.user)).select_related("site")
    start = {"occurred_on": timezone.localdate(), "bin": request.GET.get("bin"), "lot": request.GET.get("lot", "")}
    form = AdjustForm(request.POST or None, bins=bins.order_by("site", "code"), item=record, initial=start)
    done = form.do(request, adjust_stock, lambda _: form.asked(record.pk)) if request.method == "POST" else None
    if done:
        say_done(request, "Adjusted: stock is what was counted.", "reverse-adjustment", done)
        return redirect("item", record.pk)
    context = {"title": f"Count {record}", "button": "Adjust to the count", "form": form}
    context["back"] = address_of("item", record.pk)
    return render(request, "common/simple_form.html", context, status=422 if form.errors else 200)


@form_for("adjust_stock")
def reverse_adjustment(request, count_id: int):
    """Undo an adjustment: units lie where they lay."""
    rows = StockCount.objects.select_related("item", "bin").filter(reversed_by=None)
    record = get_object_or_404(scoped(rows, request.user), pk=count_id)
    title = f"Reverse the count of {record.item.code} in {record.bin}"
    return reversal_page(request, title, undo_adjustment, record, address_of("item", record.item_id))


@form_for("begin")
def reverse_opening(request, opening_id: int):
    """Undo an opening: goods that a company began with by mistake."""
    record = get_object_or_404(scoped(Opening.objects.all(), request.user), pk=opening_id)
    back = address_of("layer", record.layer_id) or reverse("stock")
    return reversal_page(request, "Reverse an opening", undo_opening, record, back)


@form_for("issue_stock")
def move(request, layer_id: int):
    """Move goods of a layer to another bin, also of another site."""
    found = CostLayer.objects.select_related("item", "company", "site")
    layer = get_object_or_404(scoped(found, request.user), pk=layer_id)
    lies = layer.on_hand.filter(quantity__gt=0).select_related("bin__site").order_by("pk")
    bins = Bin.objects.filter(site__in=scoped(Site.objects.filter(company=layer.company_id), request.user))
    bins = bins.select_related("site").order_by("site", "code")
    form = MoveForm(request.POST or None, lies=lies, bins=bins, numbered=layer.item.keeps_serial)
    if request.method == "POST" and form.do(request, move_goods, lambda _: form.asked(layer.pk)):
        messages.success(request, "The goods lie there now.")
        return redirect("layer", layer.pk)
    context = {"title": f"Move {layer.item}", "button": "Move", "form": form, "back": address_of("layer", layer.pk)}
    return render(request, "common/simple_form.html", context, status=422 if form.errors else 200)
