"""When goods become ours: proposed by the Incoterms rule, decided by the contract."""

from collections.abc import Mapping
from datetime import date

MOMENTS = ("pickup", "on_board", "arrival", "receipt")
_BY_INCOTERM = {
    "EXW": "pickup",
    "FCA": "pickup",
    "FAS": "on_board",
    "FOB": "on_board",
    "CFR": "on_board",
    "CIF": "on_board",
    "CPT": "pickup",
    "CIP": "pickup",
    "DAP": "receipt",
    "DPU": "receipt",
    "DDP": "receipt",
}
INCOTERMS = tuple(_BY_INCOTERM)


def proposed_moment(incoterm: str) -> str:
    """The moment at which risk passes under the Incoterms 2020 rule.

    >>> proposed_moment("FOB"), proposed_moment("DAP")
    ('on_board', 'receipt')
    """
    return _BY_INCOTERM[incoterm]


def moments_through(event: str) -> tuple[str, ...]:
    """The moments that have passed once `event` has happened, in their order.

    >>> moments_through("arrival")
    ('pickup', 'on_board', 'arrival')
    """
    return MOMENTS[: MOMENTS.index(event) + 1]


def is_ours_after(ours_from: str, event: str) -> bool:
    """Whether goods that become ours at `ours_from` are ours once `event` has happened.

    >>> is_ours_after("pickup", "on_board"), is_ours_after("receipt", "on_board")
    (True, False)
    """
    return MOMENTS.index(ours_from) <= MOMENTS.index(event)


def ours_since(ours_from: str, days: Mapping[str, date | None]) -> date | None:
    """The day since which goods that become ours at `ours_from` are ours; None while nothing made them so.

    `days` says when each moment happened, None where it has not. The first moment by which theirs has passed
    counts: who never heard of a pickup knows of it by the departure.

    >>> ours_since("pickup", {"pickup": None, "on_board": date(2026, 11, 5), "arrival": None})
    datetime.date(2026, 11, 5)
    """
    passed = (days.get(moment) for moment in MOMENTS[MOMENTS.index(ours_from) :])
    return next((day for day in passed if day), None)
