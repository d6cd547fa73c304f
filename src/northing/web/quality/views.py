"""Quality: held goods, verdicts, cases, returns."""

from decimal import Decimal

from django.db.models import F, Q, Sum
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import companies_of, may
from northing.access.queries import scoped
from northing.actions.quality import inspect as inspect_action
from northing.actions.quality.reverse import reverse_inspection as undo_inspection
from northing.claims.models import Claim
from northing.inventory.models import OnHand
from northing.ledger.models import CostLayer
from northing.quality.models import Inspection
from northing.web.common.addresses import address_of
from northing.web.common.paging import page_of_keys, page_of_rows
from northing.web.common.permissions import form_for, open_page
from northing.web.common.reversals import reversal_page, say_done
from northing.web.quality.forms import InspectForm

# Of a layer: the order its goods came from.
ORDER = "shipment_line__instalment__line__order"


# Two lists share the page.
ROWS = 60


@open_page
def quality(request):
    """Held goods, and the cases that have no end yet."""
    mine = companies_of(request.user)
    held = (
        OnHand.objects.filter(status="held", quantity__gt=0, layer__company__in=mine)
        .select_related(
            "layer__item", "layer__site", "layer__receipt_line__receipt", "bin", f"layer__{ORDER}__supplier"
        )
        .order_by("layer__occurred_on", "pk")
    )
    # Goods without an order are decided about at the dock, not inspected.
    held = held.filter(Q(layer__receipt_line=None) | Q(layer__receipt_line__why=""))
    cases = Claim.objects.filter(withdrawn_at=None)
    cases = scoped(cases.select_related("layer__item", "supplier", f"layer__{ORDER}"), request.user)
    context = {
        "held": page_of_keys(held, request.GET, ROWS),
        "cases": page_of_keys(
            cases.filter(ended__lt=F("quantity")).order_by("opened_on", "pk"), request.GET, ROWS, name="cases"
        ),
        "ended": page_of_rows(cases.filter(ended=F("quantity")).order_by("-pk"), request.GET, 20, name="ended"),
    }
    return render(request, "quality/quality.html", context)


@form_for("inspect")
def inspect(request, layer_id: int):
    """Pass and fail held units."""
    found = CostLayer.objects.select_related(
        "item", "site", "company", "receipt_line", "shipment_line__instalment__line__order__supplier"
    )
    layer = get_object_or_404(scoped(found, request.user), pk=layer_id)
    if layer.receipt_line and layer.receipt_line.why:
        return redirect("held", layer.pk)
    held = OnHand.objects.filter(layer=layer, status="held").aggregate(total=Sum("quantity"))["total"] or Decimal(0)
    start = {"occurred_on": timezone.localdate(), "passed": f"{held:f}".rstrip("0").rstrip(".") if held else "0"}
    form = InspectForm(request.POST or None, initial=start, numbered=layer.item.keeps_serial)
    if request.method == "POST" and form.do(request, inspect_action.inspect, lambda _: form.asked(layer.pk, held)):
        said = Inspection.objects.filter(layer=layer).latest("pk")
        say_done(request, "The verdict is recorded.", "reverse-inspection", said.pk)
        return redirect("quality")
    context = {
        "layer": layer,
        "held": held,
        "form": form,
        "allowed": may(request.user, "inspect", layer.company_id),
        "inspections": Inspection.objects.filter(layer=layer).select_related("inspector").order_by("pk"),
    }
    return render(request, "quality/inspect.html", context, status=422 if form.errors else 200)


@form_for("inspect")
def reverse_inspection(request, inspection_id: int):
    """Undo a verdict, as long as nothing stands on it."""
    found = scoped(Inspection.objects.select_related("layer__item"), request.user)
    record = get_object_or_404(found, pk=inspection_id)
    title = f"Reverse the inspection of {record.layer.item} of {record.occurred_on:%-d %b}"
    back = address_of("verdict", record.layer_id)
    return reversal_page(request, title, undo_inspection, record, back)
