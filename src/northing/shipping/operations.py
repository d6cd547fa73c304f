"""Writes of shipments, containers, shipment lines, legs, voyages, statements."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Any, Protocol

from django.db.models import Max

from northing.access.acts import Act
from northing.core.problems import Problem, refuse_if
from northing.database.columns import update_columns
from northing.formats.despatch import Line, Notice
from northing.shipping.models import (
    CARRIED,
    CarrierFeed,
    Container,
    DateStatement,
    DespatchNotice,
    HandlingContent,
    HandlingUnit,
    LearntSpread,
    Leg,
    NoticeLine,
    PortCall,
    RequiredDocument,
    Ripple,
    Shipment,
    ShipmentLine,
    Voyage,
)


@dataclass(frozen=True)
class LegPlan:
    """A leg as planned; the main one is sailed by the voyage."""

    mode: str
    origin: str
    destination: str
    start: date
    end: date
    main: bool = False
    load_call: int | None = None
    discharge_call: int | None = None


def with_main(plans: Sequence[LegPlan]) -> list[LegPlan]:
    """The legs with the main one marked: the last that a vessel carries; where none does, the longest."""
    carried = [place for place, leg in enumerate(plans) if leg.mode in CARRIED]
    longest = max(range(len(plans)), key=lambda place: plans[place].end - plans[place].start, default=0)
    main = carried[-1] if carried else longest
    return [replace(leg, main=place == main) for place, leg in enumerate(plans)]


def lock(shipments: Iterable[int]) -> dict[int, Shipment]:
    """The shipments, locked in key order. Every action that reads what is aboard takes this lock first, so that
    packing, departing, receiving and costing the same goods come one after the other and see each other.
    """
    found = Shipment.objects.select_for_update().filter(pk__in=set(shipments)).order_by("pk")
    return {shipment.pk: shipment for shipment in found}


@dataclass(frozen=True)
class CallPlan:
    """A port that a voyage calls at, with the days of its plan."""

    port: str
    arrival: date | None = None
    departure: date | None = None


def write_voyage(vessel: str, imo: str, number: str, carrier: int, calls: Sequence[CallPlan]) -> Voyage:
    """A voyage with its calls, in order; as planned so expected."""
    voyage = Voyage.objects.create(vessel=vessel, imo=imo, number=number, carrier_id=carrier)
    PortCall.objects.bulk_create(
        PortCall(
            voyage=voyage,
            number=place,
            port_id=call.port,
            planned_arrival=call.arrival,
            planned_departure=call.departure,
            expected_arrival=call.arrival,
            expected_departure=call.departure,
        )
        for place, call in enumerate(calls, 1)
    )
    return voyage


def write_shipment(act: Act, reference: str, document: str, forwarder: int | None, mode: str = "sea") -> Shipment:
    """A shipment without containers yet; the reference is numbered when none is given."""
    if not reference:
        last = Shipment.objects.aggregate(last=Max("pk"))["last"] or 0
        reference = f"S-{last + 1:05d}"
    return Shipment.objects.create(
        reference=reference, document=document, forwarder_id=forwarder, mode=mode, created_at=act.at
    )


def write_container(shipment: Shipment, number: str, size_type: str, seal: str) -> Container:
    """A container of the shipment."""
    return Container.objects.create(shipment=shipment, number=number, size_type=size_type, seal=seal)


def write_legs(shipment: Shipment, plans: Sequence[LegPlan]) -> list[Leg]:
    """Replace the planned legs. A leg of whose dates somebody spoke may be planned anew but not become another one.

    Raises Refused where it would.
    """
    before = {leg.number: leg for leg in shipment.legs.all()}
    spoken = set(DateStatement.objects.filter(leg__shipment=shipment).values_list("leg__number", flat=True))
    refuse_if(_spoken_problems([before[number] for number in sorted(spoken)], plans))
    Leg.objects.filter(shipment=shipment, number__gt=len(plans)).delete()
    Leg.objects.filter(shipment=shipment).update(main=False)  # only one may be main, at every moment
    legs = []
    for number, plan in enumerate(plans, 1):
        leg = before.get(number) or Leg(shipment=shipment, number=number)
        leg.mode, leg.origin, leg.destination, leg.main = plan.mode, plan.origin, plan.destination, plan.main
        leg.planned_start = leg.expected_start = plan.start
        leg.planned_end = leg.expected_end = plan.end
        leg.load_call_id, leg.discharge_call_id = plan.load_call, plan.discharge_call
        leg.save()
        legs.append(leg)
    shipment.planned_dock = plans[-1].end if plans else None
    shipment.save(update_fields=["planned_dock"])
    note_main_voyage(shipment)
    return legs


def note_main_voyage(shipment: Shipment) -> None:
    """Write which voyage sails the main leg of the shipment, and where that discharges."""
    main = (
        shipment.legs.filter(main=True, discharge_call__isnull=False).select_related("discharge_call__voyage").first()
    )
    shipment.voyage = main.discharge_call.voyage if main else None
    shipment.discharge_port_id = main.discharge_call.port_id if main else None
    shipment.save(update_fields=["voyage", "discharge_port"])


def fill_call_plans(plans: Iterable[LegPlan]) -> None:
    """A call of whose day nobody spoke has the day of the first leg that is planned by it."""
    for plan in plans:
        for call, day in ((plan.load_call, plan.start), (plan.discharge_call, plan.end)):
            which = "departure" if call == plan.load_call else "arrival"
            PortCall.objects.filter(pk=call, **{f"planned_{which}": None}).update(
                **{f"planned_{which}": day, f"expected_{which}": day}
            )


def _spoken_problems(spoken: Iterable[Leg], plans: Sequence[LegPlan]) -> list[Problem]:
    found = []
    for leg in spoken:
        plan = plans[leg.number - 1] if leg.number <= len(plans) else None
        if plan is None or (plan.origin, plan.destination) != (leg.origin, leg.destination):
            what = f"Somebody spoke of the dates of leg {leg.number}, {leg.origin} to {leg.destination}."
            found.append(Problem(what, "legs", "Keep it in its place; its dates may change."))
    return found


def take_away(rows: Iterable[ShipmentLine]) -> None:
    """Shipment lines that are out again, with their shares of estimates. Movements keep pointing at what happened."""
    for row in rows:
        row.shares.all().delete()
        row.delete()


def own_shipment_lines(rows: Iterable[tuple]) -> None:
    """Goods that became ours: (shipment line, day, amount in the order's currency, in base currency, rate)."""
    types = {"ours_on": "date", "goods_amount": "numeric", "goods_base": "numeric", "goods_rate": "numeric"}
    update_columns(ShipmentLine._meta.db_table, types, list(rows))


def bring_in(shipment_lines: Sequence[ShipmentLine]) -> None:
    """What came unpacked, as the dock counted it."""
    ShipmentLine.objects.bulk_create(shipment_lines)


def send_back(shipment_lines: Iterable[int]) -> None:
    """What came unpacked (ids) did not come after all: nothing of it is on its way or accounted for."""
    ShipmentLine.objects.filter(pk__in=list(shipment_lines), container=None).update(quantity=0, accounted=0)


def account_for(shipment_lines: Iterable[ShipmentLine]) -> None:
    """Write how much of each was received or declared missing."""
    update_columns(
        ShipmentLine._meta.db_table, {"accounted": "numeric"}, [(part.pk, part.accounted) for part in shipment_lines]
    )


def write_notice(
    act: Act, supplier: int | None, number: str, said: Notice, lines: Sequence[tuple[Line, int | None]]
) -> DespatchNotice:
    """A despatch notice as it came; each row with the order line (id) it is about, where one was found."""
    notice = DespatchNotice.objects.create(
        supplier_id=supplier,
        number=number,
        channel=act.channel,
        sent_by=act.person,
        made_at=act.at,
        issued_on=said.issued_on,
        document=said.document,
        imo=said.imo,
        voyage=said.voyage,
    )
    NoticeLine.objects.bulk_create(
        NoticeLine(
            notice=notice,
            number=row.number,
            order=row.order,
            line=row.line,
            item=row.item,
            quantity=row.quantity,
            container=row.container,
            size_type=row.size_type,
            seal=row.seal,
            sscc=row.sscc,
            order_line_id=line,
        )
        for row, line in lines
    )
    return notice


def settle_notice(notice: DespatchNotice, state: str, shipment: Shipment | None) -> None:
    """What became of a notice."""
    notice.state, notice.shipment = state, shipment
    notice.save(update_fields=["state", "shipment"])


def write_units(units: Iterable[tuple[Container, str, Mapping[int, Decimal]]]) -> None:
    """Pallets in containers, with how much of which shipment line (id) stands on each."""
    for container, sscc, contents in units:
        unit = HandlingUnit.objects.create(container=container, sscc=sscc)
        HandlingContent.objects.bulk_create(
            HandlingContent(unit=unit, shipment_line_id=shipment_line, quantity=quantity)
            for shipment_line, quantity in contents.items()
        )


class PaperAsked(Protocol):
    """What a paper due consists of."""

    shipment: int
    kind: str
    what: str
    party: str
    owner: int | None
    form: str
    anchor: str
    anchor_days: int
    due: date | None
    needed_for: str


def write_paper(act: Act, asked: PaperAsked) -> RequiredDocument:
    """A paper that is due."""
    return RequiredDocument.objects.create(
        shipment_id=asked.shipment,
        kind=asked.kind,
        what=asked.what.strip()[:80],
        party=asked.party,
        owner_id=asked.owner,
        form=asked.form,
        anchor=asked.anchor,
        anchor_days=asked.anchor_days,
        due=asked.due,
        needed_for=asked.needed_for,
        written_on=act.today,
    )


def complete_document(paper: RequiredDocument, day: date | None, reference: str, form: str) -> None:
    """A paper is there since a day, or (None) is not."""
    paper.done_on, paper.reference = day, reference
    paper.form = form or paper.form
    paper.save(update_fields=["done_on", "reference", "form"])


def write_paper_days(rows: Sequence[tuple[int, date | None]]) -> None:
    """By when papers (ids) are due."""
    update_columns(RequiredDocument._meta.db_table, {"due": "date"}, rows)


def move_legs(legs: Iterable[Leg]) -> None:
    """Legs sail between other calls; what was planned of them stays."""
    Leg.objects.bulk_update(list(legs), ["load_call", "discharge_call"])


def swap_vessel(voyage: Voyage, vessel: str, imo: str, number: str) -> None:
    """Another vessel sails the voyage."""
    voyage.vessel, voyage.imo, voyage.number = vessel, imo, number
    voyage.save(update_fields=["vessel", "imo", "number"])


def omit_call(call: PortCall) -> None:
    """The voyage passes a port by."""
    call.omitted, call.expected_arrival, call.expected_departure = True, None, None
    call.save(update_fields=["omitted", "expected_arrival", "expected_departure"])


def blank(voyage: Voyage, at: datetime) -> None:
    """A sailing is called off."""
    voyage.blanked_at = at
    voyage.save(update_fields=["blanked_at"])


def write_split(act: Act, shipment: Shipment, boxes: Sequence[Container]) -> Shipment:
    """A shipment like the other, with some of its containers; what was said of its legs is said of these as well."""
    made = write_shipment(act, "", shipment.document, shipment.forwarder_id, shipment.mode)
    for name in ("planned_dock", "expected_dock", "departed_on", "arrived_on", "voyage_id", "discharge_port_id"):
        setattr(made, name, getattr(shipment, name))
    made.save()
    for leg in list(shipment.legs.order_by("number")):
        said = list(leg.statements.order_by("pk"))
        leg.pk, leg.shipment = None, made
        leg._state.adding = True
        leg.save()
        for one in said:
            one.pk, one.leg = None, leg
            one._state.adding = True
            one.save()
    Container.objects.filter(pk__in=[box.pk for box in boxes]).update(shipment=made)
    return made


def redirect_legs(shipment: Shipment, main: Leg, call: PortCall, place: str, days: int) -> None:
    """The main leg ends at another call; from there one leg by road leads to a place. What was planned of it stays."""
    rest = max((shipment.planned_dock or main.planned_end) - main.planned_end, timedelta(0))
    shipment.legs.filter(number__gt=main.number).delete()
    main.discharge_call, main.destination = call, call.port_id
    main.save(update_fields=["discharge_call", "destination"])
    start = main.planned_end + max(rest - timedelta(days=days), timedelta(0))
    Leg.objects.create(
        shipment=shipment,
        number=main.number + 1,
        mode=Leg.Mode.ROAD,
        origin=call.port_id,
        destination=place,
        planned_start=start,
        planned_end=start + timedelta(days=days),
        expected_start=start,
        expected_end=start + timedelta(days=days),
    )


def keep_spreads(at: datetime, learnt: Mapping[tuple[str, ...], Mapping[int, int]]) -> None:
    """What was learnt of finished passages replaces what was learnt before."""
    LearntSpread.objects.all().delete()
    rows = [("|".join(key)[:120], {str(day): count for day, count in some.items()}) for key, some in learnt.items()]
    LearntSpread.objects.bulk_create(LearntSpread(key=key, counts=counts, learnt_at=at) for key, counts in rows)


class FeedAsked(Protocol):
    """What a carrier's feed consists of."""

    carrier: int
    url: str
    rank: int
    every_minutes: int
    active: bool


def keep_feed(act: Act, asked: FeedAsked) -> CarrierFeed:
    """The feed of a carrier; at another address it is heard from its beginning."""
    feed, _ = CarrierFeed.objects.select_for_update().get_or_create(
        carrier_id=asked.carrier, defaults={"url": asked.url, "set_by": act.person, "next_at": act.at}
    )
    if feed.url != asked.url:
        feed.heard_to, feed.newest, feed.resume = None, None, ""
    feed.url, feed.rank, feed.every_minutes, feed.active = asked.url, asked.rank, asked.every_minutes, asked.active
    feed.set_by, feed.next_at, feed.failures = act.person, act.at, 0
    feed.save()
    return feed


def note_page(feed: CarrierFeed, following: str, newest: datetime | None) -> None:
    """A page is heard; with the last of them all that was said up to the newest is."""
    feed.resume, feed.newest = following[:500], newest
    if not following:
        feed.heard_to, feed.newest = max(filter(None, (feed.heard_to, newest)), default=None), None
    feed.save(update_fields=["resume", "newest", "heard_to"])


def note_poll(feed: CarrierFeed, at: datetime, following: datetime, failures: int, said: str) -> None:
    """How asking a feed went, and when it is asked again."""
    feed.last_at, feed.next_at, feed.failures, feed.last_said = at, following, failures, said[:240]
    feed.save(update_fields=["last_at", "next_at", "failures", "last_said"])


@dataclass(frozen=True)
class RippleKept:
    """The rows of a ripple as they are kept, and how many need-by dates it broke and saved."""

    rows: list[list[Any]]
    broken: int
    saved: int


def write_ripple(act: Act, source: str, person: int, company: int, kept: RippleKept) -> Ripple:
    """What a machine's change did to somebody's lines."""
    return Ripple.objects.create(
        person_id=person,
        company_id=company,
        source=source,
        at=act.at,
        lines=kept.rows,
        broken=kept.broken,
        saved=kept.saved,
    )


def see_ripple(ripple: Ripple, at: datetime) -> None:
    """Its person has seen it."""
    ripple.seen_at = at
    ripple.save(update_fields=["seen_at"])
