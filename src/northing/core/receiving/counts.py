"""Receiving one part: where the units come from, and what stops it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from northing.core.money.exact import divide, plain
from northing.core.orders.orders import over_allowed
from northing.core.positions.places import drawn_from
from northing.core.problems import Problem, Strength

ZERO = Decimal(0)


@dataclass(frozen=True, slots=True)
class Expected:
    """A part as the papers say it: its place, its quantity, the units of it accounted for.

    The place of goods that come unpacked is `with_supplier`; then nothing more of them is `with_supplier` beside it.
    `excess` is what came beyond the order before; the item is counted in units of so many `decimals`. Tolerances are
    per cent of the quantity; without an `under_tolerance` the dock may close whatever is short.
    """

    place: str
    quantity: Decimal
    accounted: Decimal
    with_supplier: Decimal
    over_tolerance: Decimal
    excess: Decimal = ZERO
    decimals: int = 0
    under_tolerance: Decimal | None = None

    @property
    def open(self) -> Decimal:
        """On its way and neither received nor declared missing."""
        return max(self.quantity - self.accounted, ZERO)


@dataclass(frozen=True, slots=True)
class Counted:
    """The dock's count: units found, and whether the missing rest is still coming (None: not said).

    The rest that is still coming is where it was, or (`not_there`) with the supplier: it never was in the container.
    One `in_dispute` should have come; it is claimed. What is more than allowed may be put on `hold`; who `may_decide`
    closes a rest, or takes more, beyond tolerance, once it is `accepted`.
    """

    quantity: Decimal
    still_coming: bool | None
    not_there: bool = False
    in_dispute: bool = False
    hold: bool = False
    may_decide: bool = False
    accepted: bool = False

    @property
    def decided(self) -> bool:
        """A person who may decide about units beyond tolerance has done so."""
        return self.may_decide and self.accepted


@dataclass(frozen=True, slots=True)
class Taking:
    """Where received units come from, place by place; units missing, dropped, or with the supplier after all.

    Units `asked` about are short beyond tolerance: they stay where they are until the buyer answers. Units `held` came
    beyond tolerance, and belong to no order until the buyer decides.
    """

    received: list[tuple[str, Decimal]]
    missing: Decimal = ZERO
    dropped: Decimal = ZERO
    back: Decimal = ZERO
    asked: Decimal = ZERO
    held: Decimal = ZERO

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


def under_allowed(expected: Expected) -> Decimal | None:
    """How many units of the whole the dock may close as no more coming; None: any. In whole units, rounded down.

    >>> under_allowed(Expected("landed", Decimal(200), ZERO, ZERO, ZERO, under_tolerance=Decimal(3)))
    Decimal('6')
    """
    if expected.under_tolerance is None:
        return None
    return over_allowed(expected.quantity, expected.under_tolerance, expected.decimals)


def short_percent(expected: Expected, short: Decimal) -> Decimal:
    """How much of the whole is short, in per cent with two decimals.

    >>> short_percent(Expected("landed", Decimal(200), ZERO, ZERO, ZERO), Decimal(30))
    Decimal('15.00')
    """
    return divide(short * 100, expected.quantity, 2) if expected.quantity else ZERO


def taking(expected: Expected, counted: Counted) -> Taking:
    """Draw the units from the part first, then from what is still with the supplier, then from excess.

    A rest that does not come is missing where it was shipped; of goods that come unpacked it is dropped. A rest that
    comes, and was not where it was shipped, goes back to the supplier. A rest in dispute is missing wherever it was;
    one beyond the under-tolerance is asked about. Units on hold are no part of the units received.

    >>> made = taking(Expected("landed", Decimal(10), ZERO, ZERO, ZERO), Counted(Decimal(8), False))
    >>> made.received, made.missing
    ([('landed', Decimal('8'))], Decimal('2'))
    """
    over = max(counted.quantity - most_allowed(expected), ZERO) if counted.hold else ZERO
    received = drawn_from(
        counted.quantity - over, [(expected.place, expected.open), ("with_supplier", expected.with_supplier)]
    )
    rest = max(expected.open - counted.quantity, ZERO)
    packed = expected.place != "with_supplier"
    if counted.in_dispute:
        return Taking(received, missing=rest, held=over)
    if counted.still_coming:
        return Taking(received, back=rest if packed and counted.not_there else ZERO, held=over)
    if counted.still_coming is None:
        return Taking(received, held=over)
    allowed = under_allowed(expected)
    if allowed is not None and rest > allowed and not counted.decided:
        return Taking(received, asked=rest, held=over)
    return Taking(received, missing=rest, held=over) if packed else Taking(received, dropped=rest, held=over)


def divided(whole: Taking, quantities: Sequence[Decimal]) -> list[Taking]:
    """The taking of a part row by row (its lots and bins): places in order; what did not come stands with the last.

    What is held came last.

    >>> whole = Taking([("landed", Decimal(8)), ("excess", Decimal(1))], missing=Decimal(2))
    >>> [row.received for row in divided(whole, [Decimal(5), Decimal(4)])]
    [[('landed', Decimal('5'))], [('landed', Decimal('3')), ('excess', Decimal('1'))]]
    """
    left, rows = dict(whole.received), []
    for quantity in quantities:
        there = min(quantity, sum(left.values(), ZERO))
        received = drawn_from(there, left.items())
        for place, part in received:
            left[place] -= part
        rows.append(Taking(received, held=quantity - there))
    rows[-1] = replace(rows[-1], missing=whole.missing, dropped=whole.dropped, back=whole.back, asked=whole.asked)
    return rows


def counting_problems(expected: Expected, counted: Counted, where: str, rest: str) -> list[Problem]:
    """The problems of a count: negative, over tolerance, a short rest of which nothing is said.

    `where` names the field of the count, `rest` that of the short rest.
    """
    if counted.quantity < 0:
        return [Problem("The quantity must not be negative.", where)]
    allowed = most_allowed(expected)
    if counted.quantity > allowed:
        return [] if counted.hold else [_over(expected, counted, allowed, where)]
    if counted.quantity < expected.open and counted.still_coming is None and not counted.in_dispute:
        short = plain(expected.open - counted.quantity)
        return [
            Problem(f"{short} are short.", rest, "Say whether they are still coming or no more comes.", Strength.ASK)
        ]
    return []


def _over(expected: Expected, counted: Counted, allowed: Decimal, where: str) -> Problem:
    """More than allowed: a question to who may decide."""
    what = (
        f"{plain(counted.quantity)} is more than the {plain(expected.open)} still expected"
        f" and the tolerance of {plain(expected.over_tolerance)} % allow."
    )
    mend = f"Receive at most {plain(allowed)}, or hold the {plain(counted.quantity - allowed)} beyond it for the buyer."
    if counted.decided:
        return Problem(what, where, strength=Strength.WARN)
    return Problem(what, where, mend, Strength.ASK if counted.may_decide else Strength.BLOCK, decision=True)
