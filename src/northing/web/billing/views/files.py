"""A supplier's bill or credit note from a file: read, laid beside what is ours, and booked like any other."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from urllib.parse import urlencode

from django import forms
from django.shortcuts import render
from django.urls import reverse
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.billing.models import Bill
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.formats.bill_files import COLUMNS, BillFile, BillFileLine, read_bill
from northing.masterdata.models import Party
from northing.orders.models import PurchaseOrder
from northing.orders.named_lines import lines_named
from northing.reports.billable import Billable, Start, billable
from northing.reports.creditable import From, creditable
from northing.reports.credited import credited_lines, fitting_amounts
from northing.web.billing.forms.charges import BillForm
from northing.web.billing.forms.credits import CreditForm
from northing.web.billing.forms.goods import EXTRA_ROWS, GoodsBillForm
from northing.web.billing.from_file import from_file, seller_of
from northing.web.billing.views.bills import latest_shipments
from northing.web.billing.views.papers import put_by
from northing.web.common.forms import ActionForm
from northing.web.common.permissions import form_for
from northing.web.common.uploads import read_upload


class FileForm(ActionForm):
    """A file to be read."""

    file = forms.FileField(label="UBL Invoice or CreditNote, CSV or XLSX")


@dataclass(frozen=True)
class Found:
    """The lines of a file with our order lines; those of which none fits stand apart."""

    lines: list[tuple[BillFileLine, Billable]]
    extras: list[BillFileLine]
    unknown: list[BillFileLine]


@form_for("book_bill")
def bill_file(request):
    """Read a supplier's bill or credit note from a file and show it beside what is ours."""
    form = FileForm(request.POST or None, request.FILES or None)
    if request.method == "POST" and form.is_valid():
        try:
            file = form.cleaned_data["file"]
            said = read_upload(file, read_bill)
            return _shown(request, said, put_by(file))
        except Refused as refused:
            form.take(refused)
    context = {"form": form, "columns": COLUMNS.items()}
    return render(request, "billing/bill_file.html", context, status=422 if form.errors else 200)


def _shown(request, said: BillFile, came: str):
    if said.credit:
        return _credit_shown(request, said, came)
    seller = seller_of(said)
    if seller is not None and seller.kind == Party.Kind.PROVIDER:
        return _charges_shown(request, said, seller, came)
    found = _found(said, companies_of(request.user))
    if not found.lines:
        raise Refused(Problem("No line of the file fits a line of an order.", "file", "Name orders and lines."))
    lines = list({one.line.pk: one for _, one in found.lines}.values())
    order = _one_head(said, [one.line.order for one in lines])
    form = GoodsBillForm(lines=lines, initial=_initial(said, found) | {"came": came})
    head = order.company_id, order.supplier_id, order.currency
    words = zip(("company", "supplier", "currency"), head, strict=True)
    target = f"{reverse('supplier-bill')}?{urlencode([*words, ('lines', '.'.join(str(one.line.pk) for one in lines))])}"
    context = {"form": form, "order": order, "start": Start(), "lines": lines, "target": target}
    context["unknown"] = found.unknown + found.extras[EXTRA_ROWS:]
    return render(request, "billing/supplier_bill.html", context)


def _charges_shown(request, said: BillFile, payee: Party, came: str):
    """A provider's bill as the form that is checked, its lines beside the estimates that they fit."""
    initial = from_file(request.user, said, payee) | {"kind": Bill.Kind.BILL, "came": came}
    form = BillForm(person=request.user, rows=int(str(initial["rows"])), initial=initial)
    context = {"form": form, "latest": latest_shipments(request.user)}
    return render(request, "billing/new_bill.html", context)


def _one_head(said: BillFile, orders: Sequence[PurchaseOrder]) -> PurchaseOrder:
    """The order by which the paper's company, supplier and currency are known. Raises Refused where there are more."""
    order = orders[0]
    if {(one.company_id, one.supplier_id) for one in orders} != {(order.company_id, order.supplier_id)}:
        raise Refused(Problem("The file is about goods of several companies or suppliers.", "file", "Split it."))
    if said.currency and said.currency != order.currency:
        what = f"The paper is in {said.currency}; {order.number} is in {order.currency}."
        raise Refused(Problem(what, "file", f"Ask for one in {order.currency}."))
    return order


def _credit_shown(request, said: BillFile, came: str):
    """A credit note from a file beside what it may credit."""
    companies = companies_of(request.user)
    lines = credited_lines(said, companies)
    if not lines:
        mend = "Name the orders and lines, or the bill that it corrects."
        raise Refused(Problem("No line of the credit note fits goods of an order.", "file", mend))
    order = _one_head(said, [one.order for one in lines])
    start = From(order.company_id, order.supplier_id, order.currency, lines=tuple(one.pk for one in lines))
    known = creditable(start)
    amounts, unknown = fitting_amounts(said, known)
    initial: dict[str, object] = {f"amount-{one.key}": _shown_figure(amounts.get(one.key)) for one in known}
    initial |= {"bill_number": said.number, "day": said.day or timezone.localdate(), "came": came}
    initial |= {"total": _shown_figure(said.total), "tax": _shown_figure(said.tax or None)}
    target = f"{reverse('credit-note')}?lines={'.'.join(map(str, start.lines))}"
    context = {"form": CreditForm(start=start, lines=known, initial=initial), "start": start, "lines": known}
    context |= {"supplier": order.supplier, "target": target, "unknown": unknown}
    return render(request, "billing/credit_note.html", context)


def _found(said: BillFile, companies) -> Found:
    goods = [one for one in said.lines if not one.kind]
    keys = lines_named(goods)
    known = {one.line.pk: one for one in billable(Start(), companies, [key for key in keys if key])}
    fitting = [(one, known[key]) for one, key in zip(goods, keys, strict=True) if key in known]
    unknown = [one for one, key in zip(goods, keys, strict=True) if key not in known]
    return Found(fitting, [one for one in said.lines if one.kind], unknown)


def _initial(said: BillFile, found: Found) -> dict[str, object]:
    """What the form begins with: the figures of the file."""
    initial: dict[str, object] = {
        "bill_number": said.number,
        "day": said.day or timezone.localdate(),
        "due_on": said.due_on,
        "total": _shown_figure(said.total),
        "tax": _shown_figure(said.tax or None),
    }
    units: dict[int, Decimal] = {}
    for line, one in found.lines:
        end = f"l{one.line.pk}"
        units[one.line.pk] = units.get(one.line.pk, Decimal(0)) + (line.quantity or Decimal(0))
        price = line.price
        if price is None and line.amount is not None and line.quantity:
            price = round(line.amount * one.line.pack_factor / line.quantity, 10)
        initial |= {f"quantity-{end}": plain(units[one.line.pk]), f"price-{end}": _shown_figure(price)}
    for row, line in enumerate(found.extras[:EXTRA_ROWS]):
        initial |= {f"kind-x{row}": line.kind, f"amount-x{row}": _shown_figure(line.amount)}
        initial[f"remark-x{row}"] = line.remark
    return initial


def _shown_figure(value: Decimal | None) -> str:
    return "" if value is None else plain(value)
