"""Random chains of advances, receipts, issues, bills, returns, payments and reversals: every account is explained."""

import os

from hypothesis import strategies as some
from hypothesis.stateful import initialize, rule

from northing.reports.book_proof import book_faults
from tests.across.machine import Machine, run
from tests.across.money_rules import MoneyRules
from tests.across.test_random_actions import Actions
from tests.worlds import small_world

EXAMPLES = int(os.environ.get("NORTHING_EXAMPLES", "12"))


class Money(MoneyRules, Machine):
    """Goods of two suppliers, most of them aboard; what moves them is drawn half as often as what bills and pays."""

    @initialize(ours_from=some.sampled_from(["on_board", "receipt"]))
    def begin(self, ours_from):
        Actions.begin(self, ours_from, "1")

    receive = Actions.receive
    receive_unpacked = Actions.receive_unpacked
    inspect = Actions.inspect
    give_back = Actions.give_back
    issue = Actions.issue
    reverse_a_bill = Actions.reverse_a_bill

    @rule(pick=some.integers(0, 20), what=some.integers(0, 5))
    def take_back(self, pick, what):
        undo = [
            Actions.reverse,
            Actions.reverse_a_return,
            Actions.take_an_issue_back,
            Actions.reverse_a_verdict,
        ]
        undo[what % len(undo)](self, pick)

    @rule(box=some.integers(0, 1))
    def depart(self, box):
        Actions.sail(self, box, "departure")

    def prove(self):
        assert book_faults() == []


def test_the_books_explain_themselves_over_random_chains(db):
    run(Money, small_world(), EXAMPLES, 30)
