"""Goods set aside by hand, all of a receipt or an order sent back, and the returns that were made."""

import tempfile
from collections.abc import Iterable
from datetime import date
from decimal import Decimal
from pathlib import Path

from django.contrib import messages
from django.db.models import Q, QuerySet, Sum
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.acts import Act
from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.actions.claims.jobs import as_asked
from northing.actions.claims.prepared import cancel_return, despatch_return
from northing.actions.claims.return_all import Of, ReturnAllRequest, foresee_return, layers_of, return_all, reverse_all
from northing.actions.claims.set_aside import set_aside, take_back
from northing.claims.models import Claim, GoodsReturn, ReturnNote
from northing.claims.queries import standing_by_layer
from northing.core.money.exact import plain
from northing.formats.debit_note import DebitNote, debit_note_xml
from northing.inventory.models import StockIssueLine
from northing.jobs.jobs import begin
from northing.jobs.models import Job
from northing.ledger.models import CostLayer
from northing.ledger.queries import CAME
from northing.masterdata.models import Company, Item
from northing.orders.models import PurchaseOrder
from northing.receiving.models import Receipt
from northing.reports.debit_notes import RELATED, debit_of_case, debit_of_return, debit_paper
from northing.reports.goods_returns import (
    COLUMNS,
    Asked,
    notes_of,
    return_advice,
    return_paper,
    return_rows,
    returns_of,
    sums_of,
    write_returns,
)
from northing.reports.labels import labels_of_return
from northing.web.claims.forms import DespatchForm, ReturnAllForm, SetAsideForm
from northing.web.common.addresses import address_of
from northing.web.common.answers import file_answer
from northing.web.common.keys import key_of
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import form_for, open_page
from northing.web.common.reversals import reversal_page, say_done
from northing.web.common.tables import csv_file

# Issues that are shown.
MOST_ISSUES = 20
STATES = ("in_store", "held", "rejected")
ORDER = "shipment_line__instalment__line__order"


@form_for("return_goods")
def aside(request, layer_id: int):
    """Open a case for units of a layer that lie in store, or of an issue that the address names."""
    found = CostLayer.objects.select_related("item", "site", "company", "receipt_line__receipt")
    found = found.filter(CAME, shipment_line__isnull=False)
    layer = get_object_or_404(scoped(found, request.user), pk=layer_id)
    rows = layer.on_hand.filter(status="in_store").aggregate(units=Sum("quantity"))
    issued = _issued([layer.pk])
    out = _named_issue(request, layer)
    there = out.quantity if out else rows["units"] or Decimal(0)
    # Of what was issued some come back, seldom all.
    start = {"occurred_on": timezone.localdate(), "quantity": "" if out else plain(there)}
    form = SetAsideForm(request.POST or None, initial=start, numbered=layer.item.keeps_serial)
    if request.method == "POST":
        made = form.do(request, set_aside, lambda _: form.asked(layer.pk, out.issue_id if out else None))
        if made:
            say_done(request, "They are set aside, and a case is opened.", "take-back-case", made)
            return redirect("case", made)
    context = {"layer": layer, "there": there, "form": form, "issued": issued, "out": out}
    return render(request, "claims/set_aside.html", context, status=422 if form.errors else 200)


@form_for("return_goods")
def take_back_into_store(request, case_id: int):
    """Undo a case that was opened by hand."""
    record = get_object_or_404(scoped(Claim.objects.select_related("layer__item"), request.user), pk=case_id)
    title = f"Take {plain(record.quantity)} {record.layer.item.unit} of {record.layer.item.code} back into store"
    return reversal_page(request, title, take_back, record, address_of("layer", record.layer_id))


@form_for("return_goods")
def send_back(request):
    """What is left of a receipt, an order, a layer or an item goes back to its supplier: all of it, or some lines."""
    of, title = _asked(request)
    mine = CostLayer.objects.filter(pk__in=layers_of(of), company__in=companies_of(request.user))
    units = {state: Sum("on_hand__quantity", filter=Q(on_hand__status=state), default=0) for state in STATES}
    related = ("item", "receipt_line__receipt", "site", "shipment_line__instalment__line__order__supplier")
    layers = list(mine.select_related(*related).annotate(**units).order_by("occurred_on", "pk"))
    waits = standing_by_layer(layer.pk for layer in layers)
    for layer in layers:
        layer.waits = waits.get(layer.pk, Decimal(0))
        layer.there = layer.in_store + layer.held + layer.rejected - layer.waits
    layers = [layer for layer in layers if layer.there]
    address = _order_of(layers[0]).supplier.return_address if layers else ""
    initial = {"occurred_on": timezone.localdate(), "deliver_to": address}
    form = ReturnAllForm(request.POST or None, initial=initial, layers=layers, of_item=bool(of.item))
    prepared = request.POST.get("act") == "prepare"
    if request.method == "POST":
        made = form.do(request, _now_or_later, lambda _: form.asked(of, prepared=prepared))
        if isinstance(made, Job):
            return redirect("job", made.pk)
        if made:
            words = (
                "The return is prepared. Despatch it when the goods leave."
                if prepared
                else "The return note goes with the goods."
            )
            messages.success(request, words)
            return redirect("goods-return", made[0])
    context = {"of": title, "layers": layers, "form": form, "issued": _issued(_all_layers(of))}
    return render(request, "claims/send_back.html", context, status=422 if form.errors else 200)


def _named_issue(request, layer: CostLayer) -> StockIssueLine | None:
    """The units of a layer that an issue took which the address names, as long as it stands."""
    key = key_of(request.GET.get("issue", ""))
    return (
        StockIssueLine.objects.filter(issue=key, layer=layer, issue__reversed_by=None).select_related("issue").first()
    )


def _issued(layers: Iterable[int]) -> QuerySet[StockIssueLine]:
    """What was issued of layers (ids) and not taken back, the newest first."""
    found = StockIssueLine.objects.filter(layer__in=list(layers), issue__reversed_by=None)
    return found.select_related("issue__item").order_by("-issue")[:MOST_ISSUES]


def _all_layers(of: Of) -> list[int]:
    """The layers (ids) of a receipt, an order or a layer, those of which nothing is left among them."""
    ways = {"receipt_line__receipt": of.receipt, f"{ORDER}": of.order, "pk": of.layer}
    asked = {name: key for name, key in ways.items() if key}
    return list(CostLayer.objects.filter(CAME, **asked).values_list("pk", flat=True)) if asked else []


# Goods of more layers than that are the worker's; of a prepared return fewer, it is written layer by layer.
AT_ONCE, PREPARED_AT_ONCE = 150, 15


def _now_or_later(act: Act, request: ReturnAllRequest) -> list[int] | Job:
    layers = foresee_return(act, request)
    if layers <= (PREPARED_AT_ONCE if request.prepared else AT_ONCE):
        return return_all(act, request)
    title = f"Send back goods of {layers} layers under {request.reference}"
    return begin(act, "send_back", title, as_asked(request), layers, reverse("goods-returns"))


def _order_of(layer: CostLayer) -> PurchaseOrder:
    return layer.shipment_line.instalment.line.order


# What the address may name, and the records that it is looked up among.
NAMED = {"receipt": Receipt, "order": PurchaseOrder, "layer": CostLayer}


def _asked(request) -> tuple[Of, str]:
    """What is to go back, as the address says it, and its name."""
    for name, model in NAMED.items():
        found = scoped(model.objects.filter(pk=key_of(request.GET.get(name, ""))), request.user).first()
        if found is not None:
            return Of(
                **{name: found.pk}
            ), f"{found.item} of {found.occurred_on:%-d %b}" if name == "layer" else f"{found}"
    item = Item.objects.filter(pk=key_of(request.GET.get("item", ""))).first()
    if item is None:
        raise Http404
    return Of(item=item.pk, supplier=key_of(request.GET.get("supplier", "")) or None), str(item)


def _asked_for(request) -> Asked:
    """The returns that the address asks for: by a word, a company, and days."""
    word = request.GET.get("q", "").replace("\x00", "")[:60]
    mine = companies_of(request.user)
    company = key_of(request.GET.get("company", ""))
    days = [_day(request.GET.get(name, "")[:10]) if request.GET.get(name) else None for name in ("from", "to")]
    return Asked([company] if company in set(mine) else mine, word, *days)


def _day(said: str) -> date | None:
    """A day like 2026-11-24; None for anything else."""
    try:
        return date.fromisoformat(said)
    except ValueError:
        return None


@open_page
def goods_returns(request):
    """The returns, the newest first; those of a supplier, reference or number by a word, of a company, of some days."""
    asked = _asked_for(request)
    found = returns_of(asked).select_related("company", "site", "supplier")
    companies = Company.objects.filter(pk__in=companies_of(request.user)).order_by("code")
    context = {"page": page_of_rows(found, request.GET, 60), "word": asked.word, "companies": companies}
    context |= {"sums": sums_of(asked), "said": request.GET}
    return render(request, "claims/goods_returns.html", context)


@open_page
def goods_returns_csv(request):
    """The lines of the same returns as a table."""
    return csv_file("returns.csv", COLUMNS, return_rows(_asked_for(request)))


@open_page
def goods_returns_xlsx(request):
    """The same as a workbook: the newest of them."""
    with tempfile.NamedTemporaryFile(suffix=".xlsx") as file:
        write_returns(Path(file.name), _asked_for(request))
        content = Path(file.name).read_bytes()
    return file_answer(content, "returns.xlsx")


def _return(request, key: int) -> GoodsReturn:
    found = GoodsReturn.objects.select_related("company", "site", "supplier")
    return get_object_or_404(scoped(found, request.user), pk=key)


@open_page
def goods_return(request, return_id: int):
    """One return with its lines; a prepared one is despatched from here."""
    record = _return(request, return_id)
    notes = notes_of(record)
    stands = any(note.reversed_by_id is None for note in notes)
    start = {"occurred_on": timezone.localdate(), "haulier": record.haulier}
    form = DespatchForm(initial=start) if record.prepared else None
    return render(request, "claims/goods_return.html", _context(record, notes, stands, form))


def _context(record: GoodsReturn, notes: list[ReturnNote], stands: bool, form: DespatchForm | None) -> dict:
    related = ("authorisation__case__layer__item", f"authorisation__case__layer__{ORDER}")
    waits = record.stands_by.select_related(*related) if record.prepared else ()
    context = {"record": record, "notes": notes, "stands": stands, "claimed": stands and debit_of_return(record)}
    return context | {"waits": waits, "form": form}


@form_for("return_goods")
def despatch(request, return_id: int):
    """A prepared return leaves."""
    record = _return(request, return_id)
    form = DespatchForm(request.POST or None, initial={"occurred_on": timezone.localdate()})
    if request.method == "POST":
        if form.do(request, despatch_return, lambda _: form.asked(record.pk)):
            say_done(request, "Despatched; the return note goes with the goods.", "reverse-goods-return", record.pk)
            return redirect("goods-return", record.pk)
        context = _context(record, notes_of(record), False, form)
        return render(request, "claims/goods_return.html", context, status=422)
    return redirect("goods-return", record.pk)


@form_for("return_goods")
def cancel_prepared(request, return_id: int):
    """A prepared return is not sent after all."""
    record = _return(request, return_id)
    back = reverse("goods-return", args=[record.pk])
    return reversal_page(request, f"Do not send the return {record}", cancel_return, record, back)


@open_page
def return_labels(request, return_id: int):
    """A label for each package of a return."""
    record = _return(request, return_id)
    return file_answer(labels_of_return(record), f"return-{record}-labels.pdf")


@open_page
def return_note(request, return_id: int):
    """The return note on paper."""
    record = _return(request, return_id)
    return file_answer(return_paper(record), f"return-{record}.pdf")


@open_page
def return_xml(request, return_id: int):
    """A return as a despatch advice, for the supplier's own program."""
    record = _return(request, return_id)
    return file_answer(return_advice(record), f"return-{record}.xml")


@form_for("return_goods")
def reverse_goods_return(request, return_id: int):
    """Undo a return, all of its lines that stand."""
    record = _return(request, return_id)
    back = reverse("goods-return", args=[record.pk])
    return reversal_page(request, f"Reverse the return {record}", reverse_all, record, back)


# What makes a debit note, by the form that it is wanted in.
DEBIT_FORMS = {"pdf": debit_paper, "xml": debit_note_xml}


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
    return file_answer(DEBIT_FORMS[form](note), f"debit-note-{note.number}.{form}")
