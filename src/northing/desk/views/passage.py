"""Passage: shipments, their containers, legs and dates."""

from django.contrib import messages
from django.core.exceptions import PermissionDenied
from django.db.models import Count, Q
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.core.problems import Refused
from northing.deeds.ship import following, handling, packing
from northing.desk.forms.passage import (
    BoxesForm,
    CallFormSet,
    DateForm,
    LegFormSet,
    PassageForm,
    VoyageForm,
)
from northing.desk.queries.paging import page_of_rows
from northing.desk.queries.story import told
from northing.directory.rights import companies_of, may_somewhere
from northing.ledger.queries import posting_note
from northing.reports.clocks import standings_of
from northing.reports.cost_sheet import cost_sheet
from northing.shipping.models import DateStatement, Leg, Shipment, Stowage, Voyage

SHOWN = 200


def visible_shipments(person):
    """Shipments with goods of the person's companies, and those with nothing in them yet."""
    mine = Stowage.objects.filter(instalment__line__order__company__in=companies_of(person))
    others = Stowage.objects.exclude(instalment__line__order__company__in=companies_of(person))
    aboard = mine.values("container__shipment")
    return Shipment.objects.filter(Q(pk__in=aboard) | ~Q(pk__in=others.values("container__shipment")))


def _shipment(request, shipment_id: int) -> Shipment:
    return get_object_or_404(
        visible_shipments(request.user).select_related("voyage__carrier", "forwarder"), pk=shipment_id
    )


def shipments(request):
    """Shipments, newest first."""
    found = visible_shipments(request.user).select_related("voyage__carrier")
    found = found.annotate(boxes=Count("containers", distinct=True), parts=Count("containers__stowage"))
    page = page_of_rows(found.prefetch_related("legs").order_by("-pk"), request.GET)
    return render(request, "desk/passage.html", {"shipments": page.rows, "page": page})


def new_voyage(request):
    """Enter a voyage."""
    form, calls = VoyageForm(request.POST or None), CallFormSet(request.POST or None, prefix="calls")
    if request.method == "POST" and calls.is_valid() and form.is_valid():
        plans = [call for call in (one.asked() for one in calls) if call]
        if form.do(request, packing.create_voyage, lambda _: form.asked(plans)):
            messages.success(request, "The voyage is entered; choose it when you plan a passage.")
            return redirect(_back(request) or "passage")
    context = {"form": form, "calls": calls}
    return render(request, "desk/voyage_new.html", context, status=422 if request.method == "POST" else 200)


def _back(request):
    """A path of ours to return to, if one was given."""
    path = request.GET.get("then", "")
    return path if path.startswith("/passage/") and "//" not in path[1:] else None


def shipment(request, shipment_id: int):
    """A shipment: what is aboard, its legs, its costs so far, its story."""
    record = _shipment(request, shipment_id)
    mine = companies_of(request.user)
    stowage = list(
        Stowage.objects.filter(container__shipment=record, instalment__line__order__company__in=mine)
        .select_related("container", "instalment__line__item", "instalment__line__order__supplier")
        .select_related("instalment__line__order__company")
        .order_by("container__number", "pk")
    )
    boxes = [
        {"container": box, "parts": [part for part in stowage if part.container_id == box.pk]}
        for box in record.containers.order_by("number")
    ]
    standing = standings_of(
        record.containers.select_related("shipment__voyage__carrier", "shipment__discharge_port").order_by("number")
    )
    today = timezone.localdate()
    context = {
        "shipment": record,
        "boxes": boxes,
        "clocks": [(one, one.clock(today)) for one in standing],
        "boxes_form": BoxesForm(shipment=record, initial={"value": today}) if record.arrived_on else None,
        "legs": record.legs.order_by("number"),
        "said": _said(record),
        "sheets": cost_sheet(record, mine, timezone.localdate()),
        "date_form": DateForm(shipment=record, initial={"value": timezone.localdate()}),
        "story": told(request, "shipment", record.pk),
    }
    return render(request, "desk/shipment.html", context)


def _said(record: Shipment):
    legs = record.legs.exclude(load_call=None)
    about = Q(leg__shipment=record) | Q(milestone="departure", call__in=legs.values("load_call"))
    about |= Q(milestone="arrival", call__in=legs.values("discharge_call"))
    return DateStatement.objects.filter(about).select_related("call__voyage", "call__port", "leg").order_by("-pk")[:30]


def plan(request, shipment_id: int):
    """Plan the legs and choose the voyage."""
    record = _shipment(request, shipment_id)
    planned = [
        {
            "mode": leg.mode,
            "origin": leg.origin,
            "destination": leg.destination,
            "start": leg.planned_start,
            "end": leg.planned_end,
        }
        for leg in record.legs.order_by("number")
    ]
    form = PassageForm(request.POST or None, initial={"voyage": record.voyage_id})
    legs = LegFormSet(request.POST or None, prefix="legs", initial=planned)
    if request.method == "POST" and legs.is_valid() and form.is_valid():
        plans = [leg for leg in (one.asked() for one in legs) if leg]
        if form.do(request, packing.plan_passage, lambda _: form.asked(record.pk, plans)):
            return redirect("shipment", record.pk)
    context = {"shipment": record, "form": form, "legs": legs, "voyages": Voyage.objects.exists()}
    bad = request.method == "POST"
    return render(request, "desk/plan.html", context, status=422 if bad else 200)


@require_POST
def say_boxes(request, shipment_id: int):
    """What happened to containers by themselves."""
    record = _shipment(request, shipment_id)
    form = BoxesForm(request.POST, shipment=record)
    if form.do(request, handling.say_boxes, form.asked):
        messages.success(request, "Recorded; their clocks follow.")
    for errors in form.errors.values():
        for error in errors:
            messages.error(request, error)
    return redirect("shipment", record.pk)


@require_POST
def say_date(request, shipment_id: int):
    """First the ripple of a date, then, confirmed, the date itself."""
    record = _shipment(request, shipment_id)
    if not may_somewhere(request.user, "say_dates"):
        raise PermissionDenied
    form = DateForm(request.POST, shipment=record)
    if request.POST.get("confirmed") and form.do(request, following.say_date, form.asked):
        note = ""
        if form.cleaned_data["kind"] == "actual":
            note = posting_note(companies_of(request.user), form.cleaned_data["value"])
        messages.success(request, f"The date is recorded{note}; everything aboard follows it.")
        return redirect("shipment", record.pk)
    context = {"shipment": record, "form": form}
    if form.is_valid():
        asked = form.asked(form.cleaned_data)
        context |= {"asked": form.cleaned_data, "others": _others_aboard(record, asked.leg), "shown": SHOWN}
        try:
            context["ripple"] = following.preview(asked, timezone.localdate(), companies_of(request.user))
        except Refused as refused:
            form.take(refused)
    return render(request, "desk/ripple.html", context, status=422 if form.errors else 200)


def _others_aboard(record: Shipment, leg: int) -> int:
    """How many other shipments the date moves: those that share the voyage."""
    own = record.legs.filter(pk=leg, load_call__isnull=False).values_list("load_call__voyage", flat=True)
    others = Leg.objects.filter(load_call__voyage__in=own).exclude(shipment=record)
    return others.values("shipment").distinct().count()
