"""Single sampling plans for the inspection of lots by attributes: code letter, sample size, and when a lot is accepted.

ISO 2859-1:1999, tables 1, 2-A, 2-B and 2-C. The three master tables are diagonal: what a plan accepts follows from how
far its code letter and its AQL are from the first of each, counted together. So they are kept as three rows by that
distance, and as the few cells where a table departs from its diagonal.
"""

from bisect import bisect_left
from dataclasses import dataclass
from decimal import Decimal
from typing import Final

NORMAL, TIGHTENED, REDUCED = "normal", "tightened", "reduced"
STATES: Final = (NORMAL, TIGHTENED, REDUCED)

LEVELS: Final = ("I", "II", "III", "S-1", "S-2", "S-3", "S-4")
# Acceptance quality limits: non-conforming items in a hundred (up to 10), or non-conformities in a hundred items.
AQLS: Final = tuple(
    Decimal(said)
    for said in (
        *("0.010", "0.015", "0.025", "0.040", "0.065", "0.10", "0.15", "0.25", "0.40", "0.65", "1.0", "1.5", "2.5"),
        *("4.0", "6.5", "10", "15", "25", "40", "65", "100", "150", "250", "400", "650", "1000"),
    )
)
_LETTERS: Final = "ABCDEFGHJKLMNPQRS"
# The largest lot of each row of table 1; what is larger has the last.
_LOTS: Final = (8, 15, 25, 50, 90, 150, 280, 500, 1_200, 3_200, 10_000, 35_000, 150_000, 500_000)
_CODES: Final = {
    "S-1": "AAAABBBBCCCCDDD",
    "S-2": "AAABBBCCCDDDEEE",
    "S-3": "AABBCCDDEEFFGGH",
    "S-4": "AABCCDEEFGGHJJK",
    "I": "AABCCDEFGHJKLMN",
    "II": "ABCDEFGHJKLMNPQ",
    "III": "BCDEFGHJKLMNPQR",
}
_SIZES: Final = (2, 3, 5, 8, 13, 20, 32, 50, 80, 125, 200, 315, 500, 800, 1_250, 2_000, 3_150)
_REDUCED_SIZES: Final = (2, 2, 2, 3, 5, 8, 13, 20, 32, 50, 80, 125, 200, 315, 500, 800)
# What is accepted, by the distance from the first cell; below the first of them the arrow points down.
_ACCEPTED: Final = {
    NORMAL: {14: 0, 17: 1, 18: 2, 19: 3, 20: 5, 21: 7, 22: 10, 23: 14, 24: 21, 25: 30, 26: 44},
    TIGHTENED: {15: 0, 18: 1, 19: 2, 20: 3, 21: 5, 22: 8, 23: 12, 24: 18, 25: 27, 26: 41},
    REDUCED: {14: 0, 17: 1, 18: 1, 19: 2, 20: 3, 21: 5, 22: 6, 23: 8, 24: 10, 25: 14, 26: 21},
}
_UP: Final = {NORMAL: {15}, TIGHTENED: set(), REDUCED: {15}}
# Letters A and B of the reduced table have the sample of A, and from here on what that accepts.
_SMALL_REDUCED: Final = {
    0: {18: 2, 19: 3, 20: 5, 21: 7, 22: 10, 23: 14, 24: 21, 25: 30},
    1: {22: 7, 23: 10, 24: 14, 25: 21, 26: 30},
}
# From letter F on nothing more than this distance is accepted: the arrow points up.
_LAST_SMALL, _MOST_OF_LARGE, _MOST = 4, 24, 26


@dataclass(frozen=True, slots=True)
class Plan:
    """How many units are looked at, and what of them is accepted; `letter` is the lot's, before arrows are followed.

    Where the sample is as large as the lot, or larger, every unit is looked at.
    """

    letter: str
    sample: int
    accept: int
    state: str
    # Where the plan stands in its table: place of its letter, and of its AQL.
    row: int
    column: int

    @property
    def reject(self) -> int:
        """So many non-conforming units, or more, reject the lot."""
        return self.accept + 1

    def accepts(self, found: int) -> bool:
        """Whether so many non-conforming units are few enough."""
        return found <= self.accept


def code_letter(lot: int, level: str) -> str:
    """The sample size code letter of a lot (table 1); a lot of one unit is looked at as one of two.

    Raises ValueError for a lot below 1 or a level that is none.
    """
    if lot < 1 or level not in _CODES:
        raise ValueError(f"no code letter for a lot of {lot} at level {level!r}")
    return _CODES[level][bisect_left(_LOTS, lot)]


def plan(lot: int, level: str, aql: Decimal, state: str = NORMAL) -> Plan:
    """The plan for a lot: its table's cell, arrows followed.

    Raises ValueError for what is not in the tables.
    """
    letter = code_letter(lot, level)
    if aql not in AQLS or state not in STATES:
        raise ValueError(f"no plan for AQL {aql} and {state!r} inspection")
    column = AQLS.index(aql)
    row = _pointed(_LETTERS.index(letter), column, state)
    accepted = _accepted(row, column, state)
    sizes = _REDUCED_SIZES if state == REDUCED else _SIZES
    if accepted is None:
        raise ValueError(f"no plan for AQL {aql} at letter {letter}")
    return Plan(letter, min(sizes[row], lot), accepted, state, row, column)


def accepts_one_step_tighter(used: Plan, found: int) -> bool:
    """Whether so many would be accepted at the next smaller AQL, with the same letter, under normal inspection."""
    tighter = _accepted(used.row, used.column - 1, NORMAL) if used.column else None
    return tighter is not None and found <= tighter


def _rows(state: str) -> int:
    """How many letters a table has: S stands in that of tightened inspection alone."""
    return len(_SIZES) if state == TIGHTENED else len(_REDUCED_SIZES)


def _accepted(row: int, column: int, state: str) -> int | None:
    """What a cell accepts; None where it is an arrow."""
    away = row + column
    # Letter S is there for the one plan in which nothing else tightens enough.
    if row == len(_SIZES) - 1 and column != AQLS.index(Decimal("0.025")):
        return None
    if away > _MOST_OF_LARGE and row > _LAST_SMALL:
        return None
    if state == REDUCED and away in _SMALL_REDUCED.get(row, {}):
        return _SMALL_REDUCED[row][away]
    return _ACCEPTED[state].get(away)


def _pointed(row: int, column: int, state: str) -> int:
    """The letter's place from which the plan is taken: the first along the arrow."""
    if _accepted(row, column, state) is not None:
        return row
    below, above = range(row + 1, _rows(state)), range(row - 1, -1, -1)
    away = row + column
    up = away in _UP[state] or away > _MOST_OF_LARGE
    for places in (above, below) if up else (below, above):
        for place in places:
            if _accepted(place, column, state) is not None:
                return place
    return row
