"""Rate cards as the core reckons with them, and what is wrong with cards that are to be kept."""

from collections.abc import Iterable, Sequence
from datetime import date

from django.db.models import Q

from northing.core.costing.charges import USUAL
from northing.core.costing.rate_cards import VALUE, Card, overlapping, read_surcharges
from northing.core.money.exact import shifted
from northing.core.problems import Problem
from northing.masterdata.models import Party, Port, RateCard, Site, UsualBasis


def card_of(record: RateCard) -> Card:
    """A record as the core sees it; one that is not saved yet has no key."""
    return Card(
        key=record.pk or 0,
        code=record.code,
        payee=record.provider_id,
        kind=record.kind,
        per=record.per,
        price=shifted(record.price, -2) if record.per == VALUE else record.price,
        currency=record.currency,
        since=record.valid_from,
        until=record.valid_until,
        origin=record.origin,
        destination=record.destination,
        mode=record.mode,
        size_type=record.size_type,
        minimum=record.minimum,
        surcharges=read_surcharges(record.surcharges),
    )


def cards_from(day: date) -> list[Card]:
    """The cards that stand on a day or later."""
    found = RateCard.objects.filter(Q(valid_until=None) | Q(valid_until__gte=day))
    return [card_of(record) for record in found.order_by("pk")]


def usual_bases() -> dict[str, str]:
    """By kind of cost what it is usually spread by: as the house says, else as the trade does."""
    return USUAL | dict(UsualBasis.objects.values_list("kind", "basis"))


def card_problems(records: Sequence[RateCard]) -> dict[str, list[Problem]]:
    """By code, what is wrong with cards as they are to be: unknown places, and cards that overlap others."""
    payees = {record.provider_id for record in records}
    places = _known_places(records)
    found: dict[str, list[Problem]] = {}
    for record in records:
        for name in ("origin", "destination"):
            said = getattr(record, name)
            if len(said) != 2 and said and said not in places[name]:
                what = f"No port{' or site' if name == 'destination' else ''} is known by {said}."
                found.setdefault(record.code, []).append(Problem(what, name, "Add it, or name a country."))
    others = RateCard.objects.filter(provider__in=payees).exclude(code__in=[record.code for record in records])
    mine = {record.code for record in records}
    for before, after in overlapping(map(card_of, [*others, *records])):
        for one, other in ((before, after), (after, before)):
            if one.code in mine:
                until = f"until {other.until:%-d %b %Y}" if other.until else "without an end"
                what = f"It overlaps {other.code}, which stands from {other.since:%-d %b %Y} {until}."
                mend = f"Change its days, or give {other.code} an end."
                found.setdefault(one.code, []).append(Problem(what, "valid_from", mend))
    return found


def lock_cards() -> None:
    """Of two people who enter cards at the same moment the second waits, and is told where they overlap."""
    list(Party.objects.select_for_update().filter(kind=Party.Kind.PROVIDER).order_by("pk").values_list("pk"))


def _known_places(records: Iterable[RateCard]) -> dict[str, set[str]]:
    said = {name for record in records for name in (record.origin, record.destination) if len(name) > 2}
    ports = set(Port.objects.filter(pk__in=said).values_list("pk", flat=True))
    return {
        "origin": ports,
        "destination": ports | set(Site.objects.filter(code__in=said).values_list("code", flat=True)),
    }
