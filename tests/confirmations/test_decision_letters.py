"""Suppliers are told what we decided: one letter for a morning's decisions, once, and nothing of what was as asked."""

from datetime import timedelta
from decimal import Decimal as D

import pytest

from northing.actions.confirmations import answers
from northing.actions.confirmations.decision_letters import WAITS, send_decisions
from northing.activity.models import HistoryEntry
from northing.confirmations.models import Answer
from northing.masterdata.models import Party
from northing.messaging.models import Message
from northing.orders.models import Instalment
from tests.worlds import NOW, TODAY

LATER = NOW + WAITS + timedelta(minutes=1)


@pytest.fixture
def answered(world):
    """Three lines, answered nine days later, and one as asked."""
    Party.objects.filter(kind="supplier").update(email="orders@qinlaro.example")
    world.order = world.sent_order({"A": D(240), "C": D(900)}, agreed=False)
    world.other = world.sent_order(
        {
            "B": D(50),
        },
        agreed=False,
    )
    for order in (world.order, world.other):
        parts = Instalment.objects.filter(line__order=order)
        days = timedelta(days=9)
        rows = tuple(answers.AnswerRow(part.pk, part.quantity, part.asked_on + days, part.pack_price) for part in parts)
        answers.record_answers(world.act("expediter"), answers.AnswersRequest(order.pk, "R", TODAY, rows))
    return world


def decide(world, code, word):
    answer = Answer.objects.get(instalment__line__item__code=code, outcome="open")
    answers.decide_answer(world.act("expediter"), answers.decision(answer.pk, word))


def test_one_letter_for_all_that_was_decided_and_only_once(answered):
    decide(answered, "A", "accept")
    decide(answered, "C", "counter")
    assert send_decisions(NOW + timedelta(minutes=1)) == 0, "there may be more to come"
    assert send_decisions(LATER) == 1
    letter = Message.objects.get(kind="decisions")
    assert answered.order.number in letter.subject
    assert "accepted" in letter.body and "we propose: ready" in letter.body and "{supplier link}" in letter.body
    assert send_decisions(LATER) == 0
    assert HistoryEntry.objects.filter(action="send_decisions").get().shared


def test_each_supplier_gets_its_own(answered):
    decide(answered, "A", "refuse")
    decide(answered, "B", "accept")
    assert send_decisions(LATER) == 2
    bodies = list(Message.objects.filter(kind="decisions").values_list("body", flat=True))
    assert sum("kettles" in body for body in bodies) == sum("cups" in body for body in bodies) == 1


def test_what_was_as_asked_needs_no_word(world):
    Party.objects.filter(kind="supplier").update(email="orders@qinlaro.example")
    world.sent_order({"A": D(240)})
    assert send_decisions(LATER) == 0


def test_who_has_no_address_is_not_written_to_again_and_again(answered):
    Party.objects.update(email="")
    decide(answered, "A", "accept")
    assert send_decisions(LATER) == 0
    assert not Answer.objects.filter(told_at=None, decided_at__isnull=False).exists()
