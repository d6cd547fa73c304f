"""A receipt: what came, what became of it, what its order lines now say, and the way back."""

from csp.constants import SELF
from csp.decorators import csp_update
from django.shortcuts import get_object_or_404, redirect, render

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.actions.receiving import reverse
from northing.actions.receiving.correct import correct_receipt
from northing.core.money.exact import plain
from northing.customs.queries import undeclared_from_abroad
from northing.inventory.models import OnHand, SerialNumber
from northing.ledger.models import CostLayer
from northing.masterdata.models import Party
from northing.receiving.models import HeldDecision, Receipt, ReceiptLine, ShortQuestion
from northing.reports.line_standings import line_standings
from northing.reports.putaway import to_put_away
from northing.web.common.addresses import address_of
from northing.web.common.history import history_for
from northing.web.common.permissions import acts_for, form_for
from northing.web.common.reversals import is_reversing, reversal_page, say_done
from northing.web.receiving.forms.held import CorrectForm


@csp_update({"frame-src": [SELF]})
@acts_for("reverse_receipt")
def receipt(request, receipt_id: int):
    """A receipt: what came, what it cost, and the way back."""
    found = Receipt.objects.select_related(
        "container__shipment", "site", "company", "received_by", "reversed_by", "ties"
    )
    record = get_object_or_404(scoped(found, request.user), pk=receipt_id)
    if is_reversing(request):
        title, back = f"Reverse the receipt {record}", address_of("receipt", record.pk)
        done = "The receipt is reversed: units and costs are where they were before."
        words = "Units and costs go back by counter-entries. The story keeps the receipt."
        return reversal_page(request, title, reverse.reverse_receipt, record, back, done, words)
    lines = _lines(record)
    context = {
        "receipt": record,
        "lines": [line for line in lines if not line.why],
        "held": [line for line in lines if line.why],
        "suppliers": _suppliers(lines),
        "prints": "print" in request.GET,
        "undeclared": _undeclared(request.user, record),
        "putaway": to_put_away([record.site]).filter(layer__receipt_line__receipt=record).count(),
        "labels_word": _labels_word(len({line.sscc for line in lines if line.sscc})),
        "standings": line_standings(record),
        "questions": ShortQuestion.objects.filter(line__receipt=record).select_related("instalment__line__item"),
        "decides": may(request.user, "decide_goods", record.company_id),
        "allowed": may(request.user, "reverse_receipt", record.company_id),
        "history": history_for(request, "receipt", record.pk),
    }
    return render(request, "receiving/receipt.html", context)


def _undeclared(person, record: Receipt) -> bool:
    """Whether goods from abroad came unpacked that the person may declare to customs."""
    if record.container_id or record.reversed_by_id or not may(person, "book_customs_entry", record.company_id):
        return False
    return undeclared_from_abroad().filter(receipt_lines__receipt=record, container=None).exists()


def _labels_word(pallets: int) -> str:
    return f"Labels of {pallets} pallet{'s' if pallets > 1 else ''}" if pallets else "Labels"


def _suppliers(lines: list[ReceiptLine]) -> list[Party]:
    """Whose goods came, by code."""
    found = {(line.supplier or line.instalment.line.order.supplier) for line in lines}
    return sorted(found, key=lambda one: one.code)


def _lines(record: Receipt) -> list[ReceiptLine]:
    """Its lines, each with its layer, its serial numbers, how many of it are still held, and decisions about them."""
    related = ("item", "instalment__line__order__supplier", "bin", "stands_for__order", "supplier")
    lines = list(record.lines.select_related(*related).order_by("pk"))
    layers = CostLayer.objects.filter(receipt_line__receipt=record, kind="stock").select_related("item")
    of_line = {layer.receipt_line_id: layer for layer in layers}
    numbers: dict[int, list[str]] = {}
    for layer, number in (
        SerialNumber.objects.filter(layer__in=layers).values_list("layer", "number").order_by("number")
    ):
        numbers.setdefault(layer, []).append(number)
    held: dict[int, object] = {}
    for layer, units in OnHand.objects.filter(layer__in=layers, status="held").values_list("layer", "quantity"):
        held[layer] = held.get(layer, 0) + units
    decided: dict[int, list[HeldDecision]] = {}
    for one in HeldDecision.objects.filter(line__receipt=record).select_related("receipt").order_by("pk"):
        decided.setdefault(one.line_id, []).append(one)
    for line in lines:
        line.layer = of_line.get(line.pk)
        line.serials = numbers.get(line.layer.pk, []) if line.layer else []
        line.left = held.get(line.layer.pk, 0) if line.layer else 0
        line.decided = decided.get(line.pk, [])
    return lines


@form_for("reverse_receipt")
def correct(request, receipt_line_id: int):
    """Correct the quantity of a line: the receipt is reversed, and received again under its note."""
    found = ReceiptLine.objects.select_related("item", "receipt").filter(receipt__reversed_by=None)
    line = get_object_or_404(scoped(found, request.user, "receipt__company"), pk=receipt_line_id)
    form = CorrectForm(
        request.POST or None, initial={"quantity": plain(line.quantity)}, numbered=line.item.keeps_serial
    )
    done = form.do(request, correct_receipt, lambda _: form.asked(line.pk)) if request.method == "POST" else None
    if done:
        say_done(request, f"Corrected: received anew as {Receipt.objects.get(pk=done)}.", "receipt", done)
        return redirect("receipt", done)
    title = f"Correct {line.item.code} of {line.receipt}"
    context = {"title": title, "button": "Correct", "form": form, "back": address_of("receipt", line.receipt_id)}
    return render(request, "common/simple_form.html", context, status=422 if form.errors else 200)
