"""Where units are: the places, and the identity that every unit is in exactly one of them.

`ordered + excess = with supplier + packed + under way + landed + held + in store + issued
+ rejected + scrapped + returned + missing + lost + dropped`, no term ever below zero.
"""

from collections.abc import Iterable, Mapping
from decimal import Decimal

SOURCES = ("ordered", "excess")
PLACES = (
    "with_supplier",
    "packed",
    "under_way",
    "landed",
    "held",
    "in_store",
    "issued",
    "rejected",
    "scrapped",
    "returned",
    "missing",
    "lost",
    "dropped",
)
COLUMNS = SOURCES + PLACES
WORDS = {name: name.replace("_", " ") for name in COLUMNS}
OUTSTANDING = ("with_supplier", "packed", "under_way", "landed")
ZERO = Decimal(0)


def replayed(movements: Iterable[tuple[str, str, Decimal]]) -> dict[str, Decimal]:
    """The position that (source, target, quantity) movements lead to.

    Units that leave a source count there as positive: ordered and excess are where units come from.

    >>> position = replayed([("ordered", "with_supplier", Decimal(10)), ("with_supplier", "packed", Decimal(4))])
    >>> position["ordered"], position["with_supplier"], position["packed"]
    (Decimal('10'), Decimal('6'), Decimal('4'))
    """
    position = dict.fromkeys(COLUMNS, ZERO)
    for source, target, quantity in movements:
        position[source] += quantity if source in SOURCES else -quantity
        position[target] -= quantity if target in SOURCES else -quantity
    return position


def broken(position: Mapping[str, Decimal]) -> list[str]:
    """What is wrong with a position, in words; nothing when the identity holds.

    >>> broken(replayed([("ordered", "packed", Decimal(1))]))
    []
    >>> broken({"ordered": Decimal(2), "packed": Decimal(1)})
    ['2 ordered and excess, 1 in all places']
    """
    found = [f"{WORDS[name]} is {position[name]}" for name in COLUMNS if position.get(name, ZERO) < 0]
    came = sum((position.get(name, ZERO) for name in SOURCES), ZERO)
    lies = sum((position.get(name, ZERO) for name in PLACES), ZERO)
    if came != lies:
        found.append(f"{came} ordered and excess, {lies} in all places")
    return found


def drawn_from(wanted: Decimal, available: Iterable[tuple[str, Decimal]]) -> list[tuple[str, Decimal]]:
    """Take `wanted` from places in order; what none of them holds comes from excess.

    >>> drawn_from(Decimal(5), [("landed", Decimal(3)), ("with_supplier", Decimal(1))])
    [('landed', Decimal('3')), ('with_supplier', Decimal('1')), ('excess', Decimal('1'))]
    """
    taken = []
    for place, there in available:
        part = min(wanted, there)
        if part > 0:
            taken.append((place, part))
            wanted -= part
    if wanted > 0:
        taken.append(("excess", wanted))
    return taken
