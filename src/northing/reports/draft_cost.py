"""What an order would cost landed as it is typed: line by line, before anything is saved."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from northing.core.costing.landed_cost import DUTY
from northing.costing.models import Charge
from northing.drawings.figures import money
from northing.orders.models import OrderLine
from northing.reports.cost_pieces import draft_piece
from northing.reports.expected_cost import Expectations, Expected
from northing.reports.expected_pieces import Shares

ZERO = Decimal(0)
WORDS = dict(Charge.Kind.choices)


@dataclass(frozen=True)
class Typed:
    """A line as it is typed, not saved: units that are not packed, and the pack price; `key` names its row.

    `known` are the shares of those units in estimates and bills, by kind.
    """

    key: str
    line: OrderLine
    known: Shares = field(default_factory=dict)


@dataclass(frozen=True)
class LineLanded:
    """Landed cost of one unit of a line (4 decimals), of all of it in base currency, and how it comes about."""

    key: str
    unit: Decimal | None
    landed: Decimal | None
    why: list[str]


def landed_of(typed: Sequence[Typed], today: date) -> list[LineLanded]:
    """The expected cost of lines of one order; they have their item, and their order its company, supplier and site."""
    some = [one for one in typed if one.line.quantity > 0 and one.line.pack_price >= 0 and one.line.net_share >= 0]
    pieces = [draft_piece(one.line, one.known) for one in some]
    expected = Expectations(today).of(pieces)
    return [
        LineLanded(one.key, expected.unit(place), expected.costs[place].landed, _why(expected, place))
        for place, one in enumerate(some)
    ]


def _why(expected: Expected, place: int) -> list[str]:
    """Each part of the cost in words."""
    cost, company = expected.costs[place], expected.pieces[place].company
    if cost.goods is None:
        return [f"no rate for {expected.pieces[place].order.currency}"]
    said = [f"goods {money(cost.goods, company.currency)}"]
    reasons = {one.kind: one.estimate.because for one in expected.cards if place in one.places}
    for kind, amount in cost.cards.items():
        said.append(f"{WORDS[kind].lower()} {money(amount, company.currency)}, {reasons[kind]}")
    for kind, amount in cost.known.items():
        said.append(f"{WORDS[kind].lower()} {money(amount, company.currency)}, by what is estimated or billed")
    if cost.duty:
        said.append(f"{WORDS[DUTY].lower()} {money(cost.duty, company.currency)}")
    if cost.tax:
        said.append(f"import tax that is not reclaimed {money(cost.tax, company.currency)}")
    return said
