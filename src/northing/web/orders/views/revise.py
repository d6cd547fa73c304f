"""Changing an order after it was written: its terms and lines, the parts of a line, stopping and going on."""

from django.contrib import messages
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from northing.access.queries import scoped
from northing.actions.orders import cancel, revise, set_parts
from northing.core.problems import Refused
from northing.orders.models import OrderLine, PurchaseOrder
from northing.web.common.forms import act_of, say_errors
from northing.web.common.permissions import acts_for, form_for
from northing.web.orders.forms.orders import LineFormSet
from northing.web.orders.forms.revise import ChangeForm, StopForm, parts_form
from northing.web.orders.queries import supply
from northing.web.orders.views.orders import beside_lines, seen_order

STOPS = {
    "cancel": (cancel.cancel, "Cancel", "is cancelled"),
    "reopen": (cancel.reopen, "Reopen", "is open again"),
    "take-back": (cancel.take_back, "Take back", "is a draft again"),
}


@form_for("write_order")
def change(request, order_id: int):
    """Change a draft; of a sent order first what a revision would change, then the revision."""
    order = seen_order(request, order_id)
    lines = list(order.lines.select_related("item").order_by("number"))
    form = ChangeForm(request.POST or None, order=order, lines=lines)
    added = LineFormSet(request.POST or None, prefix="lines")
    context = {"order": order, "form": form, "lines": added}
    if request.method == "POST" and added.is_valid() and form.is_valid():
        in_use = [line for line in added if line.asked()]
        asked = form.asked(order.pk, [line.asked() for line in in_use])
        if "send" in request.POST or not order.sent_at:
            if form.do(request, revise.change_order, lambda _: asked):
                return _changed(request, order)
        else:
            context["preview"] = _preview(request, form, asked)
        beside_lines(form, in_use)
        _look_again(form, order)
    return render(
        request, "orders/revise.html", context, status=422 if form.errors or added.total_error_count() else 200
    )


def _look_again(form: ChangeForm, order: PurchaseOrder) -> None:
    """Tell the person who was overtaken what the other did, so that the next attempt is made knowingly."""
    if isinstance(getattr(form, "refusal", None), revise.Overtaken):
        form.data = form.data.copy()
        form.data["version"] = str(PurchaseOrder.objects.values_list("version", flat=True).get(pk=order.pk))


def _preview(request, form: ChangeForm, asked: revise.ChangeRequest):
    try:
        return revise.preview(act_of(request), asked)
    except Refused as refused:
        form.take(refused)
        return None


def _changed(request, order: PurchaseOrder):
    revision, checked = order.revision, order.checked_at
    order.refresh_from_db()
    if (revision, checked) == (order.revision, order.checked_at):
        messages.success(request, f"{order.number} is changed; nothing of it goes to {order.supplier}.")
    elif order.sent_at:
        messages.success(request, f"{order.number}: revision {order.revision} goes to {order.supplier}.")
    else:
        messages.success(request, f"{order.number} is changed; it has to be checked and approved again.")
    return redirect("order", order.pk)


@acts_for("write_order")
@require_POST
def parts(request, line_id: int):
    """Divide what is not packed of a line into dated parts, or move a day; the supplier has to agree again."""
    found = OrderLine.objects.select_related("order")
    line = get_object_or_404(scoped(found, request.user, "order__company"), pk=line_id)
    form = parts_form(line, request.POST)
    if form.do(request, set_parts.set_parts, lambda _: form.asked(line.pk)):
        messages.success(request, "The supplier is asked for the parts as they are now.")
        return redirect("line", line.pk)
    say_errors(request, form)
    return redirect("line", line.pk)


@form_for("write_order")
def stop(request, order_id: int, name: str):
    """Cancel, reopen or take back: first what it changes in supply."""
    if name not in STOPS:
        raise Http404
    order = seen_order(request, order_id)
    action, button, done = STOPS[name]
    form = StopForm(request.POST or None, order=order)
    if request.method == "POST" and form.do(request, action, lambda _: form.asked(order.pk)):
        messages.success(request, f"{order.number} {done}.")
        return redirect("order", order.pk)
    rows = supply.of_order(order)
    context = {"order": order, "form": form, "rows": rows, "name": name, "button": button}
    return render(request, "orders/cancel.html", context, status=422 if form.errors else 200)
