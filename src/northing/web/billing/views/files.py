"""A supplier's bill from a file: read, laid beside what is ours, and booked from there like any other."""

from dataclasses import dataclass
from decimal import Decimal
from urllib.parse import urlencode

from django import forms
from django.core import signing
from django.shortcuts import render
from django.urls import reverse
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.actions.orders.named_lines import lines_named
from northing.activity.documents import set_aside
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.formats.bill_files import COLUMNS, BillFile, BillFileLine, read_bill
from northing.reports.billable import Billable, Start, billable
from northing.web.billing.forms.goods import CAME, EXTRA_ROWS, GoodsBillForm
from northing.web.common.forms import ActionForm
from northing.web.common.permissions import form_for
from northing.web.common.uploads import read_upload


class FileForm(ActionForm):
    """A file to be read."""

    file = forms.FileField(label="UBL Invoice, CSV or XLSX")


@dataclass(frozen=True)
class Found:
    """The lines of a file with our order lines; those of which none fits stand apart."""

    lines: list[tuple[BillFileLine, Billable]]
    extras: list[BillFileLine]
    unknown: list[BillFileLine]


@form_for("book_bill")
def bill_file(request):
    """Read a supplier's bill from a file and show it beside what is ours."""
    form = FileForm(request.POST or None, request.FILES or None)
    if request.method == "POST" and form.is_valid():
        try:
            file = form.cleaned_data["file"]
            said = read_upload(file, read_bill)
            file.seek(0)
            came = signing.dumps([set_aside(file.read()), file.name[-120:]], salt=CAME)
            return _shown(request, said, came)
        except Refused as refused:
            form.take(refused)
    context = {"form": form, "columns": COLUMNS.items()}
    return render(request, "billing/bill_file.html", context, status=422 if form.errors else 200)


def _shown(request, said: BillFile, came: str):
    found = _found(said, companies_of(request.user))
    if not found.lines:
        raise Refused(Problem("No line of the file fits a line of an order.", "file", "Name orders and lines."))
    order = found.lines[0][1].line.order
    head = order.company_id, order.supplier_id, order.currency
    others = [one for _, one in found.lines if (one.line.order.company_id, one.line.order.supplier_id) != head[:2]]
    if others:
        raise Refused(Problem("The file bills goods of several companies or suppliers.", "file", "Split it."))
    if said.currency and said.currency != order.currency:
        what = f"The bill is in {said.currency}; {order.number} is in {order.currency}."
        raise Refused(Problem(what, "file", f"Ask for a bill in {order.currency}."))
    lines = list({one.line.pk: one for _, one in found.lines}.values())
    form = GoodsBillForm(lines=lines, initial=_initial(said, found) | {"came": came})
    words = zip(("company", "supplier", "currency"), head, strict=True)
    target = f"{reverse('supplier-bill')}?{urlencode([*words, ('lines', '.'.join(str(one.line.pk) for one in lines))])}"
    context = {"form": form, "order": order, "start": Start(), "lines": lines, "target": target}
    context["unknown"] = found.unknown + found.extras[EXTRA_ROWS:]
    return render(request, "billing/supplier_bill.html", context)


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
