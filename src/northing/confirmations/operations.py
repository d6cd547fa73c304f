"""Writes of answers."""

from datetime import date

from northing.confirmations.models import Answer
from northing.core.agreeing import Terms
from northing.directory.acts import Act
from northing.orders.models import Instalment, Revision


def write_answer(
    act: Act,
    instalment: Instalment,
    revision: Revision,
    answered: Terms,
    reference: str,
    answered_on: date,
    agrees: bool,
) -> Answer:
    """What the supplier said, beside what was asked; an older open answer is replaced by it."""
    Answer.objects.filter(instalment=instalment, outcome=Answer.Outcome.OPEN).update(outcome=Answer.Outcome.REPLACED)
    return Answer.objects.create(
        instalment=instalment,
        revision=revision,
        reference=reference,
        quantity=answered.quantity,
        ready_on=answered.ready_on,
        pack_price=answered.pack_price,
        asked_quantity=instalment.quantity,
        asked_on=instalment.promise or instalment.asked_on,
        asked_pack_price=instalment.pack_price,
        recorded_by=act.person,
        answered_on=answered_on,
        outcome=Answer.Outcome.ACCEPTED if agrees else Answer.Outcome.OPEN,
        decided_at=act.at if agrees else None,
    )


def decide(act: Act, answer: Answer, outcome: str) -> None:
    """Our decision on an open answer."""
    answer.outcome, answer.decided_by, answer.decided_at = outcome, act.person, act.at
    answer.save(update_fields=["outcome", "decided_by", "decided_at"])
