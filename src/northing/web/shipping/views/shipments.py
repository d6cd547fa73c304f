"""Passage: shipments, their containers, legs and dates."""

import tempfile
from datetime import date
from pathlib import Path
from uuid import uuid4

from django.contrib import messages
from django.core.exceptions import PermissionDenied
from django.db.models import Count, prefetch_related_objects
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of, may_somewhere
from northing.actions.shipping import container_milestones, milestones, pack, required_documents
from northing.core.planning.loading import chargeable_weight, fill_of
from northing.core.problems import Refused, Strength
from northing.core.worklist.moves import PARTIES
from northing.ledger.queries import posting_note
from northing.masterdata.queries import places
from northing.reports.clocks import standings_of
from northing.reports.cost_pieces import parts_of_shipments
from northing.reports.cost_sheet import cost_sheet
from northing.reports.packing_list import (
    despatch_advice,
    packed_rows,
    packing_csv,
    packing_pdf,
    packing_sheet,
    senders,
)
from northing.reports.ranges import Learnt, shipment_range
from northing.reports.readiness import readiness_of
from northing.shipping.models import DateStatement, Leg, PortCall, RequiredDocument, Shipment, ShipmentLine
from northing.shipping.queries import visible_shipments
from northing.web.common.back import is_ours, way_back
from northing.web.common.forms import act_of, say_errors
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_keys
from northing.web.common.permissions import acts_for, form_for, open_page
from northing.web.common.reversals import say_done
from northing.web.orders.forms.orders import WholeForm
from northing.web.shipping.forms.required_documents import DocumentDoneForm, RequiredDocumentForm
from northing.web.shipping.forms.shipments import (
    BoxesForm,
    CallFormSet,
    DateForm,
    LegFormSet,
    PassageForm,
    VoyageForm,
    with_another,
)
from northing.web.shipping.queries.date_history import said_of_shipment
from northing.web.worklist.acts import acts_on

SHOWN = 200


def _shipment(request, shipment_id: int) -> Shipment:
    return get_object_or_404(
        visible_shipments(request.user).select_related("voyage__carrier", "forwarder"), pk=shipment_id
    )


@open_page
def shipments(request):
    """Shipments, newest first."""
    wide = Shipment.objects.select_related("voyage__carrier").prefetch_related("legs")
    wide = wide.annotate(boxes=Count("containers", distinct=True), parts=Count("containers__shipment_lines"))
    page = page_of_keys(visible_shipments(request.user).order_by("-pk"), request.GET, wide=wide)
    return render(request, "shipping/shipments.html", {"shipments": page.rows, "page": page})


@form_for("pack")
def new_voyage(request):
    """Enter a voyage."""
    rows = _rows(request, "calls")
    form, calls = VoyageForm(request.POST or None), CallFormSet(rows, prefix="calls")
    if "more" in request.POST:
        _unjudged(form, calls)
        return render(request, "shipping/new_voyage.html", {"form": form, "calls": calls})
    if request.method == "POST" and calls.is_valid() and form.is_valid():
        plans = [call for call in (one.asked() for one in calls) if call]
        if form.do(request, pack.create_voyage, lambda _: form.asked(plans)):
            messages.success(request, "The voyage is entered; choose it when you plan a passage.")
            return redirect(back_of(request) or "passage")
    context = {"form": form, "calls": calls}
    return render(request, "shipping/new_voyage.html", context, status=422 if request.method == "POST" else 200)


def _rows(request, prefix: str):
    """The rows of a table as they were sent, and a further one where that is asked for."""
    return with_another(request.POST, prefix) if "more" in request.POST else request.POST or None


def _unjudged(form, rows) -> None:
    """A further row is asked for: nothing that stands there is judged yet."""
    for one in (form, *rows):
        one.errors.clear()


def back_of(request) -> str | None:
    """A path of a shipment or a voyage to return to, if one was given."""
    path = request.GET.get("then", "")
    return path if path.startswith("/shipping/") and is_ours(path) else None


@open_page
def shipment(request, shipment_id: int):
    """A shipment: what is aboard, its legs, its costs so far, its story."""
    record = _shipment(request, shipment_id)
    prefetch_related_objects([record], "legs", "customs_entries")
    mine = companies_of(request.user)
    ports = ("shipment__voyage__carrier", "shipment__discharge_port")
    containers = list(record.containers.select_related(*ports).order_by("number"))
    aboard = parts_of_shipments([record.pk], record, containers)
    shipment_lines = [part for part in aboard if part.instalment.line.order.company_id in mine]
    shipment_lines.sort(key=lambda part: (part.container.number, part.pk))
    boxes = [
        {"container": box, "parts": [part for part in shipment_lines if part.container_id == box.pk]}
        for box in containers
    ]
    standing = standings_of(containers)
    today = timezone.localdate()
    context = {
        "shipment": record,
        "boxes": boxes,
        "clocks": [(one, one.clock(today)) for one in standing],
        "boxes_form": _boxes_form(record, today),
        "legs": sorted(record.legs.all(), key=lambda leg: leg.number),
        "said": said_of_shipment(record),
        "sheets": cost_sheet(record, aboard, mine, today),
        "readiness": readiness_of(record, mine, today),
        "range": shipment_range(record, Learnt(), today),
        "papers": record.required_documents.select_related("owner").order_by("done_on", "due", "pk"),
        "paper_form": RequiredDocumentForm(),
        "parties": PARTIES,
        "today": today,
        "senders": senders(record, mine),
        "total": _total(shipment_lines),
        "date_form": DateForm(shipment=record, initial={"value": timezone.localdate()}),
        "history": history_for(request, "shipment", record.pk),
        "doing": acts_on("shipment", record.pk, request.user),
        "key": uuid4().hex,
    }
    return render(request, "shipping/shipment.html", context)


def _boxes_form(record: Shipment, today: date) -> BoxesForm:
    """The milestone that is likely next: of what is on its way the discharge,
    of what has landed that it is fetched.
    """
    milestone = "gate_out" if record.arrived_on else "discharged"
    return BoxesForm(shipment=record, initial={"value": today, "milestone": milestone})


def _total(shipment_lines: list[ShipmentLine]) -> dict:
    """What is aboard by volume and weight, and what air freight would be charged by."""
    items = ((part.quantity, part.instalment.line.item) for part in shipment_lines)
    whole = fill_of(((units, item.volume_m3, item.weight_kg) for units, item in items), None, None)
    charged = chargeable_weight(whole.volume, whole.weight)
    return {"volume": whole.volume, "weight": whole.weight, "chargeable": charged}


@form_for("pack")
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
    # Its days stand for those that are left empty.
    chosen = request.POST.get("voyage", "")
    calls = PortCall.objects.filter(voyage=chosen if chosen.isascii() and chosen.isdigit() and len(chosen) < 15 else 0)
    of_voyage = {"calls": list(calls.filter(omitted=False).select_related("port").order_by("number"))}
    legs = LegFormSet(_rows(request, "legs"), prefix="legs", initial=planned, form_kwargs=of_voyage)
    context = {"shipment": record, "form": form, "legs": legs, "places": places()}
    if "more" in request.POST:
        _unjudged(form, legs)
        return render(request, "shipping/plan.html", context)
    if request.method == "POST" and legs.is_valid() and form.is_valid():
        plans = [leg for leg in (one.asked() for one in legs) if leg]
        if form.do(request, pack.plan_passage, lambda _: form.asked(record.pk, plans)):
            return redirect("shipment", record.pk)
    bad = request.method == "POST"
    return render(request, "shipping/plan.html", context, status=422 if bad else 200)


@acts_for("say_dates")
@require_POST
def say_boxes(request, shipment_id: int):
    """Record milestones of containers; where dates move, their effect is shown first."""
    record = _shipment(request, shipment_id)
    if not may_somewhere(request.user, "say_dates"):
        raise PermissionDenied
    form = BoxesForm(request.POST, shipment=record)
    if not request.POST.get("confirmed") and form.is_valid():
        asked = form.asked(form.cleaned_data)
        try:
            ripple = container_milestones.preview(act_of(request), asked, companies_of(request.user))
        except Refused as refused:
            form.take(refused)
            say_errors(request, form)
            return redirect("shipment", record.pk)
        arrives = container_milestones.lands(asked, record)
        if ripple.lines or arrives:
            names = [box.number for box in form.cleaned_data["containers"]]
            said = container_milestones.words_of(names, asked.milestone, asked.kind, asked.value)
            book = _book(record.reference)
            context = {"shipment": record, "form": form, "ripple": ripple, "said": said, "book": book, "shown": SHOWN}
            return render(request, "shipping/ripple.html", context | {"arrives": arrives, "action": "say-boxes"})
    if form.do(request, container_milestones.say_boxes, form.asked):
        messages.success(request, "Recorded; their clocks and dates follow.")
    say_errors(request, form)
    return redirect("shipment", record.pk)


def _book(aboard: str) -> str:
    return f"/orders/lines/?where=aboard+{aboard}"


@acts_for("say_dates")
@require_POST
def say_date(request, shipment_id: int):
    """First the ripple of a date, then, confirmed, the date itself."""
    record = _shipment(request, shipment_id)
    if not may_somewhere(request.user, "say_dates"):
        raise PermissionDenied
    form = DateForm(request.POST, shipment=record)
    if request.POST.get("confirmed") and form.do(request, milestones.say_date, form.asked):
        note = ""
        if form.cleaned_data["kind"] == "actual":
            note = posting_note(companies_of(request.user), form.cleaned_data["value"])
        said = DateStatement.objects.filter(said_by=request.user).latest("pk")
        say_done(request, f"The date is recorded{note}; everything aboard follows it.", "take-back", said.pk)
        return way_back(request, "shipment", record.pk)
    context = {"shipment": record, "form": form, "book": _book(record.reference), "action": "say-date"}
    context["back"] = request.POST.get("back", "")
    if form.is_valid():
        asked = form.asked(form.cleaned_data)
        context |= {"asked": form.cleaned_data, "others": _others_aboard(record, asked.leg), "shown": SHOWN}
        try:
            context["ripple"] = milestones.preview(asked, timezone.localdate(), companies_of(request.user))
            context |= _asked_about(asked)
        except Refused as refused:
            form.take(refused)
    return render(request, "shipping/ripple.html", context, status=422 if form.errors else 200)


def _asked_about(asked: milestones.DateRequest) -> dict:
    """The things that are missing for it: a person who sees them and records it all the same has answered."""
    missing = milestones.missing(asked)
    return {"missing": missing, "blocked": any(one.strength is Strength.BLOCK for one in missing)}


def _others_aboard(record: Shipment, leg: int) -> int:
    """How many other shipments the date moves: those that share the voyage."""
    own = record.legs.filter(pk=leg, load_call__isnull=False).values_list("load_call__voyage", flat=True)
    others = Leg.objects.filter(load_call__voyage__in=own).exclude(shipment=record)
    return others.values("shipment").distinct().count()


@acts_for("pack")
@require_POST
def require_document(request, shipment_id: int):
    """Ask for a paper."""
    record = _shipment(request, shipment_id)
    return _paper_done(
        request, record, RequiredDocumentForm(request.POST), required_documents.require_document, record.pk
    )


@acts_for("pack")
@require_POST
def require_usual_documents(request, shipment_id: int):
    """Ask for the usual papers."""
    record = _shipment(request, shipment_id)
    asked = required_documents.UsualRequest(record.pk)
    form = WholeForm(request.POST)
    number = form.do(request, required_documents.ask_usual, lambda _: asked)
    if number is not None:
        messages.success(request, f"{number} papers are asked for." if number else "They are asked for already.")
    return _to_papers(request, record, form)


@acts_for("pack")
@require_POST
def complete_document(request, paper_id: int):
    """A paper is there, or is not after all."""
    paper = get_object_or_404(
        RequiredDocument.objects.filter(shipment__in=visible_shipments(request.user)), pk=paper_id
    )
    return _paper_done(
        request, paper.shipment, DocumentDoneForm(request.POST), required_documents.complete_document, paper.pk
    )


def _paper_done(request, record: Shipment, form, action, key: int):
    if form.do(request, action, lambda _: form.asked(key)):
        messages.success(request, "Recorded.")
    return _to_papers(request, record, form)


def _to_papers(request, record: Shipment, form):
    say_errors(request, form)
    return redirect(reverse("shipment", args=[record.pk]) + "#papers")


@open_page
def packing_list(request, shipment_id: int, kind: str):
    """The packing list of the goods that the person may see, as PDF, CSV or XLSX."""
    record = _shipment(request, shipment_id)
    rows = packed_rows(record, companies_of(request.user))
    name = f"packing-list-{record.reference}.{kind}"
    if kind == "pdf":
        return _file(packing_pdf(record, rows), "application/pdf", name)
    if kind == "csv":
        return _file("\ufeff" + "".join(packing_csv(rows)), "text/csv; charset=utf-8", name)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / name
        packing_sheet(rows, path)
        sheet = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
        return _file(path.read_bytes(), sheet, name)


@open_page
def advice(request, shipment_id: int, supplier_id: int, company_id: int):
    """The despatch of one supplier to one company, as a UBL DespatchAdvice."""
    record = _shipment(request, shipment_id)
    for supplier, company in senders(record, companies_of(request.user)):
        if (supplier.pk, company.pk) == (supplier_id, company_id):
            name = f"despatch-{record.reference}-{supplier.code}-{company.code}.xml"
            return _file(despatch_advice(record, supplier, company), "application/xml", name)
    raise Http404


def _file(content: bytes | str, kind: str, name: str) -> HttpResponse:
    answer = HttpResponse(content, content_type=kind)
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer
