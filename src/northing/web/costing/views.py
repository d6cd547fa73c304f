"""Costs: charges with their effect shown first, customs entries, rates, cost trails."""

from django.contrib import messages
from django.db.models import Q
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import companies_of, may_somewhere
from northing.access.queries import scoped
from northing.actions.billing.bills import book_bill, foresee
from northing.actions.costing import charges as charges_action
from northing.billing.models import BillLine
from northing.core.money.exact import plain
from northing.core.problems import Refused
from northing.costing.models import Charge
from northing.drawings.trail import waterfall
from northing.ledger.models import CostLayer
from northing.ledger.queries import posting_note
from northing.reports.clocks import standings_of
from northing.reports.cost_trail import cost_trail
from northing.shipping.models import Container
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, form_for, open_page
from northing.web.common.reversals import ReasonForm
from northing.web.costing.forms import ChargeForm
from northing.web.shipping.views.shipments import visible_shipments

# Of how many shipments a charge is offered for, where it does not come from one of them.
LATEST = 40


@open_page
def charges(request):
    """Charges, newest first, estimates that wait for their bill marked."""
    found = Charge.objects.filter(parts__company__in=companies_of(request.user)).distinct()
    found = found.select_related("payee", "company").prefetch_related("shipments", "bill_lines__bill")
    if request.GET.get("show") == "expected":
        found = found.filter(closed_on=None)
    page = page_of_rows(found.order_by("-pk"), request.GET)
    return render(request, "costing/charges.html", {"charges": page.rows, "page": page})


@form_for("estimate_charge", "book_bill")
def new_charge(request):
    """Enter a bill or an estimate; its effect is shown before it is booked."""
    replaces = _replaced(request)
    shipments = _choosable(request, replaces)
    form = ChargeForm(
        request.POST or None,
        person=request.user,
        shipments=shipments,
        charge=replaces,
        initial=_initial(request, replaces),
    )
    context = {"form": form, "replaces": replaces}
    if request.method == "POST" and form.is_valid():
        if request.POST.get("confirmed"):
            if form.cleaned_data["state"] == "billed":
                page, booked = "bill", form.do(request, book_bill, lambda _: form.bill())
            else:
                page, booked = "charge", form.do(request, charges_action.enter_estimate, lambda _: form.asked())
            if booked:
                note = posting_note([form.cleaned_data["company"].pk], form.cleaned_data["day"])
                messages.success(request, f"Booked and spread{note}.")
                return redirect(page, booked)
        else:
            context |= _effect(form)
    return render(request, "costing/new_charge.html", context, status=422 if form.errors else 200)


def _choosable(request, replaces: Charge | None):
    """The shipment one comes from, or those of the charge, or the latest; and whatever was chosen already."""
    seen = visible_shipments(request.user)
    if replaces:
        named = Q(pk__in=replaces.shipments.all()) | Q(containers__charges=replaces)
        return (
            seen.filter(named | Q(containers__shipment_lines__instalment__line__charges=replaces))
            .distinct()
            .order_by("-pk")
        )
    named = [key for key in [request.GET.get("shipment", ""), *request.POST.getlist("shipments")] if _is_key(key)]
    if request.GET.get("shipment") and named:
        return seen.filter(pk__in=named).order_by("-pk")
    latest = list(seen.order_by("-pk").values_list("pk", flat=True)[:LATEST])
    boxes = [key for key in request.POST.getlist("containers") if _is_key(key)]
    chosen = Q(pk__in=[*latest, *named]) | Q(containers__in=boxes)
    return seen.filter(chosen).distinct().order_by("-pk")


def _is_key(text: str) -> bool:
    return text.isascii() and text.isdigit() and len(text) < 15


def _replaced(request) -> Charge | None:
    key = request.POST.get("charge") or request.GET.get("charge") or ""
    if not _is_key(key):
        return None
    return Charge.objects.filter(pk=key, closed_on=None, parts__company__in=companies_of(request.user)).first()


def _initial(request, replaces: Charge | None) -> dict:
    today = timezone.localdate()
    if replaces is None:
        shipment = request.GET.get("shipment", "")
        found = {"day": today, "shipments": [int(shipment)] if _is_key(shipment) else []}
        return found | _of_clock(request, today)
    asked = charges_action.request_of(replaces)
    return {**asked.__dict__, "day": today, "state": "billed", "amount": f"{asked.amount.normalize():f}"}


def _of_clock(request, today) -> dict:
    """The estimate that a container's clock comes to, where one is named."""
    box, clock = request.GET.get("box", ""), request.GET.get("clock", "")
    if not (_is_key(box) and _is_key(clock)):
        return {}
    boxes = Container.objects.filter(pk=box, shipment__in=visible_shipments(request.user))
    standing = standings_of(boxes.select_related("shipment__voyage__carrier", "shipment__discharge_port"))
    for one in standing:
        if one.free.pk == int(clock):
            return {
                "state": "estimated",
                "payee": one.free.carrier_id,
                "kind": "storage",
                "basis": "value",
                "currency": one.free.currency,
                "amount": plain(one.clock(today).cost),
                "shipments": [],
                "containers": [one.container.pk],
            }
    return {}


def _effect(form: ChargeForm) -> dict:
    """The effect of booking, or the refusal on the form."""
    try:
        billed = form.cleaned_data["state"] == "billed"
        plan = foresee(form.bill())[0] if billed else charges_action.foresee(form.asked())
    except Refused as refused:
        form.take(refused)
        return {}
    return {"plan": plan}


@acts_for("book_bill")
def charge(request, charge_id: int):
    """A charge: its parts, shares and story."""
    mine = companies_of(request.user)
    found = Charge.objects.filter(parts__company__in=mine).distinct().select_related("payee", "company")
    record = get_object_or_404(found, pk=charge_id)
    shares = (
        record.shares.filter(company__in=mine)
        .order_by("pk")
        .select_related("order_line__item", "order_line__order", "shipment_line__container", "company")
    )
    bills = BillLine.objects.filter(charge=record).select_related("bill").order_by("pk")
    context = {"charge": record, "shares": shares, "bills": bills, "form": None}
    context["parts"] = record.parts.filter(company__in=mine).select_related("company")
    context["history"] = history_for(request, "charge", record.pk)
    if record.expected and may_somewhere(request.user, "book_bill"):
        form = context["form"] = ReasonForm(request.POST or None)
        if request.method == "POST" and form.do(request, charges_action.end_estimate, _ending(record)):
            messages.success(request, "The estimate has ended. Goods received no longer carry it.")
            return redirect("charge", record.pk)
    status = 422 if context["form"] and context["form"].errors else 200
    return render(request, "costing/charge.html", context, status=status)


def _ending(record: Charge):
    return lambda entered: charges_action.EndRequest(record.pk, entered["reason"])


@open_page
def layer(request, layer_id: int):
    """The cost trail of a layer: how one unit came to cost what it costs."""
    found = CostLayer.objects.select_related(
        "company",
        "item",
        "site",
        "receipt_line__receipt",
        "shipment_line__instalment__line__order",
        "shipment_line__container",
    )
    record = get_object_or_404(scoped(found, request.user), pk=layer_id)
    trail = cost_trail(record)
    context = {
        "layer": record,
        "trail": trail,
        "drawing": _drawn(trail, record.company.currency),
        "on_hand": record.on_hand.filter(quantity__gt=0).select_related("bin__site"),
        "history": _layer_story(request, record),
    }
    return render(request, "costing/layer.html", context)


def _layer_story(request, layer: CostLayer):
    """The story of its line, bills and all; opening stock has no line, only itself."""
    if layer.shipment_line is None:
        return history_for(request, "layer", layer.pk)
    return history_for(request, "line", layer.shipment_line.instalment.line_id)


def _drawn(trail, currency: str) -> str:
    return waterfall([(step.name, step.per_unit, step.expected) for step in trail.steps], trail.unit, currency)
