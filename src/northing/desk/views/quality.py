"""Quality: held goods, verdicts, cases, returns."""

from django.contrib import messages
from django.db.models import F, Sum
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.deeds.land import inspecting
from northing.desk.forms.dock import InspectForm, ReturnForm
from northing.desk.queries.story import told
from northing.directory.queries import scoped
from northing.directory.rights import companies_of, may
from northing.ledger.models import CostLayer, OnHand
from northing.ledger.queries import posting_note
from northing.quality.models import Case, Inspection

SHOWN = 200


def quality(request):
    """What is held, and the cases that have no end yet."""
    mine = companies_of(request.user)
    held = (
        OnHand.objects.filter(status="held", quantity__gt=0, layer__company__in=mine)
        .select_related("layer__item", "layer__site", "layer__receipt_line__receipt", "bin")
        .order_by("layer__occurred_on", "pk")[:SHOWN]
    )
    cases = scoped(Case.objects.select_related("layer__item", "supplier"), request.user)
    context = {
        "held": held,
        "cases": cases.filter(ended__lt=F("quantity")).order_by("opened_on", "pk")[:SHOWN],
        "ended": cases.filter(ended=F("quantity")).order_by("-pk")[:20],
    }
    return render(request, "desk/quality.html", context)


def inspect(request, layer_id: int):
    """Pass and fail held units."""
    found = CostLayer.objects.select_related("item", "site", "company", "stowage__instalment__line__order__supplier")
    layer = get_object_or_404(scoped(found, request.user), pk=layer_id)
    held = OnHand.objects.filter(layer=layer, status="held").aggregate(total=Sum("quantity"))["total"] or 0
    start = {"occurred_on": timezone.localdate(), "passed": f"{held:f}".rstrip("0").rstrip(".") if held else "0"}
    form = InspectForm(request.POST or None, initial=start)
    if request.method == "POST" and form.do(request, inspecting.inspect, lambda _: form.asked(layer.pk)):
        messages.success(request, "The verdict is recorded.")
        return redirect("quality")
    context = {
        "layer": layer,
        "held": held,
        "form": form,
        "allowed": may(request.user, "inspect", layer.company_id),
        "inspections": Inspection.objects.filter(layer=layer).select_related("inspector").order_by("pk"),
    }
    return render(request, "desk/inspect.html", context, status=422 if form.errors else 200)


def case(request, case_id: int):
    """A case: each unit awaiting its end, and the way out for some of them."""
    found = Case.objects.select_related("layer__item", "layer__stowage__instalment__line__order", "supplier", "company")
    record = get_object_or_404(scoped(found, request.user), pk=case_id)
    form = ReturnForm(request.POST or None, initial={"occurred_on": timezone.localdate()})
    if request.method == "POST" and form.do(request, inspecting.return_goods, lambda _: form.asked(record.pk)):
        note = posting_note([record.company_id], form.cleaned_data["occurred_on"])
        messages.success(request, f"Returned{note}. What the supplier did not authorise stays open.")
        return redirect("case", record.pk)
    context = {
        "case": record,
        "form": form,
        "allowed": may(request.user, "return_goods", record.company_id),
        "returns": record.returns.order_by("pk"),
        "story": told(request, "line", record.layer.stowage.instalment.line_id),
    }
    return render(request, "desk/case.html", context, status=422 if form.errors else 200)
