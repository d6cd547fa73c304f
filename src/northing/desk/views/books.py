"""Look back: stock with its layers, the ledger, the trial balance; and what is owned and not billed."""

from django.contrib import messages
from django.db.models import Q, Sum
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.core.exact import plain
from northing.costing.models import Charge
from northing.deeds.agree import supplying
from northing.deeds.land import issuing
from northing.desk.forms.base import say_errors
from northing.desk.forms.dock import IssueForm
from northing.desk.forms.suppliers import DelayForm
from northing.desk.queries.paging import page_of, page_of_rows
from northing.desk.queries.story import told
from northing.directory.models import Company, Item, Site
from northing.directory.queries import scoped
from northing.directory.rights import companies_of
from northing.drawings.figures import count
from northing.ledger.models import Account, CostLayer, Entry, Posting
from northing.ledger.queries import posting_note
from northing.orders.models import OrderLine
from northing.reports.stock import stock_rows

SHOWN = 200


def look_back(request):
    """Where to look back from."""
    return render(request, "desk/look_back.html")


def stock(request):
    """Stock by item."""
    text = request.GET.get("q", "").replace("\x00", "").strip()[:60]
    mine = companies_of(request.user)
    page = page_of(lambda first, past: stock_rows(mine, text, first, past), request.GET)
    return render(request, "desk/stock.html", {"rows": page.rows, "page": page, "q": text})


def item(request, item_id: int):
    """An item: its layers, what comes, and issuing some of it."""
    record = get_object_or_404(Item.objects.prefetch_related("packs"), pk=item_id)
    mine = companies_of(request.user)
    sites = scoped(Site.objects.all(), request.user)
    form = IssueForm(request.POST or None, sites=sites, initial={"occurred_on": timezone.localdate()})
    if request.method == "POST" and form.do(request, issuing.issue_stock, lambda _: form.asked(record.pk)):
        note = posting_note([form.cleaned_data["site"].company_id], form.cleaned_data["occurred_on"])
        messages.success(request, f"Issued{note}.")
        return redirect("item", record.pk)
    layers = CostLayer.objects.filter(item=record, company__in=mine, kind="stock", received__gt=0)
    layers = layers.select_related("company", "site").prefetch_related("on_hand__bin").order_by("occurred_on", "pk")
    lines = OrderLine.objects.filter(item=record, order__company__in=mine, standing__is_open=True)
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
        "coming": lines.select_related("order__supplier", "standing").order_by("standing__expected_on")[:SHOWN],
        "form": form,
        "delay_form": DelayForm(initial={"cost": plain(record.delay_cost)}),
        "story": told(request, "item", record.pk),
    }
    return render(request, "desk/item.html", context, status=422 if form.errors else 200)


@require_POST
def delay_cost(request, item_id: int):
    """Say what a day's delay of an item costs."""
    record, form = get_object_or_404(Item, pk=item_id), DelayForm(request.POST)

    def asked(entered: dict) -> supplying.DelayRequest:
        return supplying.DelayRequest(record.pk, entered["cost"])

    if form.do(request, supplying.set_delay_cost, asked):
        messages.success(request, "Kept: what waits for it weighs more on the Watch.")
    say_errors(request, form)
    return redirect("item", record.pk)


def ledger(request):
    """Entries, newest first."""
    mine = companies_of(request.user)
    ids = Posting.objects.filter(company__in=mine)
    account = request.GET.get("account", "")
    if account in Account.values:
        ids = ids.filter(account=account)
    company = request.GET.get("company", "")
    if company:
        ids = ids.filter(company__code=company[:8])
    found = Entry.objects.filter(pk__in=ids.values("entry")).select_related("actor").order_by("-posted_on", "-pk")
    page = page_of_rows(found, request.GET)
    context = {"entries": page.rows, "page": page, "account": account, "accounts": Account.choices}
    return render(request, "desk/ledger.html", context)


def entry(request, entry_id: int):
    """One entry with its postings."""
    mine = companies_of(request.user)
    seen = Q(postings__company__in=mine) | Q(postings=None)
    found = Entry.objects.filter(seen).distinct().select_related("actor", "story", "reverses")
    record = get_object_or_404(found, pk=entry_id)
    postings = record.postings.filter(company__in=mine).select_related(
        "company", "order_line__order", "charge", "layer__item"
    )
    return render(request, "desk/entry.html", {"entry": record, "postings": postings.order_by("company", "pk")})


def trial_balance(request):
    """Each company's accounts; they sum to zero."""
    sheets = []
    for company in scoped(Company.objects.all(), request.user, "pk"):
        totals = dict(Posting.objects.filter(company=company).values_list("account").annotate(Sum("amount")))
        rows = [
            {"code": code, "name": name, "amount": totals[code]} for code, name in Account.choices if totals.get(code)
        ]
        sheets.append({"company": company, "rows": rows, "total": sum(row["amount"] for row in rows)})
    return render(request, "desk/trial_balance.html", {"sheets": sheets})


def bills(request):
    """Provider bills as booked, and goods owned and not billed yet, line by line."""
    mine = companies_of(request.user)
    booked = Charge.objects.filter(billed__isnull=False, parts__company__in=mine).distinct()
    owned = Posting.objects.filter(account=Account.OWNED_NOT_BILLED, company__in=mine)
    owned = owned.values("order_line", "company__currency", "order_line__order__currency").annotate(
        base=Sum("amount"), foreign=Sum("foreign_amount")
    )
    page = page_of_rows(owned.exclude(base=0).order_by("base", "order_line"), request.GET)
    rows = page.rows
    lines = OrderLine.objects.select_related("order__supplier", "item").in_bulk([row["order_line"] for row in rows])
    for row in rows:
        row["line"] = lines[row["order_line"]]
    context = {"booked": booked.select_related("payee").order_by("-billed_on", "-pk")[:SHOWN], "owned": rows}
    return render(request, "desk/bills.html", context | {"page": page})
