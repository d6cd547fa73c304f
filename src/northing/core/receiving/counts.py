"""Receiving one part: where the units come from, and what stops it."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.core.money.exact import plain
from northing.core.orders.orders import over_allowed
from northing.core.positions.places import drawn_from
from northing.core.problems import Problem, Strength

ZERO = Decimal(0)


@dataclass(frozen=True, slots=True)
class Expected:
    """A part as the papers say it: its place, its quantity, the units of it accounted for.

    The place of goods that come unpacked is `with_supplier`; then nothing more of them is `with_supplier` beside it.
    `excess` is what came beyond the order before; the item is counted in units of so many `decimals`.
    """

    place: str
    quantity: Decimal
    accounted: Decimal
    with_supplier: Decimal
    over_tolerance: Decimal
    excess: Decimal = ZERO
    decimals: int = 0

    @property
    def open(self) -> Decimal:
        """On its way and neither received nor declared missing."""
        return max(self.quantity - self.accounted, ZERO)


@dataclass(frozen=True, slots=True)
class Counted:
    """The dock's count: units found, and whether the missing rest is still coming (None: not said).

    The rest that is still coming is where it was, or (`not_there`) with the supplier: it never was in the container.
    """

    quantity: Decimal
    still_coming: bool | None
    not_there: bool = False


@dataclass(frozen=True, slots=True)
class Taking:
    """Where received units come from, place by place; units missing, dropped, or with the supplier after all."""

    received: list[tuple[str, Decimal]]
    missing: Decimal = ZERO
    dropped: Decimal = ZERO
    back: Decimal = ZERO

    @property
    def quantity(self) -> Decimal:
        """Units received."""
        return sum((quantity for _, quantity in self.received), ZERO)

    def of(self, place: str) -> Decimal:
        """Units received from a place."""
        return sum((quantity for name, quantity in self.received if name == place), ZERO)


def most_allowed(expected: Expected) -> Decimal:
    """The largest quantity that passes: what is open plus the over tolerance on the whole, as far as it is not used.

    The tolerance allows whole units of the item only.

    >>> most_allowed(Expected("landed", Decimal(100), Decimal(40), Decimal(0), Decimal("2")))
    Decimal('62')
    """
    over = over_allowed(expected.quantity, expected.over_tolerance, expected.decimals)
    return expected.open + max(over - expected.excess, ZERO)


def taking(expected: Expected, counted: Counted) -> Taking:
    """Draw the units from the part first, then from what is still with the supplier, then from excess.

    A rest that does not come is missing where it was shipped; of goods that come unpacked it is dropped. A rest that
    comes, and was not where it was shipped, goes back to the supplier.

    >>> taking(Expected("landed", Decimal(10), Decimal(0), Decimal(0), Decimal(0)), Counted(Decimal(8), False))
    Taking(received=[('landed', Decimal('8'))], missing=Decimal('2'), dropped=Decimal('0'), back=Decimal('0'))
    """
    received = drawn_from(
        counted.quantity, [(expected.place, expected.open), ("with_supplier", expected.with_supplier)]
    )
    rest = max(expected.open - counted.quantity, ZERO)
    packed = expected.place != "with_supplier"
    if counted.still_coming:
        return Taking(received, back=rest if packed and counted.not_there else ZERO)
    if counted.still_coming is None:
        return Taking(received)
    return Taking(received, missing=rest) if packed else Taking(received, dropped=rest)


def divided(whole: Taking, quantities: Sequence[Decimal]) -> list[Taking]:
    """The taking of a part row by row (its lots and bins): places in order; what did not come stands with the last.

    >>> whole = Taking([("landed", Decimal(8)), ("excess", Decimal(1))], missing=Decimal(2))
    >>> [row.received for row in divided(whole, [Decimal(5), Decimal(4)])]
    [[('landed', Decimal('5'))], [('landed', Decimal('3')), ('excess', Decimal('1'))]]
    """
    left, rows = dict(whole.received), []
    for quantity in quantities:
        received = drawn_from(quantity, left.items())
        for place, part in received:
            left[place] -= part
        rows.append(Taking(received))
    rows[-1] = Taking(rows[-1].received, whole.missing, whole.dropped, whole.back)
    return rows


def counting_problems(expected: Expected, counted: Counted, where: str, rest: str) -> list[Problem]:
    """The problems of a count: negative, over tolerance, a short rest of which nothing is said.

    `where` names the field of the count, `rest` that of the short rest.
    """
    if counted.quantity < 0:
        return [Problem("The quantity must not be negative.", where)]
    allowed = most_allowed(expected)
    if counted.quantity > allowed:
        return [
            Problem(
                f"{plain(counted.quantity)} is more than the {plain(expected.open)} still expected"
                f" and the tolerance of {plain(expected.over_tolerance)} % allow.",
                where,
                f"Receive at most {plain(allowed)} and set the rest aside for the buyer to decide.",
            )
        ]
    if counted.quantity < expected.open and counted.still_coming is None:
        short = plain(expected.open - counted.quantity)
        return [
            Problem(f"{short} are short.", rest, "Say whether they are still coming or no more comes.", Strength.ASK)
        ]
    return []
