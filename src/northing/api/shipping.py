"""The calls of the passage: shipments and what is in them, voyages, positions; carriers' events pushed to us."""

import json
from typing import Annotated, Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Query, Router

from northing.access.permissions import companies_of, require_somewhere
from northing.actions.shipping import build as build_action
from northing.actions.shipping import carrier_events, pack
from northing.actions.shipping import load as load_action
from northing.api.callers import act_of, require
from northing.api.paging import USUAL, page
from northing.api.parameters import After, Key, Limit, answers
from northing.api.shapes import common
from northing.api.shapes import shipping as shapes
from northing.api.shapes.common import NO_NUL
from northing.core.money.exact import plain
from northing.core.positions.places import COLUMNS
from northing.core.problems import Problem, Refused
from northing.masterdata.models import Party, Port
from northing.orders.models import Instalment
from northing.reports.dealings import visible_events
from northing.shipping.models import Shipment, ShipmentLine, Voyage
from northing.shipping.operations import CallPlan
from northing.shipping.queries import visible_shipments

router = Router()


@router.post("/events", response=answers(shapes.EventsOut), tags=["passage"])
def hear(request: HttpRequest, asked: shapes.EventsIn):
    """Take in Track & Trace events in the JSON of the DCSA; one that is known is left alone.

    An event that cannot be read is named under `wrong`, and the others are kept.
    """
    require(request, "passage")
    content = json.dumps(asked.events).encode()
    return carrier_events.hear(act_of(request), carrier_events.EventsRequest(asked.source, content))


@router.get("/events", response=answers(shapes.Events), tags=["passage"])
def events(
    request: HttpRequest,
    after: After = "",
    limit: Limit = USUAL,
    state: Annotated[str, Query("", max_length=8, pattern=NO_NUL)] = "",
):
    """Carriers' events, newest first, and what became of each; `state=waits` is what fits nothing of ours."""
    require(request, "read")
    require_somewhere(request.auth.person, "say_dates")
    found = visible_events(request.auth.person).defer("raw")
    found = found.filter(state=state) if state else found
    rows, following = page(found, after, limit, newest_first=True)
    return {"items": rows, "next": following}


def _shipments(request: HttpRequest):
    return visible_shipments(request.auth.person).prefetch_related("containers", "legs")


@router.get("/shipments", response=answers(shapes.Shipments), tags=["passage"])
def shipments(
    request: HttpRequest,
    after: After = "",
    limit: Limit = USUAL,
    under_way: Annotated[bool, Query(False, description="only those that have not arrived")] = False,
):
    """Shipments, newest first."""
    require(request, "read")
    found = _shipments(request)
    rows, following = page(found.filter(arrived_on=None) if under_way else found, after, limit, newest_first=True)
    return {"items": [_shipment(row) for row in rows], "next": following}


@router.get("/shipments/{shipment_id}", response=answers(shapes.ShipmentWhole), tags=["passage"])
def shipment(request: HttpRequest, shipment_id: Key):
    """A shipment with what is aboard of your companies."""
    require(request, "read")
    row = get_object_or_404(_shipments(request), pk=shipment_id)
    aboard = ShipmentLine.objects.filter(
        container__shipment=row, instalment__line__order__company__in=companies_of(request.auth.person)
    ).select_related("instalment__line__item")
    return _shipment(row) | {"lines": [_shipment_line(part) for part in aboard.order_by("pk")]}


def _shipment(row: Shipment) -> dict[str, Any]:
    names = ["id", "reference", "document", "mode", "planned_dock", "expected_dock", "departed_on", "arrived_on"]
    found = {name: getattr(row, name) for name in names}
    legs = sorted(row.legs.all(), key=lambda leg: leg.number)
    return found | {"voyage": row.voyage_id, "containers": list(row.containers.all()), "legs": legs}


def _shipment_line(part: ShipmentLine) -> dict[str, Any]:
    line = part.instalment.line
    about = {"id": part.pk, "container": part.container_id, "order": line.order_id, "line": line.pk}
    about |= {"instalment": part.instalment_id, "item": line.item.code}
    return about | {"quantity": part.quantity, "accounted": part.accounted}


def _boxes(asked: shapes.LoadIn) -> tuple[load_action.Box, ...]:
    return tuple(
        load_action.Box(
            one.id,
            one.number,
            one.size_type,
            one.seal,
            tuple((row.instalment, row.quantity) for row in one.rows),
        )
        for one in asked.containers
    )


@router.post("/shipments", response=answers(shapes.Loaded, 201), tags=["passage"])
def build(request: HttpRequest, asked: shapes.ShipmentIn):
    """Build a shipment: containers with what is in them, a route and its voyages; all of it or nothing."""
    require(request, "passage")
    opening = pack.ShipmentRequest(asked.document, mode=asked.mode)
    load = load_action.LoadRequest(0, _boxes(asked), accept=asked.accept)
    wanted = build_action.BuildRequest(load, opening, asked.route, tuple(asked.voyages), asked.begin)
    done = build_action.build(act_of(request), wanted)
    return 201, {"id": done["shipment"], "warnings": done["warnings"]}


@router.put("/shipments/{shipment_id}/load", response=answers(shapes.Loaded), tags=["passage"])
def load(request: HttpRequest, shipment_id: Key, asked: shapes.LoadIn):
    """Say what the containers of a shipment should hold."""
    require(request, "passage")
    get_object_or_404(_shipments(request), pk=shipment_id)
    done = load_action.load(act_of(request), load_action.LoadRequest(shipment_id, _boxes(asked), accept=asked.accept))
    return {"id": done["shipment"], "warnings": done["warnings"]}


@router.get("/voyages", response=answers(shapes.Voyages), tags=["passage"])
def voyages(request: HttpRequest, after: After = "", limit: Limit = USUAL):
    """Voyages with their port calls, newest first."""
    require(request, "read")
    found = Voyage.objects.select_related("carrier").prefetch_related("calls")
    rows, following = page(found, after, limit, newest_first=True)
    return {"items": [_voyage(row) for row in rows], "next": following}


def _voyage(row: Voyage) -> dict[str, Any]:
    found = {name: getattr(row, name) for name in ("id", "vessel", "imo", "number")}
    calls = [_call(call) for call in sorted(row.calls.all(), key=lambda call: call.number)]
    return found | {"carrier": row.carrier.code, "called_off": row.blanked_at is not None, "calls": calls}


def _call(call) -> dict[str, Any]:
    names = ["id", "planned_arrival", "planned_departure", "expected_arrival", "expected_departure", "omitted"]
    return {name: getattr(call, name) for name in names} | {"port": call.port_id}


@router.post("/voyages", response=answers(common.Made, 201), tags=["passage"])
def enter_voyage(request: HttpRequest, asked: shapes.VoyageIn):
    """Enter a voyage with its port calls."""
    require(request, "passage")
    carrier = Party.objects.filter(kind=Party.Kind.PROVIDER, code__iexact=asked.carrier).first()
    if carrier is None:
        raise Refused(Problem(f"{asked.carrier!r} is not the code of a service provider.", "carrier"))
    ports = set(Port.objects.filter(code__in=[one.port.upper() for one in asked.calls]).values_list("code", flat=True))
    strange = [one.port for one in asked.calls if one.port.upper() not in ports]
    if strange:
        raise Refused(Problem(f"{strange[0]!r} is not a port that we know.", "calls", "Enter it under House."))
    calls = tuple(CallPlan(one.port.upper(), one.arrival, one.departure) for one in asked.calls)
    wanted = pack.VoyageRequest(asked.vessel, asked.imo, asked.number, carrier.pk, calls)
    return 201, {"id": pack.create_voyage(act_of(request), wanted)}


@router.get("/positions", response=answers(shapes.Positions), tags=["passage"])
def positions(
    request: HttpRequest,
    after: After = "",
    limit: Limit = USUAL,
    order: Annotated[int | None, Query(None, ge=1, le=2**62)] = None,
):
    """Where every unit of your companies' instalments is; they add up to what was ordered and what came beyond."""
    require(request, "read")
    found = Instalment.objects.filter(
        line__order__company__in=companies_of(request.auth.person), position__isnull=False
    ).select_related("position", "line__item")
    rows, following = page(found.filter(line__order=order) if order else found, after, limit)
    return {"items": [_position(row) for row in rows], "next": following}


def _position(row: Instalment) -> dict[str, Any]:
    places = {name: plain(getattr(row.position, name)) for name in COLUMNS}
    about = {"instalment": row.pk, "line": row.line_id, "order": row.line.order_id, "item": row.line.item.code}
    return about | {"expected_on": row.expected_on, "places": places}
