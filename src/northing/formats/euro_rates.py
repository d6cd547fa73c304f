"""A central bank's public rates against the euro: XML with a `Cube` of a day that holds a `Cube` for each currency."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from lxml import etree

from northing.core.money.exact import read_exact
from northing.core.money.money import MINOR_UNITS
from northing.formats.markup import declares_type

MOST_DAYS = 120


class NotRates(ValueError):
    """The document says no rates; in words."""


@dataclass(frozen=True)
class EuroRates:
    """The rates of a day: one euro is so much of each currency."""

    day: date
    rates: dict[str, Decimal]


def read_euro_rates(content: bytes) -> list[EuroRates]:
    """The days that the document has, the newest first; currencies that are unknown are left out. Raises NotRates."""
    if declares_type([content]):
        raise NotRates("it declares a document type, which rates never do")
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        root = etree.fromstring(content, parser)
    except (etree.XMLSyntaxError, ValueError) as error:
        raise NotRates(f"it is no XML: {str(error)[:80]}") from None
    days = [cube for cube in root.iter("{*}Cube") if cube.get("time")]
    if not days:
        raise NotRates("it has no Cube of a day")
    if len(days) > MOST_DAYS:
        raise NotRates(f"it has more than {MOST_DAYS} days")
    return sorted((_day(cube) for cube in days), key=lambda one: one.day, reverse=True)


def _day(cube: "etree._Element") -> EuroRates:
    try:
        day = date.fromisoformat(cube.get("time", ""))
    except ValueError:
        raise NotRates(f"{cube.get('time', '')[:20]!r} is no day") from None
    rates = {}
    for row in cube.iter("{*}Cube"):
        currency = row.get("currency", "")
        if currency not in MINOR_UNITS:
            continue
        try:
            rate = read_exact(row.get("rate", ""))
        except ValueError:
            raise NotRates(f"the rate of {currency} is no number") from None
        if rate <= 0:
            raise NotRates(f"the rate of {currency} is not above 0")
        if currency in rates:
            raise NotRates(f"it names {currency} twice on {day}")
        rates[currency] = rate
    if not rates:
        raise NotRates(f"it has no rates of {day}")
    return EuroRates(day, rates)
