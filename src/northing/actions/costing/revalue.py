"""A corrected day of becoming ours: goods are given up at the rate they were booked at, and taken on anew."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.costing import absorb, ownership
from northing.actions.shipping.sail import named
from northing.activity.operations import add_history
from northing.core.planning.passage import ExpectedLeg, PlannedLeg, expected_legs
from northing.core.problems import Refused
from northing.ledger.models import Entry
from northing.ledger.operations import open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Company
from northing.shipping.dates import sailed_days
from northing.shipping.models import Leg, Shipment, ShipmentLine
from northing.shipping.queries import Planned, first_carried

Days = Mapping[str, date | None]
ZERO = Decimal(0)


def moments(shipment: Shipment, legs: Sequence[Leg], plan: Sequence[PlannedLeg], dates: Sequence[ExpectedLeg]) -> Days:
    """The days of the moments at which goods become ours, as they are believed; None for what has not happened.

    They are picked up when a person says that the leg before the first carried one has begun.
    """
    departed, arrived = sailed_days(shipment, legs, dates)
    pickup = dates[0].start if begun(plan) and legs[0] is not first_carried(legs) else None
    return {"pickup": pickup, "on_board": departed, "arrival": arrived}


def begun(plan: Sequence[PlannedLeg]) -> bool:
    """Whether a person says that the first leg has begun."""
    return any(said.kind == "actual" for leg in plan[:1] for said in leg.said_of_start)


def moments_of(shipments: Mapping[int, Shipment], planned: Mapping[int, Planned], today: date) -> dict[int, Days]:
    """`moments` of planned shipments, by id."""
    return {
        key: moments(shipments[key], legs, plan, expected_legs(plan, today))
        for key, (legs, plan) in planned.items()
        if key in shipments
    }


@dataclass(frozen=True)
class Worth:
    """The worth of a company's goods in its books, in base currency, before a change and after it."""

    company: Company
    before: Decimal
    after: Decimal


def foresee(days: Mapping[int, Days], companies: set[int]) -> list[Worth]:
    """What `value_anew` would do to the goods of these companies (ids). Raises Refused where there is no rate."""
    found: dict[int, tuple[Decimal, Decimal]] = {}
    for (rule, since, due), shipments in _groups(days).items():
        parts = ownership.those_owned(shipments, rule, since).filter(instalment__line__order__company__in=companies)
        for company, base in parts.values_list("instalment__line__order__company", "goods_base"):
            before, after = found.get(company, (ZERO, ZERO))
            found[company] = (before + base, after)
        for one in ownership.valued(parts, due) if due else ():
            before, after = found[one.goods.company]
            found[one.goods.company] = (before, after + one.base)
    known = Company.objects.in_bulk(found)
    return [Worth(known[company], *values) for company, values in sorted(found.items())]


def _groups(days: Mapping[int, Days]) -> dict[tuple[str, date, date | None], list[int]]:
    groups: dict[tuple[str, date, date | None], list[int]] = {}
    for (shipment, rule, since), due in sorted(ownership.owned_otherwise(days).items(), key=str):
        groups.setdefault((rule, since, due), []).append(shipment)
    return groups


def value_anew(act: Act, shipments: Mapping[int, Shipment], days: Mapping[int, Days], *, give_up: bool = False) -> None:
    """Give up what is ours since another day than that of its moment in `days`, and take it on at the right one.

    Goods that nothing makes ours any more are given up only on request. Where there is no rate for the right
    day, the story says so and the value stays.
    """
    for (rule, since, due), keys in _groups(days).items():
        if due or give_up:
            _value_anew(act, [shipments[key] for key in keys], ownership.those_owned(keys, rule, since), since, due)


def _value_anew(act: Act, shipments: Sequence[Shipment], parts, since: date, due: date | None) -> None:
    names, links = named(shipments)
    parts = parts if due else parts.filter(accounted=0)
    received = set(parts.filter(accounted__gt=0).values_list("pk", flat=True))
    shipment_lines = list(parts.values_list("pk", flat=True))
    if not shipment_lines:
        return
    try:
        if due:
            ownership.valued(parts, due)
    except Refused as refused:
        words = f"{names}: ours since {due:%-d %b %Y}, but the value stays that of {since:%-d %b %Y}. {refused}"
        add_history(act, "value_anew", words, links, due)
        return
    companies = set(parts.order_by().values_list("instalment__line__order__company", flat=True).distinct())
    words = f"{names}: ours since {due:%-d %b %Y}, not" if due else f"{names}: not ours after all; was"
    history = add_history(act, "value_anew", f"{words} {since:%-d %b %Y}", links, due)
    text = f"Goods not ours since {since:%-d %b %Y}: {names}" + posting_note(companies, since)
    ownership.give_up(open_entry(act, history, text, since), shipment_lines)
    if due:
        text = f"Goods became ours on {due:%-d %b %Y}: {names}" + posting_note(companies, due)
        entry = open_entry(act, history, text, due)
        # Only now: what they had reserved of advances is open again.
        owned = ownership.valued(ShipmentLine.objects.filter(pk__in=shipment_lines).order_by("pk"), due)
        ownership.take_ownership(entry, owned, due)
        _follow_in_store(entry, [one for one in owned if one.goods.shipment_line in received])


def _follow_in_store(entry: Entry, owned: Sequence[ownership.Owned]) -> None:
    """Received goods bear the new value as well, wherever they have gone since."""
    totals = {absorb.Bearer(one.goods.line, one.goods.shipment_line): {None: one.base} for one in owned}
    if totals:
        post(entry, absorb.write(entry, absorb.absorption(totals)))
