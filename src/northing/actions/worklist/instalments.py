"""Open matters of units at the supplier, and of answers that wait for us."""

from collections.abc import Iterable
from datetime import date, datetime

from northing.actions.worklist.stakes import Stakes, day_of
from northing.confirmations.models import Answer
from northing.core.confirmations.answers import Terms, differences
from northing.core.orders.orders import net_amount
from northing.core.worklist import moves
from northing.orders.models import Instalment
from northing.worklist.operations import MatterDraft, write_matters


def refresh_instalments(instalments: Iterable[int]) -> None:
    """Instalments with units at the supplier, or with an answer that waits for us."""
    keys = list(instalments)
    stakes, drafts = Stakes(), []
    answers, refused, agreed = _answers_of(keys)
    parts = Instalment.objects.filter(pk__in=keys).select_related(
        "position", "line__order__company", "line__order__supplier", "line__item"
    )
    for part in parts:
        line, order, answer = part.line, part.line.order, answers.get(part.pk)
        facts = moves.InstalmentFacts(
            with_supplier=part.position.with_supplier,
            agreed=part.agreed_quantity,
            quantity=part.quantity,
            sent_on=day_of(order.sent_at),
            asked_on=part.asked_on,
            agreed_on=agreed.get(part.pk),
            promise=part.promise,
            answered_on=answer.answered_on if answer else None,
            differs=" and ".join(_differs(answer)) if answer else "",
            refused_on=day_of(refused.get(part.pk)),
            countered=part.counter_on is not None,
        )
        value = net_amount(
            part.position.with_supplier, line.pack_factor, part.pack_price, part.net_share, order.currency
        )
        drafts.append(
            MatterDraft(
                kind="instalment",
                record=part.pk,
                company=order.company_id,
                move=moves.instalment_move(facts),
                at_stake=stakes.base(order.company, value, order.currency),
                per_day=line.item.delay_cost,
                person=order.buyer_id,
            )
        )
    write_matters(drafts)


def _answers_of(keys: list[int]) -> tuple[dict[int, Answer], dict[int, datetime], dict[int, date]]:
    """By instalment: the open answer, when one was last refused or countered, and the day of the last accepted one."""
    waiting, refused, agreed = {}, {}, {}
    for answer in Answer.objects.filter(instalment__in=keys).exclude(outcome="replaced"):
        key = answer.instalment_id
        if answer.outcome == "open":
            waiting[key] = answer
        elif answer.outcome == "accepted":
            agreed[key] = max(answer.answered_on, agreed.get(key, answer.answered_on))
        elif answer.decided_at:
            refused[key] = max(answer.decided_at, refused.get(key, answer.decided_at))
    return waiting, refused, agreed


def _differs(answer: Answer) -> list[str]:
    asked = Terms(answer.asked_quantity, answer.asked_on, answer.asked_pack_price)
    return differences(asked, Terms(answer.quantity, answer.ready_on, answer.pack_price))
