"""The kinds of records by which costs are expected: rate cards, and what kinds of cost are usually spread by."""

from decimal import Decimal

from northing.core.costing import rate_cards
from northing.core.costing.charges import BASES
from northing.core.costing.landed_cost import KINDS
from northing.core.money.exact import plain, shifted
from northing.core.orders.orders import MODES
from northing.formats import facts as of
from northing.masterdata.facts import LARGEST, ZERO, Fact, Kind, choice, code, size_type
from northing.masterdata.models import ExchangeRate, RateCard, UsualBasis

# Of a rate.
SMALLEST = Decimal("0.0000000001")
KEEPERS = ("keep_house", "estimate_charge")


def _place(said: str) -> str:
    kept = said.upper().replace(" ", "")
    if len(kept) > 8 or not all(c.isascii() and (c.isalnum() or c in "-./") for c in kept):
        raise ValueError("is neither a port, nor a country's two letters, nor the code of a site")
    return kept


def _surcharges(said: str) -> str:
    found = rate_cards.read_surcharges(said)
    return "; ".join(
        f"{one.name} {plain(one.amount)}" if one.share is None else f"{one.name} {plain(shifted(one.share, 2))}%"
        for one in found
    )


COSTS = (
    Kind(
        "rate-card",
        "rate card",
        "rate cards",
        RateCard,
        ("code",),
        (
            code(16),
            Fact("provider", "Provider", refers="provider"),
            choice("kind", "Kind of cost", KINDS),
            Fact("origin", "From, a port or a country", _place, ""),
            Fact("destination", "To, a port, a site or a country", _place, ""),
            Fact("valid_from", "Valid from", of.day),
            Fact("valid_until", "Valid until", of.day, None),
            choice("per", "Per", rate_cards.PER),
            Fact("price", "Price, of value per cent", of.number(ZERO, LARGEST, 4)),
            Fact("currency", "Currency", of.currency),
            Fact("minimum", "At least", of.number(ZERO, LARGEST, 4), Decimal(0)),
            choice("mode", "By", MODES, absent=""),
            Fact("size_type", "Container type", size_type, ""),
            Fact("surcharges", "Surcharges, as fuel 12%; peak season 150", _surcharges, ""),
        ),
        KEEPERS,
        few=9,
    ),
    Kind(
        "rate",
        "exchange rate",
        "exchange rates",
        ExchangeRate,
        ("company", "currency", "purpose", "day"),
        (
            Fact("company", "Company", refers="company", fixed=True),
            Fact("currency", "Currency", of.currency, fixed=True),
            choice("purpose", "Purpose", ExchangeRate.Purpose.values, absent="book", fixed=True),
            Fact("day", "From", of.day, fixed=True),
            Fact("rate", "Base currency for one unit", of.number(SMALLEST, LARGEST, 10)),
        ),
        ("enter_rate",),
        company="company",
    ),
    Kind(
        "usual-basis",
        "usual basis",
        "usual bases",
        UsualBasis,
        ("kind",),
        (choice("kind", "Kind of cost", KINDS, fixed=True), choice("basis", "Is spread by", BASES)),
        KEEPERS,
    ),
)
