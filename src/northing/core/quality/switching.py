"""Switching between normal, tightened and reduced inspection, and lots that are let through by lot (skip-lot).

ISO 2859-1:1999, 9.3 (switching), 9.4 (when inspection is discontinued). What one is in, and why, follows from the lots
that were inspected, in their order; nothing else is kept.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from hashlib import sha256

from northing.core.quality.sampling import NORMAL, REDUCED, TIGHTENED, Plan, accepts_one_step_tighter

_WINDOW, _REFUSED_OF_WINDOW = 5, 2
_TO_NORMAL, _TO_STOP, _TO_REDUCED = 5, 5, 30
_SCORE_OF_LARGE, _SCORE_OF_SMALL, _LARGE = 3, 2, 2


@dataclass(frozen=True, slots=True)
class Lot:
    """A lot as it was inspected: its plan, the non-conforming units found, and whether it was accepted."""

    plan: Plan
    found: int
    accepted: bool


@dataclass(frozen=True, slots=True)
class Standing:
    """How strictly the next lot is inspected, and why."""

    state: str = NORMAL
    why: str = "inspection begins as normal"
    # Of the lots in this state in a row: whether each of the last was accepted.
    lately: tuple[bool, ...] = ()
    score: int = 0
    # Lots not accepted under tightened inspection since it began.
    refused: int = 0
    # Accepted in a row, in whatever state.
    run: int = 0

    @property
    def stopped(self) -> bool:
        """So many were refused that none is accepted until the supplier has done better."""
        return self.refused >= _TO_STOP


def standing(lots: Iterable[Lot], may_reduce: bool = True) -> Standing:
    """Where the lots lead, in their order; `may_reduce`: whether reduced inspection is wanted at all."""
    found = Standing()
    for lot in lots:
        found = after(found, lot, may_reduce)
    return found


def after(before: Standing, lot: Lot, may_reduce: bool = True) -> Standing:
    """The standing after one lot more."""
    run = before.run + 1 if lot.accepted else 0
    lately = (*before.lately, lot.accepted)[-_WINDOW:]
    found = replace(before, run=run, lately=lately)
    if before.state == NORMAL:
        return _after_normal(found, lot, may_reduce)
    if before.state == TIGHTENED:
        return _after_tightened(found, lot)
    if not lot.accepted:
        return Standing(NORMAL, "a lot was not accepted under reduced inspection", run=run)
    return found


def _after_normal(found: Standing, lot: Lot, may_reduce: bool) -> Standing:
    if found.lately.count(False) >= _REFUSED_OF_WINDOW:
        return Standing(TIGHTENED, "two of five lots in a row, or fewer, were not accepted", run=found.run)
    score = found.score + _points(lot) if _points(lot) else 0
    if may_reduce and score >= _TO_REDUCED:
        return Standing(REDUCED, f"the switching score reached {score}", run=found.run)
    return replace(found, score=score)


def _points(lot: Lot) -> int:
    """What a lot adds to the switching score; 0 where it sets it back."""
    if lot.plan.accept >= _LARGE:
        return _SCORE_OF_LARGE if accepts_one_step_tighter(lot.plan, lot.found) else 0
    return _SCORE_OF_SMALL if lot.accepted else 0


def _after_tightened(found: Standing, lot: Lot) -> Standing:
    if not lot.accepted:
        refused = found.refused + 1
        why = "five lots were not accepted under tightened inspection" if refused >= _TO_STOP else found.why
        return replace(found, refused=refused, why=why)
    if len(found.lately) >= _TO_NORMAL and all(found.lately):
        return Standing(NORMAL, "five lots in a row were accepted under tightened inspection", run=found.run)
    return found


@dataclass(frozen=True, slots=True)
class Skipping:
    """After so many lots accepted in a row one lot in `one_in` is inspected, on the average."""

    after: int
    one_in: int


def skips(rule: Skipping, now: Standing, seed: bytes) -> bool:
    """Whether a lot is let through without inspection.

    Its seed was drawn for it before it came and only its hash was shown (`sealed`); so nobody could know which lots
    would be inspected, and everybody can check it afterwards.
    """
    if now.state == TIGHTENED or now.run < rule.after:
        return False
    return int.from_bytes(sha256(seed + b" draw").digest()) % rule.one_in != 0


def sealed(seed: bytes) -> str:
    """What is shown of a seed before the lot comes."""
    return sha256(seed).hexdigest()
