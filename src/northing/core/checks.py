"""Checks whose strength a company chooses: each warns, asks or blocks, and says the same wherever it is said."""

from dataclasses import dataclass, replace

from northing.core.problems import Problem, Strength

STRENGTHS = tuple(strength.value for strength in Strength)
# The strengths from the weakest on.
ORDER = (Strength.WARN, Strength.ASK, Strength.BLOCK)


@dataclass(frozen=True, slots=True)
class Check:
    """A check by its code (the column of the company that says how strong it is), in words, and as it ships."""

    code: str
    words: str
    ships: Strength


DEPART_WITHOUT_VOYAGE = Check("depart_without_voyage", "Departure without a voyage", Strength.ASK)
RECEIVE_WITHOUT_ENTRY = Check("receive_without_entry", "Receipt without a customs entry", Strength.ASK)
RECEIVE_NOT_RELEASED = Check("receive_not_released", "Receipt before customs released the goods", Strength.WARN)
RECEIVE_EARLY = Check("receive_early", "Receipt before the goods can have come", Strength.ASK)
LOAD_ELSEWHERE = Check("load_elsewhere", "Goods on a voyage to another country than their site", Strength.ASK)
BILL_ABOVE_PRICE = Check("bill_above_price", "Bill above the agreed price", Strength.ASK)
BILL_ABOVE_ORDER = Check("bill_above_order", "Bill of more than was ordered", Strength.ASK)
BILL_NOT_AGREED = Check("bill_not_agreed", "Bill of goods that are not agreed", Strength.BLOCK)
BILL_UNDER_CASE = Check("bill_under_case", "Bill of rejected goods", Strength.ASK)
BILL_OTHER_TAX = Check("bill_other_tax", "Bill with another tax than its order", Strength.ASK)
BILL_REPEATED = Check("bill_repeated", "Bill that looks like an earlier one", Strength.ASK)
CHECKS = (
    DEPART_WITHOUT_VOYAGE,
    RECEIVE_WITHOUT_ENTRY,
    RECEIVE_NOT_RELEASED,
    RECEIVE_EARLY,
    LOAD_ELSEWHERE,
    BILL_ABOVE_PRICE,
    BILL_ABOVE_ORDER,
    BILL_NOT_AGREED,
    BILL_UNDER_CASE,
    BILL_OTHER_TAX,
    BILL_REPEATED,
)


def strongest(said: list[str]) -> Strength:
    """The strongest of what several companies say.

    >>> strongest(["warn", "block", "ask"]).value
    'block'
    """
    return max((Strength(one) for one in said), key=ORDER.index, default=Strength.WARN)


def finding(said: str, what: str, mend: str, otherwise: str) -> Problem:
    """The finding of a check of this strength; only a question leaves a second way.

    >>> str(finding("ask", "No entry.", "Book it", "receive it anyway"))
    'No entry. Book it, or receive it anyway.'
    >>> str(finding("block", "No entry.", "Book it", "receive it anyway"))
    'No entry. Book it.'
    """
    strength = Strength(said)
    return Problem(what, "accept", f"{mend}, or {otherwise}." if strength is Strength.ASK else f"{mend}.", strength)


def answered(problem: Problem, accepted: bool) -> Problem:
    """A question that a person has answered with yes only warns; a block stays.

    >>> answered(Problem("No entry.", strength=Strength.ASK), True).strength.value
    'warn'
    >>> answered(Problem("No entry.", strength=Strength.BLOCK), True).strength.value
    'block'
    """
    if accepted and problem.strength is Strength.ASK:
        return replace(problem, strength=Strength.WARN)
    return problem
