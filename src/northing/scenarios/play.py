"""Playing a scenario: each action through the function that pages and the API call."""

from collections.abc import Callable
from datetime import UTC
from typing import Any

from django.utils import timezone

from northing.access.acts import Act
from northing.actions.billing.bills import reverse_bill
from northing.actions.billing.request import ReverseBillRequest
from northing.actions.claims.returns import ReverseReturnRequest, reverse_return
from northing.actions.customs.entries import ReverseEntryRequest, reverse_customs_entry
from northing.actions.inventory.issue import TakeBackRequest, take_back_issue
from northing.actions.masterdata.reverse_opening import ReverseOpeningRequest, reverse_opening
from northing.actions.quality.reverse import ReverseInspectionRequest, reverse_inspection
from northing.actions.receiving.reverse import ReverseRequest, reverse_receipt
from northing.billing.models import BillLine
from northing.claims.models import Claim
from northing.core.problems import Problem, Refused
from northing.scenarios import shapes
from northing.scenarios.costs import Costs
from northing.scenarios.goods import Goods
from northing.scenarios.played import MISSING
from northing.scenarios.shapes import NotScenario, Scenario
from northing.scenarios.stock import Stock


def _of_case(case: int, reason: str) -> ReverseInspectionRequest:
    """An inspection is known by the case that it opened."""
    return ReverseInspectionRequest(Claim.objects.get(pk=case).inspection_id, reason)


# How what an action made is undone, by its kind.
REVERSALS: dict[str, Callable[[Act, int, str], object]] = {
    "case": lambda act, key, reason: reverse_inspection(act, _of_case(key, reason)),
    "return": lambda act, key, reason: reverse_return(act, ReverseReturnRequest(key, reason)),
    "opening": lambda act, key, reason: reverse_opening(act, ReverseOpeningRequest(key, reason)),
    "receipt": lambda act, key, reason: reverse_receipt(act, ReverseRequest(key, reason)),
    "issue": lambda act, key, reason: take_back_issue(act, TakeBackRequest(key, reason)),
    "bill": lambda act, key, reason: reverse_bill(act, ReverseBillRequest(key, reason)),
    "customs entry": lambda act, key, reason: reverse_customs_entry(act, ReverseEntryRequest(key, reason)),
}


class Player(Goods, Costs, Stock):
    """Does the actions of one scenario in its world."""

    def __init__(self, scenario: Scenario):
        super().__init__(scenario)
        self.moves: dict[str, Callable[[Any], tuple[str, int] | None]] = {
            "order": self.order,
            "ship": self.ship,
            "depart": self.depart,
            "arrive": self.arrive,
            "charge": self.charge,
            "bill": self.bill,
            "credit": self.bill,
            "end": self.end,
            "customs": self.customs,
            "receive": self.receive,
            "issue": self.issue,
            "inspect": self.inspect,
            "return": self.give_back,
            "reverse": self.reverse,
            "open": self.open,
            "move": self.move,
        }

    def play(self) -> list[dict[str, Any]]:
        """Do the actions in the order of the file; one that is refused changes nothing, and the next goes on."""
        with timezone.override(UTC):
            return [self._one(action) for action in self.scenario.actions]

    def _one(self, action: Any) -> dict[str, Any]:
        said: dict[str, Any] = {"do": action.do} | ({"id": action.id} if action.id else {})
        if action.id and action.id in self.made:
            raise NotScenario(f"actions: the id {action.id!r} is there twice")
        try:
            made = self.moves[action.do](action)
        except Refused as refused:
            return said | {"refused": [_said(problem) for problem in refused.problems]}
        if action.id and made:
            self.made[action.id] = made
        return said

    def reverse(self, action: shapes.Reverse) -> None:
        """Undo an earlier action."""
        if action.what not in self.made:
            raise Refused(Problem(f"There is no {action.what}.", "what", MISSING))
        kind, key = self.made[action.what]
        if kind == "charge":
            billed = BillLine.objects.filter(charge=key, bill__reversed_by=None).first()
            kind, key = ("bill", billed.bill_id) if billed else (kind, key)
        if kind not in REVERSALS:
            raise Refused(Problem(f"A {kind} cannot be reversed yet.", "what"))
        REVERSALS[kind](self.laid.act(action.day), key, action.reason)


def _said(problem: Problem) -> dict[str, str]:
    return {
        "strength": problem.strength.value,
        "what": problem.what,
        "where": problem.where,
        "mend": problem.mend,
    }
