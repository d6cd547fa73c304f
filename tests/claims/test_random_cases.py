"""Random cases: every unit has at most one end, and the books explain themselves, whatever is undone."""

import os

from hypothesis import strategies as some
from hypothesis.stateful import initialize, rule

from northing.actions.worklist.proof import move_faults
from northing.reports.book_proof import book_faults
from northing.reports.proofs import position_faults
from tests.across.case_rules import CaseRules, case_faults
from tests.across.machine import Machine, run
from tests.across.money_rules import MoneyRules
from tests.across.test_random_actions import Actions
from tests.worlds import small_world

EXAMPLES = int(os.environ.get("NORTHING_EXAMPLES", "10"))


class Cases(CaseRules, Machine):
    """Goods of two suppliers, received short, rejected, billed before and after."""

    @initialize(
        ours_from=some.sampled_from(["on_board", "receipt"]), billed=some.integers(0, 60), late=some.integers(0, 60)
    )
    def begin(self, ours_from, billed, late):
        Actions.begin(self, ours_from, "1")
        Actions.sail(self, 0, "departure")
        self.bill(0, billed, 120, 0, "1.7033")
        for pick in range(3):
            Actions.receive(self, pick, 92, 0)
        Actions.inspect(self, 0, 80, 5)
        Actions.inspect(self, 0, 100, 4)
        self.bill(0, late, 0, 4000, None)

    receive = Actions.receive
    inspect = Actions.inspect
    issue = Actions.issue
    bill = MoneyRules.bill_goods
    credit_a_claim = MoneyRules.credit_a_claim
    _credit = MoneyRules._credit
    reverse_a_bill = Actions.reverse_a_bill

    @rule(pick=some.integers(0, 20), what=some.integers(0, 1))
    def take_back(self, pick, what):
        (Actions.reverse, Actions.reverse_a_verdict)[what](self, pick)

    def prove(self):
        assert case_faults() == []
        assert position_faults() == []
        assert book_faults() == []

    def prove_at_the_end(self):
        assert move_faults() == []


def test_every_unit_of_a_case_has_at_most_one_end_over_random_acts(db):
    run(Cases, small_world(), EXAMPLES, 30)
