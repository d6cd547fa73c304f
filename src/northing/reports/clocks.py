"""Free-time clocks of containers: which terms hold, since when they run, what they have cost."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from northing.core.planning.calendars import USUAL, Calendar
from northing.core.planning.free_time import Clock, Terms, clock, last_free_day, read_tiers
from northing.core.planning.passage import Statement, believed
from northing.masterdata.models import FreeTime
from northing.masterdata.queries import calendars_of
from northing.shipping.models import Container, DateStatement
from northing.shipping.queries import words

Milestone = DateStatement.Milestone
FACTS = (Milestone.DISCHARGED, Milestone.GATE_OUT, Milestone.RETURNED)


@dataclass(frozen=True)
class Standing:
    """A container that stands, or stood, by some terms: from when, until when it is free, to when."""

    container: Container
    free: FreeTime
    started: date
    ended: date | None
    free_until: date
    # Whether it has left the port.
    out: bool
    calendar: Calendar

    def clock(self, today: date) -> Clock:
        """Where its clock stands."""
        return clock(terms_of(self.free), self.started, self.ended, today, self.calendar)


def facts_of(containers: Iterable[Container]) -> dict[int, dict[str, date]]:
    """By container (id), the day on which each of FACTS happened, as it is believed.

    Where no one said when it was discharged, it was when its vessel arrived.
    """
    boxes = {box.pk: box for box in containers}
    said = words("container", boxes, milestones=FACTS)
    return {key: facts_from(said.get(key, {}), box.shipment.arrived_on) for key, box in boxes.items()}


def facts_from(said: Mapping[str, Sequence[Statement]], arrived_on: date | None) -> dict[str, date]:
    """The days on which the FACTS happened by what is said; discharged with the vessel where no one said when."""
    facts: dict[str, date] = {Milestone.DISCHARGED: arrived_on} if arrived_on else {}
    for milestone in FACTS:
        known = believed(said.get(milestone, ()), date.min)
        if known and known[1]:
            facts[milestone] = known[0]
    return facts


def standings_of(containers: Iterable[Container]) -> list[Standing]:
    """How the containers stand, in their order; they come with their shipment's voyage and port of discharge selected.

    A container without a voyage, or whose carrier's terms no one entered, stands by none.
    """
    boxes = [box for box in containers if box.shipment.voyage_id]
    offers = _offers({box.shipment.voyage.carrier_id for box in boxes}) if boxes else []
    if not offers:
        return []
    facts = facts_of(boxes)
    calendars = calendars_of({box.shipment.discharge_port.country for box in boxes if box.shipment.discharge_port})
    found = []
    for box in boxes:
        port = box.shipment.discharge_port
        calendar = calendars[port.country] if port else USUAL
        for free in _held_by(offers, box, facts[box.pk]):
            known = facts[box.pk]
            until, out = last_free_day(terms_of(free), known[free.starts], calendar), Milestone.GATE_OUT in known
            found.append(Standing(box, free, known[free.starts], known.get(free.ends), until, out, calendar))
    return found


def terms_of(free: FreeTime) -> Terms:
    """The terms as the core counts by them."""
    tiers = read_tiers(free.tiers)
    return Terms(free.free_days, free.first_day_counts, free.free_in, free.paid_in, tiers, free.currency)


def _offers(carriers: set[int]) -> list[FreeTime]:
    rows = FreeTime.objects.filter(carrier__in=carriers).select_related("carrier")
    # The nearest first: of the port before any port, of the type before any type, the newest before older ones.
    return sorted(rows, key=lambda row: (row.port_id is None, not row.size_type, -row.valid_from.toordinal(), row.pk))


def _held_by(offers: list[FreeTime], box: Container, facts: dict[str, date]) -> Iterable[FreeTime]:
    """The terms that a container stands by: for each kind of clock that has started, the nearest."""
    voyage, met = box.shipment.voyage, set()
    for free in offers:
        started = facts.get(free.starts)
        fits = free.carrier_id == voyage.carrier_id and free.port_id in (None, box.shipment.discharge_port_id)
        if free.covers in met or not fits or free.size_type not in ("", box.size_type) or started is None:
            continue
        if free.valid_from <= started:
            met.add(free.covers)
            yield free
