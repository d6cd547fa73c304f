"""The worth of goods as they become ours.

What was paid of them in advance counts at its own rate, what was billed ahead at its bill's price, the rest at the
order's price and the rate of the day.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.actions.costing import advances, ahead
from northing.core.money.money import converted
from northing.ledger.models import Entry
from northing.ledger.operations import Draft
from northing.masterdata.models import Company
from northing.masterdata.queries import Rates
from northing.payments.queries import Advance

ZERO = Decimal(0)


@dataclass(frozen=True)
class Valued:
    """Goods in the order's currency and in base. `rate` is that of the day, None where the worth mixes several.

    `advance` is what they reserve of the order's advances, for the `units` that are not billed yet.
    """

    amount: Decimal
    base: Decimal
    rate: Decimal | None
    units: Decimal
    advance: Advance
    billed: tuple[ahead.Part, ...]


class Valuer:
    """Values goods of order lines on one day, one after the other."""

    def __init__(self, day: date, orders: Iterable[int], lines: Iterable[int]):
        self._rates = Rates(day)
        self._pool = advances.Pool(orders)
        self._ahead = ahead.Ahead(lines)

    def value(
        self,
        company: Company,
        currency: str,
        order: int,
        line: int,
        units: Decimal,
        price_of: Callable[[Decimal], Decimal],
    ) -> Valued:
        """The worth of units; `price_of` says what the first so many of them cost by the order.

        Raises Refused without a rate.
        """
        rate = self._rates.of(company, currency)
        billed = tuple(self._ahead.take(line, units, rate))
        of_bills = sum((part.units for part in billed), ZERO)
        price = price_of(units) - (price_of(of_bills) if of_bills else ZERO)
        reserved = self._pool.reserve(order, price)
        base = reserved.base + converted(price - reserved.amount, rate, company.currency)
        return Valued(
            price + sum((part.amount for part in billed), ZERO),
            base + sum((part.base for part in billed), ZERO),
            None if billed or reserved.amount else rate,
            units - of_bills,
            reserved,
            billed,
        )


def settle(entry: Entry, goods: Sequence[tuple[str, int, int, Valued]]) -> list[Draft]:
    """Write what goods reserve, and that some are billed already: (kind and id of their document, order, worth).

    Returns the postings, which follow those by which the goods became ours.
    """
    rows = [(order, kind, document, worth.units, worth.advance) for kind, document, order, worth in goods]
    advances.write_all(entry, rows, valued=True)
    return ahead.end(entry, [(kind, document, part) for kind, document, _, worth in goods for part in worth.billed])
