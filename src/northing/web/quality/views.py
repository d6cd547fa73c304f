"""Quality: held goods, verdicts, cases, returns."""

from collections.abc import Iterable
from decimal import Decimal

from django.contrib import messages
from django.db.models import F, Q, Sum
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import companies_of, may
from northing.access.queries import scoped
from northing.actions.activity import remarks
from northing.actions.quality import inspect as inspect_action
from northing.actions.quality.reverse import reverse_inspection as undo_inspection
from northing.claims.models import Claim
from northing.core.money.exact import plain
from northing.core.problems import Refused
from northing.core.quality.findings import CLASSES
from northing.inventory.models import OnHand
from northing.ledger.models import CostLayer
from northing.masterdata.inspections import characteristics_of
from northing.masterdata.models import Defect
from northing.quality.models import Inspection, LotDraw
from northing.quality.queries import inspected_before, plan_of, rule_of, sample_places, waiting_draw
from northing.reports.inspection_paper import inspection_paper
from northing.reports.inspection_register import COLUMNS, register, register_rows, verdicts
from northing.web.common.addresses import address_of
from northing.web.common.answers import file_answer
from northing.web.common.forms import act_of
from northing.web.common.paging import page_of, page_of_keys, page_of_rows
from northing.web.common.permissions import form_for, open_page
from northing.web.common.reversals import reversal_page, say_done
from northing.web.common.tables import csv_file
from northing.web.quality.forms import Asks, InspectForm
from northing.worklist.queries import open_matters

# Of a layer: the order its goods came from.
ORDER = "shipment_line__instalment__line__order"
NEED_BY = "layer__shipment_line__instalment__line__need_by"


# Two lists share the page.
ROWS = 60


@open_page
def quality(request):
    """Held goods, and the cases of which something is open; those that I see to, where that is asked."""
    mine = companies_of(request.user)
    held = (
        OnHand.objects.filter(status="held", quantity__gt=0, layer__company__in=mine)
        .select_related(
            "layer__item", "layer__site", "layer__receipt_line__receipt", "bin", f"layer__{ORDER}__supplier"
        )
        # What is needed first is inspected first.
        .order_by(F(NEED_BY).asc(nulls_last=True), "layer__occurred_on", "pk")
    )
    # Goods without an order are decided about at the dock, not inspected.
    held = held.filter(Q(layer__receipt_line=None) | Q(layer__receipt_line__why=""))
    cases = Claim.objects.filter(withdrawn_at=None)
    related = ("layer__item", "supplier", "against", "looked_after_by", f"layer__{ORDER}")
    related += ("layer__receipt_line__stands_for__order",)
    cases = scoped(cases.select_related(*related), request.user)
    only_mine = request.GET.get("mine") == "1"
    if only_mine:
        cases = cases.filter(looked_after_by=request.user)
    goes_on = cases.filter(pk__in=open_matters("case"))
    context = {
        "held": page_of_keys(held, request.GET, ROWS),
        "cases": page_of_keys(goes_on.order_by("opened_on", "pk"), request.GET, ROWS, name="cases"),
        "ended": page_of_rows(
            cases.exclude(pk__in=open_matters("case")).order_by("-pk"), request.GET, 20, name="ended"
        ),
        "only_mine": only_mine,
    }
    return render(request, "quality/quality.html", context)


@open_page
def inspections(request):
    """The register: every verdict, and those of an item, supplier, order or lot by a word."""
    word = request.GET.get("q", "").replace("\x00", "")[:60]
    found = register(companies_of(request.user), word)
    keys = found.values_list("pk", flat=True)
    page = page_of(lambda first, past: verdicts(keys[first:past]), request.GET, ROWS)
    context = {"page": page, "word": word}
    return render(request, "quality/inspections.html", context)


@open_page
def inspections_csv(request):
    """The same verdicts as a table."""
    found = register(companies_of(request.user), request.GET.get("q", "").replace("\x00", "")[:60])
    return csv_file("inspections.csv", COLUMNS, register_rows(found))


@open_page
def certificate(request, inspection_id: int):
    """A verdict on paper."""
    related = ("company", "layer__item", "layer__site", "inspector", "reversed_by", "layer__receipt_line__receipt")
    found = Inspection.objects.select_related(*related, f"layer__{ORDER}__supplier")
    record = get_object_or_404(scoped(found, request.user), pk=inspection_id)
    return file_answer(inspection_paper(record), f"inspection-{record.pk}.pdf")


@form_for("inspect")
def inspect(request, layer_id: int):
    """Pass and fail held units."""
    found = CostLayer.objects.select_related(
        "item", "site", "company", "receipt_line__receipt", "shipment_line__instalment__line__order__supplier"
    )
    layer = get_object_or_404(scoped(found, request.user), pk=layer_id)
    if layer.receipt_line and layer.receipt_line.why:
        return redirect("held", layer.pk)
    held = OnHand.objects.filter(layer=layer, status="held").aggregate(total=Sum("quantity"))["total"] or Decimal(0)
    asked = plan_of(layer) if held else None
    start = {"occurred_on": timezone.localdate()} | ({} if asked else {"passed": plain(held)})
    rule = rule_of(layer)
    asks = Asks(characteristics_of(layer.item), gravest_first(Defect.objects.all()), rule.paper_names if rule else ())
    numbered = layer.item.keeps_serial
    files = request.FILES or None
    form = InspectForm(request.POST or None, files, initial=start, numbered=numbered, plan=asked, asks=asks)
    if request.method == "POST" and form.do(request, inspect_action.inspect, lambda _: form.asked(layer, held)):
        said = Inspection.objects.filter(layer=layer).latest("pk")
        _attach(request, form, said)
        say_done(request, "The verdict is recorded.", "reverse-inspection", said.pk)
        # What failed waits for its end; who inspected it is the one who knows most about it.
        return redirect("case", said.case.pk) if said.failed else redirect("quality")
    context = {
        "layer": layer,
        "held": held,
        "form": form,
        "plan": asked,
        "places": sample_places(layer, asked.sample) if asked else (),
        "lots": inspected_before(layer)[:10],
        "draw": LotDraw.objects.filter(layer=layer).first(),
        "next_draw": waiting_draw(layer),
        "allowed": may(request.user, "inspect", layer.company_id),
        "inspections": Inspection.objects.filter(layer=layer).select_related("inspector").order_by("pk"),
    }
    return render(request, "quality/inspect.html", context, status=422 if form.errors else 200)


def gravest_first(defects: Iterable[Defect]) -> list[Defect]:
    """The house's defects as an inspector looks for them."""
    return sorted(defects, key=lambda one: (CLASSES.index(one.severity), one.name))


def _attach(request, form: InspectForm, said: Inspection) -> None:
    """Pictures and words go with the case of what failed, else with the receipt."""
    kind, record = ("case", said.case.pk) if said.failed else ("receipt", said.layer.receipt_line.receipt_id)
    act = act_of(request, f"{form.cleaned_data['key'][:38]}w")
    if words := form.cleaned_data["words"].strip():
        remarks.remark(act, remarks.RemarkRequest(record, words, kind))
    for number, file in enumerate(form.cleaned_data["pictures"] or []):
        asked = remarks.DocumentRequest(record, file.name, file.read(), kind=kind)
        try:
            remarks.add_document(act_of(request, f"{form.cleaned_data['key'][:38]}p{number}"), asked)
        except Refused as refused:
            messages.warning(request, f"The verdict is recorded; {file.name} is not kept. {refused}")


@form_for("inspect")
def reverse_inspection(request, inspection_id: int):
    """Undo a verdict, as long as nothing stands on it."""
    found = scoped(Inspection.objects.select_related("layer__item"), request.user)
    record = get_object_or_404(found, pk=inspection_id)
    title = f"Reverse the inspection of {record.layer.item} of {record.occurred_on:%-d %b}"
    back = address_of("verdict", record.layer_id)
    return reversal_page(request, title, undo_inspection, record, back)
