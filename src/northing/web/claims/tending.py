"""The person responsible for a case, cases that are divided or joined, and cases of money alone."""

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.actions.claims import money_cases, tend
from northing.claims.models import Claim
from northing.core.money.exact import plain
from northing.core.problems import Refused
from northing.ledger.models import CostLayer
from northing.web.claims.forms import DivideForm, MoneyCaseForm
from northing.web.common.addresses import address_of
from northing.web.common.forms import act_of
from northing.web.common.keys import key_of
from northing.web.common.permissions import acts_for, form_for
from northing.web.common.reversals import reversal_page, say_done

ORDER = "shipment_line__instalment__line__order"
# What the button of a case says, and the action that it asks for.
TENDS = {"take": tend.tend, "leave": tend.tend, "join": tend.join}


def _case(request, key: int) -> Claim:
    found = Claim.objects.select_related("layer__item", f"layer__{ORDER}", "supplier", "against", "company")
    return get_object_or_404(scoped(found, request.user), pk=key)


@acts_for("handle_cases")
@require_POST
def tend_case(request, case_id: int, way: str):
    """I see to this case, or not any more; or its units go on in another one."""
    record = _case(request, case_id)
    if way == "join":
        asked = tend.JoinRequest(record.pk, key_of(request.POST.get("into", "")) or record.pk)
    else:
        asked = tend.TendRequest(record.pk, request.user.pk if way == "take" else None)
    try:
        if way == "join":
            get_object_or_404(scoped(Claim.objects.all(), request.user), pk=asked.into)
        shown = TENDS[way](act_of(request, request.POST.get("key", "")), asked)
    except Refused as refused:
        messages.error(request, str(refused))
        shown = record.pk
    return redirect("case", shown)


@form_for("handle_cases")
def divide_case(request, case_id: int):
    """Some units of a case become a case of their own."""
    record = _case(request, case_id)
    form = DivideForm(request.POST or None, initial={"reason": record.reason})
    if request.method == "POST":
        made = form.do(request, tend.divide, lambda _: form.asked(record.pk))
        if made:
            messages.success(request, "They are a case of their own.")
            return redirect("case", made)
    return render(
        request, "claims/divide_case.html", {"case": record, "form": form}, status=422 if form.errors else 200
    )


@form_for("handle_cases")
def open_case(request):
    """Money that is owed for goods that are here: they came late, or were billed wrongly."""
    found = CostLayer.objects.filter(
        company__in=companies_of(request.user), shipment_line__isnull=False, received__gt=0
    )
    found = found.select_related("item", "company", "receipt_line__receipt", f"{ORDER}__supplier")
    if line := key_of(request.GET.get("line", "")):
        found = found.filter(shipment_line__instalment__line=line).order_by("-pk")
    else:
        found = found.filter(pk=key_of(request.GET.get("layer", "")))
    layer = found.first()
    if layer is None:
        messages.error(request, "These goods have not come yet. A case is opened for goods that came.")
        return redirect("quality")
    days, penalty = money_cases.proposed(layer)
    start = {"occurred_on": timezone.localdate(), "kind": "late" if days else "price"}
    start |= {"reason": f"{days} days late" if days else "", "amount": plain(penalty) if penalty else ""}
    order = layer.shipment_line.instalment.line.order
    form = MoneyCaseForm(request.POST or None, initial=start)
    form.fields["amount"].help_text = f"In {order.currency}."
    if request.method == "POST":
        made = form.do(request, money_cases.open_money_case, lambda _: form.asked(layer.pk))
        if made:
            say_done(request, "The amount is claimed, and the goods cost so much less.", "close-case", made)
            return redirect("case", made)
    context = {"layer": layer, "order": order, "days": days, "penalty": penalty, "form": form}
    return render(request, "claims/open_case.html", context, status=422 if form.errors else 200)


@form_for("handle_cases")
def close_case(request, case_id: int):
    """Undo a case of money alone."""
    record = _case(request, case_id)
    title = f"Withdraw the claim on {record.against} for {record.layer.item.code}"
    return reversal_page(request, title, money_cases.close_money_case, record, address_of("layer", record.layer_id))
