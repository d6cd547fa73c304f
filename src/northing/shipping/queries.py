"""Reads of shipments and their dates."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from hashlib import sha256
from itertools import groupby
from typing import NamedTuple

from django.db.models import Exists, OuterRef, Q, QuerySet, Sum
from django.db.models.functions import Coalesce

from northing.access.models import Person
from northing.access.permissions import companies_of
from northing.core.planning.passage import (
    PlannedLeg,
    Point,
    Statement,
    believed,
    expected_days,
    expected_legs,
    for_container,
    weight,
)
from northing.masterdata.models import Item, Port
from northing.orders.models import PurchaseOrder
from northing.shipping.models import (
    CARRIED,
    Container,
    DateStatement,
    DespatchNotice,
    Leg,
    PortCall,
    Shipment,
    ShipmentLine,
    Voyage,
)

# Units aboard shipments (ids) that the dock has not accounted for: instalment, shipment lines, quantity.
UNSETTLED = """
select s.instalment_id as instalment, s.id as shipment_line, s.quantity - s.accounted as quantity
  from shipping_shipmentline s
  join shipping_container c on c.id = s.container_id
 where c.shipment_id = any(%s) and s.accounted < s.quantity
"""


def companies_aboard(shipments: Iterable[int]) -> dict[int, set[str]]:
    """The companies (ids) that have goods in the shipments, with the moments from which theirs are ours."""
    aboard = ShipmentLine.objects.filter(container__shipment__in=list(shipments)).order_by()
    order = "instalment__line__order"
    found: dict[int, set[str]] = {}
    for company, moment in aboard.values_list(f"{order}__company", f"{order}__ours_from").distinct():
        found.setdefault(company, set()).add(moment)
    return found


def companies_of_shipments(shipments: Iterable[int]) -> dict[int, set[int]]:
    """The companies (ids) that have goods in each of the shipments (ids)."""
    aboard = ShipmentLine.objects.filter(container__shipment__in=list(shipments)).order_by()
    found: dict[int, set[int]] = {}
    for shipment, company in aboard.values_list("container__shipment", "instalment__line__order__company").distinct():
        found.setdefault(shipment, set()).add(company)
    return found


@dataclass(frozen=True)
class Sailing:
    """A call with its expected days and whether they have happened (None where nothing is known of a day)."""

    call: PortCall
    arrival: tuple[date, bool] | None
    departure: tuple[date, bool] | None


def sailings(voyages: Iterable[int], today: date, extra: Iterable[DateStatement] = ()) -> dict[int, Sailing]:
    """Where the voyages (ids) stand, call by call (by id); `extra` unsaved statements included.

    A slip runs on from call to call. An omitted call is passed by.
    """
    calls = list(PortCall.objects.filter(voyage__in=list(voyages)).order_by("voyage", "number"))
    said = words("call", [call.pk for call in calls], extra=extra)
    found: dict[int, Sailing] = {}
    for _, group in groupby(calls, key=lambda call: call.voyage_id):
        found |= _sailing([call for call in group if not call.omitted], said, today)
    return found


# What is said, by what it is about (id) and by milestone.
Words = Mapping[int, Mapping[str, list[Statement]]]
NOTHING: Mapping[str, list[Statement]] = {}


def words(
    about: str, keys: Iterable[int], *, extra: Iterable[DateStatement] = (), milestones: Sequence[str] = ()
) -> Words:
    """The newest words about calls, legs or containers (ids), `extra` unsaved statements included; of some milestones,
    or of all."""
    newest = newest_said(about).filter(**{f"{about}__any_of": list(keys)})
    newest = newest.filter(milestone__in=milestones) if milestones else newest
    found: dict[int, dict[str, list[Statement]]] = {}
    rows = newest.values_list(f"{about}_id", "milestone", "kind", "value", "said_at", "pk", "rank")
    for key, milestone, *word in rows:
        found.setdefault(key, {}).setdefault(milestone, []).append(Statement(*word))
    for said in extra:
        key = getattr(said, f"{about}_id")
        if key:
            word = Statement(said.kind, said.value, said.said_at, said.pk or 2**62, said.rank)
            found.setdefault(key, {}).setdefault(said.milestone, []).append(word)
    return found


def newest_said(about: str) -> QuerySet[DateStatement]:
    """The newest statement of each kind about calls, legs or containers (`about`), by core.passage.weight: no
    other counts."""
    key = (f"{about}_id", "milestone", "kind")
    standing = DateStatement.objects.filter(retracted=False)
    return standing.order_by(*key, "-said_at", "-rank", "-pk").distinct(*key)


def believed_of(said: QuerySet[DateStatement]) -> set[int]:
    """Of statements (ids) those that are believed: of each date that they are about one, by core.passage.believed."""
    best: dict[tuple, Statement] = {}
    rows = said.filter(retracted=False).order_by()
    about = ("call", "leg", "container", "milestone")
    for *key, kind, value, said_at, pk, rank in rows.values_list(*about, "kind", "value", "said_at", "pk", "rank"):
        one = Statement(kind, value, said_at, pk, rank)
        best[tuple(key)] = max(best.get(tuple(key), one), one, key=weight)
    return {one.id for one in best.values()}


def _sailing(calls: Sequence[PortCall], said: Words, today: date) -> dict[int, Sailing]:
    ends = [(call, milestone) for call in calls for milestone in ("arrival", "departure")]
    points, at = [], []
    for call, milestone in ends:
        about = said.get(call.pk, NOTHING).get(milestone, [])
        plan = call.planned_arrival if milestone == "arrival" else call.planned_departure
        known = believed(about, today)
        plan = plan or (known[0] if known else None)
        if plan:
            points.append(Point(plan, about))
            at.append((call.pk, milestone))
    days = dict(zip(at, expected_days(points, today), strict=True))
    return {call.pk: Sailing(call, days.get((call.pk, "arrival")), days.get((call.pk, "departure"))) for call in calls}


Planned = tuple[list[Leg], list[PlannedLeg]]


def planned_legs(
    shipments: Iterable[Shipment], today: date, extra: Iterable[DateStatement] = ()
) -> tuple[dict[int, Planned], dict[int, Sailing]]:
    """The legs of shipments (by id) with what was said of each, `extra` unsaved statements included; and the sailings
    that they follow. Four queries, however many shipments."""
    extra = list(extra)
    legs = list(Leg.objects.filter(shipment__any_of=[one.pk for one in shipments]).order_by("shipment", "number"))
    calls = {call for leg in legs for call in (leg.load_call_id, leg.discharge_call_id) if call}
    voyages = set(PortCall.objects.filter(pk__in=calls).values_list("voyage", flat=True)) if calls else set()
    sailing = sailings(voyages, today, extra) if voyages else {}
    by_leg = words("leg", [leg.pk for leg in legs], extra=extra)
    found: dict[int, Planned] = {shipment.pk: ([], []) for shipment in shipments}
    for leg in legs:
        mine = by_leg.get(leg.pk, NOTHING)
        start, end = mine.get("departure", []), mine.get("arrival", [])
        if leg.load_call_id:
            start = _sails(sailing.get(leg.load_call_id), "departure")
            end = _sails(sailing.get(leg.discharge_call_id), "arrival")
        of_shipment = found[leg.shipment_id]
        of_shipment[0].append(leg)
        of_shipment[1].append(PlannedLeg(leg.planned_start, leg.planned_end, start, end))
    return found, sailing


# A leg takes its voyage's day as what was said of it: when, and in which order, is settled among the calls. A vessel
# neither waits for a lorry that is late nor leaves before its day for one that is early.
SETTLED = datetime(1, 1, 1, tzinfo=UTC)


def _sails(sailing: Sailing | None, milestone: str) -> list[Statement]:
    known = getattr(sailing, milestone) if sailing else None
    if known is None:
        return []
    return [Statement("actual" if known[1] else "estimated", known[0], SETTLED, 0)]


def packing_mark(shipment: int, companies: Iterable[int]) -> str:
    """A mark of what the containers of a shipment hold of the goods of some companies; another one when it changes."""
    boxes = Container.objects.filter(shipment=shipment).order_by("pk").values_list("pk", "number", "size_type", "seal")
    rows = ShipmentLine.objects.filter(
        container__shipment=shipment, instalment__line__order__company__in=list(companies)
    ).order_by("pk")
    said = repr((list(boxes), list(rows.values_list("container", "instalment", "quantity"))))
    return sha256(said.encode()).hexdigest()[:16]


def open_voyages() -> QuerySet[Voyage]:
    """Voyages that goods can still be put on: not called off, with a call that has not departed and a later one."""
    later = PortCall.objects.filter(voyage=OuterRef("voyage"), number__gt=OuterRef("number"), omitted=False)
    gone = DateStatement.objects.filter(call=OuterRef("pk"), milestone="departure", kind="actual", retracted=False)
    loads = PortCall.objects.filter(Exists(later), ~Exists(gone), voyage=OuterRef("pk"), omitted=False)
    return Voyage.objects.filter(Exists(loads), blanked_at=None)


def visible_shipments(person: Person, *, whole: bool = False) -> QuerySet[Shipment]:
    """Shipments with goods of the person's companies, and those with nothing in them yet.

    Asked shipment by shipment, so that one of them, or the first of many, costs no look at all the others; where the
    `whole` of them is wanted, all at once.
    """
    packed = ShipmentLine.objects.filter(container__isnull=False)
    if whole:
        aboard = packed.filter(instalment__line__order__company__in=companies_of(person)).values("container__shipment")
        return Shipment.objects.filter(Q(pk__in=aboard) | ~Q(pk__in=packed.values("container__shipment")))
    # Two bounds and not an equation: of an equation the database would make a table of all that is packed.
    here = {"container__shipment__gte": OuterRef("pk"), "container__shipment__lte": OuterRef("pk")}
    packed = packed.filter(**here)
    mine = packed.filter(instalment__line__order__company__in=companies_of(person))
    return Shipment.objects.filter(Exists(mine) | ~Exists(packed))


def visible_notices(person: Person) -> QuerySet[DespatchNotice]:
    """Notices about orders of the person's companies, and those about none that we know."""
    mine = companies_of(person)
    theirs = DespatchNotice.objects.filter(lines__order_line__order__company__isnull=False).exclude(
        lines__order_line__order__company__in=mine
    )
    return DespatchNotice.objects.exclude(pk__in=theirs.values("pk"))


def held_in(boxes: Iterable[int]) -> dict[tuple[int, int], Decimal]:
    """How much of each instalment (id) each of the containers (ids) holds."""
    rows = ShipmentLine.objects.filter(container__in=list(boxes)).order_by().values_list("container", "instalment")
    return {(box, part): total for box, part, total in rows.annotate(total=Sum("quantity"))}


# For how long after its arrival at the port the dock day of a container is still looked at.
RECENT = timedelta(days=120)


def followed(today: date) -> QuerySet[Shipment]:
    """Shipments that are on their way, or arrived at their port not long ago."""
    return Shipment.objects.filter(Q(arrived_on=None) | Q(arrived_on__gte=today - RECENT))


def expected_docks(today: date) -> dict[int, date | None]:
    """The dock days of all containers (by id) that are on their way, or arrived at their port not long ago."""
    on_the_way = Container.objects.filter(shipment__in=followed(today)).order_by()
    rows = on_the_way.values_list("pk", "own_dock", "shipment__expected_dock")
    return {key: own or dock for key, own, dock in rows}


def own_docks(
    planned: Mapping[int, Planned], today: date, extra: Iterable[DateStatement] = ()
) -> dict[int, date | None]:
    """The own dock days of the containers (by id) of planned shipments (by id), `extra` unsaved statements included.

    None where a container has no statement of its own.
    """
    boxes = Container.objects.filter(shipment__any_of=list(planned)).order_by()
    boxes = boxes.values_list("pk", "shipment", "own_dock")
    planned_of = {key: planned[shipment] for key, shipment, _ in boxes}
    own = words("container", planned_of, extra=extra, milestones=OWN)
    said = {key: NOTHING for key, _, day in boxes if day} | own
    return {key: _own_dock(planned_of[key], about, today) for key, about in said.items()}


# What is said of a container by itself and moves its day at the dock.
OWN = (DateStatement.Milestone.DISCHARGED, DateStatement.Milestone.GATE_OUT)


def _own_dock(planned: Planned, said: Mapping[str, list[Statement]], today: date) -> date | None:
    legs, plan = planned
    landed = next((place for place, leg in enumerate(legs) if leg.main), None)
    if not said or landed is None:
        return None
    inland = (place for place in range(landed + 1, len(legs)) if legs[place].mode in (Leg.Mode.ROAD, Leg.Mode.RAIL))
    discharged, out = (said.get(milestone, []) for milestone in OWN)
    return expected_legs(for_container(plan, landed, next(inland, None), discharged, out), today)[-1].end


def given_back() -> Exists:
    """Of containers: a person says that they went back empty."""
    said = DateStatement.objects.filter(container=OuterRef("pk"), milestone="returned", retracted=False)
    return Exists(said)


def first_carried(legs: Iterable[Leg]) -> Leg | None:
    """Of a shipment's legs in order the one with which its goods are on board."""
    return next((leg for leg in legs if leg.main or leg.mode in CARRIED), None)


class TooLate(NamedTuple):
    """Goods aboard that are to be ready too late: what of which line, both days, and in words what they miss."""

    name: str
    ready: date
    leaves: date
    missed: str


def ready_too_late(shipment: Shipment, most: int = 20) -> list[TooLate]:
    """Goods that are packed and, by the supplier's promise or our asking, not ready when they are collected or, where
    no leg collects them, when their vessel leaves; latest first.
    """
    legs = list(shipment.legs.order_by("number"))
    leg = first_carried(legs)
    if leg is None or shipment.departed_on:
        return []
    if leg.number > legs[0].number and legs[0].mode in (Leg.Mode.ROAD, Leg.Mode.RAIL):
        last, missed = legs[0].expected_end, "their collection ends"
    elif leg.load_call_id is not None:
        last, missed = leg.expected_start, "the vessel leaves"
    else:
        return []
    ready = Coalesce("instalment__promise", "instalment__asked_on")
    parts = ShipmentLine.objects.filter(container__shipment=shipment, accounted=0).annotate(ready=ready)
    late = parts.filter(ready__gt=last).order_by("-ready", "pk")[:most]
    names = ("instalment__line__item__code", "instalment__line__order__number", "instalment__line__number", "ready")
    return [
        TooLate(f"{item} of {order}/{number}", day, last, missed)
        for item, order, number, day in late.values_list(*names)
    ]


class Elsewhere(NamedTuple):
    """Goods aboard that are for a site in another country than the one where the voyage discharges them."""

    name: str
    site: str
    port: str
    strength: str


def going_elsewhere(shipment: Shipment, most: int = 20) -> list[Elsewhere]:
    """Goods whose site lies in another country than the port of discharge; `strength` as their company says."""
    main = shipment.legs.filter(main=True).first()
    port = main and (main.discharge_call.port_id if main.discharge_call_id else main.destination)
    if not port or not Port.objects.filter(pk=port).exists():
        return []
    order = "instalment__line__order"
    parts = ShipmentLine.objects.filter(container__shipment=shipment, accounted=0)
    away = parts.exclude(**{f"{order}__site__port": None}).exclude(
        **{f"{order}__site__port__code__startswith": port[:2]}
    )
    names = (f"{order}__number", "instalment__line__number", "instalment__line__item__code", f"{order}__site__name")
    rows = away.values_list(*names, f"{order}__company__load_elsewhere").distinct().order_by(*names)[:most]
    return [
        Elsewhere(f"{item} of {number}/{line}", site, port, strength) for number, line, item, site, strength in rows
    ]


def with_goods(found: QuerySet[ShipmentLine]) -> list[ShipmentLine]:
    """Shipment lines by order line, with what their cost is reckoned from."""
    parts = list(found.select_related("instalment__line").order_by("instalment__line_id", "pk"))
    return with_items(with_boxes(with_orders(parts, "company")))


def with_items(parts: list[ShipmentLine]) -> list[ShipmentLine]:
    """Give shipment lines their items, each read once."""
    items = Item.objects.in_bulk({part.instalment.line.item_id for part in parts})
    for part in parts:
        part.instalment.line.item = items[part.instalment.line.item_id]
    return parts


def with_boxes(
    parts: list[ShipmentLine], shipment: Shipment | None = None, known: Mapping[int, Container] | None = None
) -> list[ShipmentLine]:
    """Give shipment lines their containers, and these their shipments, each read once.

    A `shipment` that is there already stays with what was read of it; `known` are all its containers, by id.
    """
    keys = {part.container_id for part in parts if part.container_id}
    boxes = known or Container.objects.select_related("shipment").in_bulk(keys)
    shipments = {shipment.pk: shipment} if shipment else {}
    for box in boxes.values():
        box.shipment = shipments.setdefault(box.shipment_id, box.shipment)
    for part in parts:
        part.container = boxes[part.container_id] if part.container_id else None
    return parts


def with_orders(parts: list[ShipmentLine], *related: str) -> list[ShipmentLine]:
    """Give shipment lines their orders with what is `related`, each read once: many parts are of one order."""
    keys = {part.instalment.line.order_id for part in parts}
    orders = PurchaseOrder.objects.select_related(*related).in_bulk(keys)
    for part in parts:
        part.instalment.line.order = orders[part.instalment.line.order_id]
    return parts
