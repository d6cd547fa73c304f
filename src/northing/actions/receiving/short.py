"""What is short beyond what the dock may close: asked of the buyer, and answered."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.receiving.found import Found
from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.core.receiving.counts import short_percent
from northing.receiving import operations as receiving
from northing.receiving.models import Receipt, ShortQuestion
from northing.shipping.models import Container

ZERO = Decimal(0)
Answer = ShortQuestion.Answer


@dataclass(frozen=True)
class ShortAnswer:
    """A question (id), and whether no more comes; else the rest is still coming."""

    question: int
    no_more: bool


def ask(act: Act, receipt: Receipt, container: Container | None, found: Sequence[Found]) -> list[int]:
    """Ask about the rests that the dock may not close; what was asked of the same goods before is settled by this.

    Returns the questions (ids) that changed.
    """
    asked = ShortQuestion.objects.select_for_update().filter(answer=Answer.OPEN)
    if container:
        before = asked.filter(shipment_line__in=[one.goods.pk for one in found])
    else:
        before = asked.filter(instalment__in=[one.instalment.pk for one in found], shipment_line=None)
    settled = receiving.answer_questions(before, Answer.SETTLED, act)
    questions = [
        ShortQuestion(
            company=receipt.company,
            line=one.line,
            instalment=one.instalment,
            shipment_line=one.goods if container else None,
            quantity=one.taking.asked,
            short=short_percent(one.expected, one.taking.asked),
            allowed=one.expected.under_tolerance,
        )
        for one in found
        if one.taking.asked
    ]
    receiving.ask_short(questions)
    return [*settled, *(question.pk for question in questions)]


def closing(question: ShortQuestion, day: date) -> ReceiveRequest:
    """The receipt of nothing more by which the buyer closes a rest, under the note that was short."""
    receipt = question.line.receipt
    instalment = None if question.shipment_line_id else question.instalment_id
    row = ReceiveRow(question.shipment_line_id, ZERO, False, instalment=instalment)
    return ReceiveRequest(receipt.container_id, receipt.site_id, receipt.delivery_note, day, (row,), accept=True)


def open_question(key: int) -> ShortQuestion:
    """The question, locked. Raises Refused where it is answered already."""
    found = ShortQuestion.objects.select_for_update(of=("self",)).select_related(
        "line__receipt__site__company",
        "instalment__line__item",
        "instalment__line__order",
        "instalment__position",
        "shipment_line",
        "company",
    )
    question = found.get(pk=key)
    if question.answer:
        raise Refused(Problem("This question is answered already.", mend="Reload the page."))
    return question


def question_words(question: ShortQuestion) -> str:
    """What is short, in numbers."""
    line = question.instalment.line
    what = f"{plain(question.quantity)} {line.item.unit} of {line.item.code}"
    return f"{what} short: {plain(question.short)} %, allowed {plain(question.allowed)} %"
