"""Goods set aside by hand, all of a receipt or an order sent back, and the returns that were made."""

import tempfile
from decimal import Decimal
from pathlib import Path

from django.contrib import messages
from django.db.models import Q, Sum
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.actions.claims.return_all import layers_of, return_all, reverse_all
from northing.actions.claims.set_aside import set_aside, take_back
from northing.claims.models import Claim, GoodsReturn
from northing.core.money.exact import plain
from northing.formats.debit_note import DebitNote, debit_note_xml
from northing.ledger.models import CostLayer
from northing.ledger.queries import CAME
from northing.orders.models import PurchaseOrder
from northing.receiving.models import Receipt
from northing.reports.debit_notes import RELATED, debit_of_case, debit_of_return, debit_paper
from northing.reports.goods_returns import (
    COLUMNS,
    notes_of,
    return_advice,
    return_paper,
    return_rows,
    returns_of,
    write_returns,
)
from northing.web.claims.forms import ReturnAllForm, SetAsideForm
from northing.web.common.addresses import address_of
from northing.web.common.keys import key_of
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import form_for, open_page
from northing.web.common.reversals import reversal_page, say_done
from northing.web.common.tables import csv_file

SHEET = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
STATES = ("in_store", "held", "rejected")


@form_for("return_goods")
def aside(request, layer_id: int):
    """Open a case for units of a layer that lie in store."""
    found = CostLayer.objects.select_related("item", "site", "company", "receipt_line__receipt")
    found = found.filter(CAME, shipment_line__isnull=False)
    layer = get_object_or_404(scoped(found, request.user), pk=layer_id)
    rows = layer.on_hand.filter(status="in_store").aggregate(units=Sum("quantity"))
    there = rows["units"] or Decimal(0)
    start = {"occurred_on": timezone.localdate(), "quantity": plain(there)}
    form = SetAsideForm(request.POST or None, initial=start, numbered=layer.item.keeps_serial)
    if request.method == "POST":
        made = form.do(request, set_aside, lambda _: form.asked(layer.pk))
        if made:
            say_done(request, "They are set aside, and a case is opened.", "take-back-case", made)
            return redirect("case", made)
    context = {"layer": layer, "there": there, "form": form}
    return render(request, "claims/set_aside.html", context, status=422 if form.errors else 200)


@form_for("return_goods")
def take_back_into_store(request, case_id: int):
    """Undo a case that was opened by hand."""
    record = get_object_or_404(scoped(Claim.objects.select_related("layer__item"), request.user), pk=case_id)
    title = f"Take {plain(record.quantity)} {record.layer.item.unit} of {record.layer.item.code} back into store"
    return reversal_page(request, title, take_back, record, address_of("layer", record.layer_id))


@form_for("return_goods")
def send_back(request):
    """All that is left of a receipt or of an order goes back to its supplier."""
    receipt, order = _asked(request)
    keys = layers_of(receipt.pk if receipt else None, order.pk if order else None)
    units = {state: Sum("on_hand__quantity", filter=Q(on_hand__status=state)) for state in STATES}
    layers = CostLayer.objects.filter(pk__in=keys).select_related("item", "receipt_line__receipt", "site")
    form = ReturnAllForm(request.POST or None, initial={"occurred_on": timezone.localdate()})
    if request.method == "POST":
        of = receipt.pk if receipt else None, order.pk if order else None
        made = form.do(request, return_all, lambda _: form.asked(*of))
        if made:
            messages.success(request, "Sent back; the return note goes with the goods.")
            return redirect("goods-return", made[0])
    context = {"of": receipt or order, "layers": layers.annotate(**units).order_by("pk"), "form": form}
    return render(request, "claims/send_back.html", context, status=422 if form.errors else 200)


def _asked(request) -> tuple[Receipt | None, PurchaseOrder | None]:
    """What is to go back, as the address says it."""
    receipt = scoped(Receipt.objects.filter(pk=key_of(request.GET.get("receipt", ""))), request.user).first()
    order = scoped(PurchaseOrder.objects.filter(pk=key_of(request.GET.get("order", ""))), request.user).first()
    if receipt is None and order is None:
        raise Http404
    return receipt, None if receipt else order


def _word(request) -> str:
    return request.GET.get("q", "").replace("\x00", "")[:60]


@open_page
def goods_returns(request):
    """The returns, the newest first; those of a supplier, reference or number by a word."""
    found = returns_of(companies_of(request.user), _word(request)).select_related("company", "site", "supplier")
    context = {"page": page_of_rows(found, request.GET, 60), "word": _word(request)}
    return render(request, "claims/goods_returns.html", context)


@open_page
def goods_returns_csv(request):
    """The lines of the same returns as a table."""
    return csv_file("returns.csv", COLUMNS, return_rows(companies_of(request.user), _word(request)))


@open_page
def goods_returns_xlsx(request):
    """The same as a workbook: the newest of them."""
    with tempfile.NamedTemporaryFile(suffix=".xlsx") as file:
        write_returns(Path(file.name), companies_of(request.user), _word(request))
        content = Path(file.name).read_bytes()
    answer = HttpResponse(content, content_type=SHEET)
    answer["Content-Disposition"] = 'attachment; filename="returns.xlsx"'
    return answer


def _return(request, key: int) -> GoodsReturn:
    found = GoodsReturn.objects.select_related("company", "site", "supplier")
    return get_object_or_404(scoped(found, request.user), pk=key)


@open_page
def goods_return(request, return_id: int):
    """One return with its lines."""
    record = _return(request, return_id)
    notes = notes_of(record)
    stands = any(note.reversed_by_id is None for note in notes)
    context = {"record": record, "notes": notes, "stands": stands, "claimed": stands and debit_of_return(record)}
    return render(request, "claims/goods_return.html", context)


@open_page
def return_note(request, return_id: int):
    """The return note on paper."""
    record = _return(request, return_id)
    answer = HttpResponse(return_paper(record), content_type="application/pdf")
    answer["Content-Disposition"] = f'inline; filename="return-{record}.pdf"'
    return answer


@open_page
def return_xml(request, return_id: int):
    """A return as a despatch advice, for the supplier's own program."""
    record = _return(request, return_id)
    answer = HttpResponse(return_advice(record), content_type="application/xml")
    answer["Content-Disposition"] = f'attachment; filename="return-{record}.xml"'
    return answer


@form_for("return_goods")
def reverse_goods_return(request, return_id: int):
    """Undo a return, all of its lines that stand."""
    record = _return(request, return_id)
    back = reverse("goods-return", args=[record.pk])
    return reversal_page(request, f"Reverse the return {record}", reverse_all, record, back)


# How a debit note is had: what makes it, its media type, and the end of its name.
DEBIT_FORMS = {
    "pdf": (debit_paper, "application/pdf", "inline"),
    "xml": (debit_note_xml, "application/xml", "attachment"),
}


@open_page
def return_debit(request, return_id: int, form: str):
    """What is still claimed for a return, as a debit note of ours."""
    record = _return(request, return_id)
    return _debit(request, debit_of_return(record), form, reverse("goods-return", args=[record.pk]))


@open_page
def case_debit(request, case_id: int, form: str):
    """What is still claimed for a case, as a debit note of ours."""
    found = Claim.objects.select_related(*RELATED)
    record = get_object_or_404(scoped(found, request.user), pk=case_id)
    return _debit(request, debit_of_case(record, timezone.localdate()), form, address_of("case", record.pk))


def _debit(request, note: DebitNote | None, form: str, back: str):
    if note is None:
        messages.info(request, "Nothing is claimed of them any more, so that there is no debit note.")
        return redirect(back)
    make, media, place = DEBIT_FORMS[form]
    answer = HttpResponse(make(note), content_type=media)
    answer["Content-Disposition"] = f'{place}; filename="debit-note-{note.number}.{form}"'
    return answer
