"""Writes of answers."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from northing.confirmations.models import Answer
from northing.core.agreeing import Terms
from northing.directory.acts import Act
from northing.orders.models import Instalment, Revision


@dataclass(frozen=True)
class Said:
    """What the supplier said of one instalment, and whether it is what was asked."""

    instalment: Instalment
    asked: Terms
    answered: Terms
    agrees: bool


def write_answers(
    act: Act, revision: Revision, reference: str, answered_on: date, said: Sequence[Said]
) -> list[Answer]:
    """What the supplier said, beside what was asked; older open answers are replaced by it."""
    before = Answer.objects.filter(instalment__in=[one.instalment for one in said], outcome=Answer.Outcome.OPEN)
    before.update(outcome=Answer.Outcome.REPLACED)
    return Answer.objects.bulk_create(
        Answer(
            instalment=one.instalment,
            revision=revision,
            reference=reference,
            quantity=one.answered.quantity,
            ready_on=one.answered.ready_on,
            pack_price=one.answered.pack_price,
            asked_quantity=one.asked.quantity,
            asked_on=one.asked.ready_on,
            asked_pack_price=one.asked.pack_price,
            recorded_by=act.person,
            answered_on=answered_on,
            outcome=Answer.Outcome.ACCEPTED if one.agrees else Answer.Outcome.OPEN,
            decided_at=act.at if one.agrees else None,
        )
        for one in said
    )


def decide(act: Act, answer: Answer, outcome: str) -> None:
    """Our decision on an open answer."""
    answer.outcome, answer.decided_by, answer.decided_at = outcome, act.person, act.at
    answer.save(update_fields=["outcome", "decided_by", "decided_at"])
