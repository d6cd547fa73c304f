"""Playing a scenario: each action through the function that pages and the API call."""

from collections.abc import Callable
from datetime import UTC
from typing import Any

from django.db import transaction
from django.utils import timezone

from northing.access.acts import Act
from northing.actions.billing.bills import reverse_bill
from northing.actions.claims.authorise import take_back_authorisation
from northing.actions.claims.money import reverse_money
from northing.actions.claims.money_cases import close_money_case
from northing.actions.claims.prepared import cancel_return
from northing.actions.claims.return_all import reverse_all
from northing.actions.claims.returns import reverse_return
from northing.actions.claims.set_aside import take_back
from northing.actions.claims.ways import reverse_way
from northing.actions.customs.entries import reverse_customs_entry
from northing.actions.customs.office import reverse_office_payment, withdraw_release
from northing.actions.customs.proofs import withdraw_proof
from northing.actions.inventory.adjust import reverse_adjustment
from northing.actions.inventory.issue import take_back_issue
from northing.actions.inventory.undo_move import undo_move
from northing.actions.ledger.close import ReopenRequest, reopen_period
from northing.actions.masterdata.reverse_opening import reverse_opening
from northing.actions.payments.between import reverse_between
from northing.actions.payments.pay import reverse_payment
from northing.actions.quality.reverse import reverse_inspection
from northing.actions.receiving.held_goods import reverse_end
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.billing.models import BillLine
from northing.core.problems import Problem, Refused
from northing.scenarios import shapes
from northing.scenarios.costs import Costs
from northing.scenarios.dock import Dock, receipt_facts, told_facts
from northing.scenarios.goods import Goods
from northing.scenarios.payments import Payments
from northing.scenarios.played import MISSING
from northing.scenarios.shapes import NotScenario, Scenario
from northing.scenarios.stock import Stock, plan_facts

# How what an action made is undone, by its kind.
REVERSALS: dict[str, Callable[[Act, ReverseRequest], object]] = {
    "inspection": reverse_inspection,
    "return": reverse_return,
    "goods return": reverse_all,
    "prepared return": cancel_return,
    "case": take_back,
    "money case": close_money_case,
    "end of units": reverse_way,
    "authorisation": take_back_authorisation,
    "claim money": reverse_money,
    "opening": reverse_opening,
    "receipt": reverse_receipt,
    "issue": take_back_issue,
    "bill": reverse_bill,
    "payment": reverse_payment,
    "settlement": reverse_between,
    "closing": lambda act, asked: reopen_period(act, ReopenRequest(asked.record, asked.reason)),
    "customs entry": reverse_customs_entry,
    "proof": withdraw_proof,
    "office payment": reverse_office_payment,
    "release": withdraw_release,
    "held goods": reverse_end,
    "adjustment": reverse_adjustment,
    "move": undo_move,
}
# What the result of an action names besides its id.
FACTS: dict[str, Callable[[int], dict[str, Any]]] = {
    **dict.fromkeys(("receive", "tie", "correct"), receipt_facts),
    "told": told_facts,
}


class Player(Goods, Dock, Costs, Payments, Stock):
    """Does the actions of one scenario in its world."""

    def __init__(self, scenario: Scenario):
        super().__init__(scenario)
        self.moves: dict[str, Callable[[Any], tuple[str, int] | None]] = {
            "order": self.order,
            "cancel": self.stop,
            "reopen": self.stop,
            "ship": self.ship,
            "depart": self.depart,
            "arrive": self.arrive,
            "charge": self.charge,
            "bill": self.bill,
            "credit": self.bill,
            "deposit": self.deposit,
            "keep bill": self.keep_bill,
            "drop bill": self.drop_bill,
            "approve": self.approve,
            "drop payment": self.drop_payment,
            "block": self.block,
            "end dispute": self.end_dispute,
            "pay": self.pay,
            "offset": self.offset,
            "refund": self.refund,
            "settle between": self.settle_between,
            "close": self.close,
            **dict.fromkeys(("end", "estimate end"), self.end),
            "take cards": self.take_cards,
            "spread": self.spread,
            "customs": self.customs,
            "proof": self.proof,
            "pay office": self.pay_office,
            "release": self.release,
            "receive": self.receive,
            "issue": self.issue,
            "inspect": self.inspect,
            "case": self.set_aside,
            "scrap": self.scrap,
            "rework": self.rework,
            "despatch return": self.despatch,
            "divide": self.divide,
            "join": self.join,
            "authorise": self.authorise,
            "make good": self.make_good,
            "credit instead": self.credit_instead,
            **dict.fromkeys(("find", "lose", "never supplied"), self.end_missing),
            "turn": self.turn,
            **dict.fromkeys(("claim", "claim paid", "give up"), self.claim_money),
            "return": self.give_back,
            "reverse": self.reverse,
            "open": self.open,
            "move": self.move,
            "put away": self.put_away,
            "send": self.send,
            "come in": self.come_in,
            "told": self.told,
            "correct": self.correct,
            "tie": self.tie,
            "send back": self.end_held,
            "keep": self.keep,
            "answer short": self.answer_short,
            "adjust": self.adjust,
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
        facts = FACTS.get(action.do)
        if isinstance(action, shapes.Inspect) and action.plan and made:
            facts = plan_facts
        return said | (facts(made[1]) if made and facts else {})

    def keep(self, action: shapes.EndHeld) -> tuple[str, int]:
        """Goods held without an order are kept, or units of a case."""
        return self.keep_rejected(action) if action.case else self.end_held(action)

    def reverse(self, action: shapes.Reverse) -> None:
        """Undo an earlier action."""
        if action.what not in self.made:
            raise Refused(Problem(f"There is no {action.what}.", "what", MISSING))
        kind, key = self.made[action.what]
        if kind == "charge":
            billed = BillLine.objects.filter(charge=key, bill__reversed_by=None).first()
            kind, key = ("bill", billed.bill_id) if billed else (kind, key)
        if kind not in REVERSALS:
            raise Refused(Problem(f"A {kind} cannot be reversed.", "what"))
        keys = self.openings.get(key, [key]) if kind == "opening" else [key]
        with transaction.atomic():
            for one in keys:
                REVERSALS[kind](self.laid.act(action.day), ReverseRequest(one, action.reason))


def _said(problem: Problem) -> dict[str, str]:
    return {
        "strength": problem.strength.value,
        "what": problem.what,
        "where": problem.where,
        "mend": problem.mend,
    }
