"""Suppliers are told what we decided on their answers: one letter each, some minutes after the last of many."""

from datetime import datetime, timedelta
from itertools import groupby

from django.db import transaction
from django.template.loader import render_to_string

from northing.access.acts import Act
from northing.actions.confirmations.supplier_links import LINK, acting_person
from northing.activity.operations import Link, add_history
from northing.confirmations import operations as confirmations
from northing.confirmations.models import Answer
from northing.messaging import mail

# A morning's decisions are one letter: it waits until nothing was decided for so long.
WAITS = timedelta(minutes=10)
WORDS = {
    Answer.Outcome.ACCEPTED: "accepted",
    Answer.Outcome.REFUSED: "not accepted; what we asked stands",
    Answer.Outcome.COUNTERED: "not accepted; we propose",
}


@transaction.atomic
def send_decisions(now: datetime) -> int:
    """Write the letters that are due; returns how many."""
    waiting = confirmations.not_told(now)
    told, letters = [], 0
    for _, answers in groupby(sorted(waiting, key=_whose), key=_whose):
        of_one = list(answers)
        if max(answer.decided_at for answer in of_one) > now - WAITS:
            continue
        told += of_one
        letters += _write(of_one, now)
    confirmations.mark_told(told, now)
    return letters


def _whose(answer: Answer) -> tuple[int, int]:
    order = answer.instalment.line.order
    return order.supplier_id, order.company_id


def _write(answers: list[Answer], now: datetime) -> int:
    order = answers[0].instalment.line.order
    supplier = order.supplier
    if not supplier.email:
        return 0
    lines = [(answer, WORDS.get(answer.outcome, "")) for answer in answers if answer.outcome in WORDS]
    numbers = ", ".join(dict.fromkeys(answer.instalment.line.order.number for answer, _ in lines))
    if not lines:
        return 0
    context = {"supplier": supplier, "lines": lines, "order": order, "link": LINK}
    body = render_to_string("letters/decisions.txt", context)
    draft = mail.Draft(
        kind="decisions",
        recipient=supplier.email,
        subject=f"Your answers to {numbers}"[:200],
        body=body,
        company=order.company_id,
        supplier=supplier.pk,
    )
    act = Act(acting_person(supplier), now, "", "rule")
    told: list[Link] = [("line", answer.instalment.line_id, order.company_id) for answer, _ in lines]
    told += [("order", answer.instalment.line.order_id, order.company_id) for answer, _ in lines]
    add_history(act, "send_decisions", f"Wrote to {supplier} what we decided: {numbers}", told, shared=True)
    mail.write(act, draft)
    return 1
