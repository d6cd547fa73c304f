"""The pages on which the buyer decides: goods without an order, and deliveries that are short beyond tolerance."""

from django.contrib import messages
from django.db.models import Sum
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.actions.receiving.answer_short import ShortAnswer, answer_short
from northing.actions.receiving.held_goods import end_held_goods, reverse_end
from northing.actions.receiving.order_held import order_held
from northing.actions.receiving.short import question_words
from northing.actions.receiving.tie import TieRequest, tie
from northing.claims.models import Claim
from northing.core.money.exact import plain
from northing.inventory.models import OnHand
from northing.ledger.models import CostLayer
from northing.receiving.models import HeldDecision, Receipt, ShortQuestion
from northing.reports.fitting_orders import fitting_lines
from northing.web.common.addresses import address_of
from northing.web.common.forms import ActionForm, asks_only
from northing.web.common.history import history_for
from northing.web.common.keys import key_of
from northing.web.common.permissions import acts_for, form_for
from northing.web.common.reversals import reversal_page, say_done
from northing.web.receiving.forms.held import EndForm, OrderForm


@acts_for("decide_goods")
def held_goods(request, layer_id: int):
    """Held goods without an order: the open order lines that fit, and the other ends."""
    found = CostLayer.objects.filter(receipt_line__isnull=False).exclude(receipt_line__why="")
    found = found.select_related("item", "site__company", "company", "receipt_line__receipt", "receipt_line__supplier")
    layer = get_object_or_404(scoped(found, request.user), pk=layer_id)
    line = layer.receipt_line
    left = OnHand.objects.filter(layer=layer, status="held").aggregate(total=Sum("quantity"))["total"] or 0
    # Tying and ordering take what the receipt holds of the item, on however many pallets.
    came = OnHand.objects.filter(layer__receipt_line__receipt=line.receipt, status="held", layer__item=layer.item)
    units = came.exclude(layer__receipt_line__why="").aggregate(total=Sum("quantity"))["total"] or 0
    initial = {"occurred_on": timezone.localdate(), "quantity": plain(left)}
    tying, ordering = (request.method == "POST" and name in request.POST for name in ("order_line", "ordered"))
    sent = request.POST if request.method == "POST" and not (tying or ordering) else None
    form = EndForm(sent, initial=initial, numbered=layer.item.keeps_serial)
    tie_form = ActionForm(request.POST if tying else None)
    order_form = OrderForm(request.POST if ordering else None, initial={"ordered": plain(units)})
    if tying:
        done = tie_form.do(request, tie, lambda _: _tie(request, line.receipt_id))
        if done:
            say_done(request, "Tied: the goods are received against the order.", "receipt", done)
            return redirect("receipt", done)
    elif ordering:
        today = timezone.localdate()
        done = order_form.do(request, order_held, lambda _: order_form.asked(layer.pk, today))
        if done:
            say_done(request, "Ordered: the goods are received against the new order.", "receipt", done)
            return redirect("receipt", done)
    elif request.method == "POST":
        done = form.do(request, end_held_goods, lambda _: form.asked(layer.pk))
        if done:
            say_done(request, "Decided.", "reverse-held", done)
            return redirect("receipt", line.receipt_id)
    context = {
        "layer": layer,
        "line": line,
        "left": left,
        "units": units,
        "fitting": fitting_lines(layer.site, line.supplier_id, {layer.item_id: units}) if left else [],
        "form": form,
        "tie_form": tie_form,
        "order_form": order_form,
        "asks": asks_only(tie_form),
        "asked_line": request.POST.get("order_line", ""),
        "allowed": may(request.user, "decide_goods", layer.company_id),
        "case": layer.cases.filter(kind__in=Claim.OF_NO_ORDER, withdrawn_at=None).select_related("against").first(),
        "handles": may(request.user, "handle_cases", layer.company_id),
        "history": history_for(request, "receipt", line.receipt_id),
    }
    wrong = form.errors or tie_form.errors or order_form.errors
    return render(request, "receiving/held.html", context, status=422 if wrong else 200)


def _tie(request, receipt: int) -> TieRequest:
    key = key_of(request.POST.get("order_line", ""))
    return TieRequest(receipt, key, timezone.localdate(), accept="accept" in request.POST)


@form_for("decide_goods")
def reverse_held(request, decision_id: int):
    """Undo what became of held goods."""
    found = HeldDecision.objects.filter(reversed_by=None).select_related("line__receipt", "line__item")
    record = get_object_or_404(found, pk=decision_id, line__receipt__in=scoped(Receipt.objects.all(), request.user))
    record.company_id = record.line.receipt.company_id
    title = f"Reverse: {plain(record.quantity)} {record.line.item.unit} of {record.line.item.code} {record.way}"
    return reversal_page(request, title, reverse_end, record, address_of("receipt", record.line.receipt_id))


@acts_for("decide_goods")
def short(request, question_id: int):
    """What is short beyond tolerance: does more come? The buyer's answer closes the rest, or leaves it open."""
    found = ShortQuestion.objects.select_related(
        "company", "line__receipt__site", "instalment__line__item", "instalment__line__order__supplier"
    )
    record = get_object_or_404(scoped(found, request.user), pk=question_id)
    form = ActionForm(request.POST or None)
    if request.method == "POST":
        no_more = "no_more" in request.POST
        done = form.do(request, answer_short, lambda _: ShortAnswer(record.pk, no_more))
        if done:
            words = "No more comes: the rest is closed." if no_more else "Still coming: the rest stays open."
            messages.success(request, words)
            return redirect("receipt", done)
    context = {
        "question": record,
        "words": question_words(record),
        "form": form,
        "line": record.instalment.line,
        "receipt": record.line.receipt,
        "allowed": may(request.user, "decide_goods", record.company_id),
        "history": history_for(request, "line", record.instalment.line_id),
    }
    return render(request, "receiving/short.html", context, status=422 if form.errors else 200)
