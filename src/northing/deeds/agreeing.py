"""Agree: record the supplier's answer per instalment; accept or refuse what differs."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.confirmations import operations as confirmations
from northing.confirmations.models import Answer
from northing.core.agreeing import Terms, answer_problems, differences
from northing.core.problems import Problem, Refused, refuse_if
from northing.deeds import expecting, matters
from northing.directory.acts import Act, future_problem
from northing.drawings.figures import count
from northing.orders import operations as orders
from northing.orders.models import Instalment, PurchaseOrder
from northing.papers.operations import once, tell
from northing.standing import operations as standing


@dataclass(frozen=True)
class AnswerRow:
    """What was said of one instalment; quantity in base units, price per pack."""

    instalment: int
    quantity: Decimal
    ready_on: date
    pack_price: Decimal


@dataclass(frozen=True)
class AnswersRequest:
    """A supplier's answer to an order."""

    order: int
    reference: str
    answered_on: date
    rows: tuple[AnswerRow, ...]


@dataclass(frozen=True)
class Decision:
    """Accept or refuse one open answer."""

    answer: int
    accept: bool


@once
def record_answers(act: Act, request: AnswersRequest) -> int:
    """Record the answer. What equals what was asked is agreed; what differs waits for us."""
    order = PurchaseOrder.objects.select_related("supplier").get(pk=request.order)
    act.require("record_answer", order.company_id)
    if not order.sent_at:
        raise Refused(Problem(f"{order.number} was not sent yet.", mend="Send it first."))
    if not request.rows:
        raise Refused(Problem("No instalment is answered.", "rows", "Enter the answer to at least one."))
    parts = _locked_parts(order, [row.instalment for row in request.rows])
    problems = future_problem(request.answered_on, act, "answered_on")
    for row in request.rows:
        problems += _row_problems(parts.get(row.instalment), row)
    refuse_if(problems)
    revision = order.revisions.order_by("-number").first()
    said = [_said(parts[row.instalment], row) for row in request.rows]
    confirmations.write_answers(act, revision, request.reference, request.answered_on, said)
    agreed = [(one.instalment, one.answered.ready_on) for one in said if one.agrees]
    orders.agree_as_asked(agreed)
    text = f"{order.supplier} answered {order.number}: {len(agreed)} as asked, {len(said) - len(agreed)} different"
    tell(act, "record_answers", text, _links(order, parts.values()), request.answered_on)
    _bring_along(list(parts))
    return order.pk


def _said(part: Instalment, row: AnswerRow) -> confirmations.Said:
    asked, answered = _asked(part), Terms(row.quantity, row.ready_on, row.pack_price)
    return confirmations.Said(part, asked, answered, not differences(asked, answered))


def _locked_parts(order: PurchaseOrder, keys: list[int]) -> dict[int, Instalment]:
    parts = Instalment.objects.select_for_update(of=("self",)).select_related("line__item", "line__order")
    found = {part.pk: part for part in parts.filter(pk__in=keys, line__order=order).order_by("pk")}
    for key, position in standing.locked_positions(found).items():
        found[key].position = position
    return found


def _row_problems(part: Instalment | None, row: AnswerRow) -> list[Problem]:
    if part is None:
        return [Problem("This instalment is not of this order.", f"row-{row.instalment}")]
    if part.position.with_supplier < part.quantity:
        return [
            Problem(
                "Part of this instalment is packed; its agreement stands.",
                f"row-{part.pk}",
                "Take it out of the container first.",
            )
        ]
    return answer_problems(_asked(part), Terms(row.quantity, row.ready_on, row.pack_price), f"row-{part.pk}")


def _asked(part: Instalment) -> Terms:
    return Terms(part.quantity, part.promise or part.asked_on, part.pack_price)


@once
def decide_answer(act: Act, request: Decision) -> int:
    """Accept what differs (a smaller quantity splits the instalment), or refuse it."""
    answer = (
        Answer.objects.select_for_update(of=("self",))
        .select_related("instalment__line__order__supplier")
        .get(pk=request.answer)
    )
    part = answer.instalment
    order = part.line.order
    act.require("decide_answer", order.company_id)
    if answer.outcome != Answer.Outcome.OPEN:
        raise Refused(Problem(f"This answer is {answer.outcome} already.", mend="Reload the page."))
    asked = Terms(answer.asked_quantity, answer.asked_on, answer.asked_pack_price)
    changes = _changes(asked, answer)
    touched = [part.pk]
    if request.accept:
        story = tell(
            act, "accept_answer", f"Accepted {order.supplier}'s answer", _links(order, [part]), changes=changes
        )
        locked = _locked_parts(order, [part.pk])[part.pk]
        later = orders.agree(locked, answer.quantity, answer.ready_on, answer.pack_price)
        if later:
            _split(story, locked, later)
            touched.append(later.pk)
        confirmations.decide(act, answer, Answer.Outcome.ACCEPTED)
    else:
        tell(act, "refuse_answer", f"Refused {order.supplier}'s answer", _links(order, [part]), changes=changes)
        confirmations.decide(act, answer, Answer.Outcome.REFUSED)
    _bring_along(touched)
    return part.line_id


def _split(story, part: Instalment, later: Instalment) -> None:
    """The rest goes back to ordered in the old instalment and out again in the new one."""
    standing.open_positions([later.pk])
    standing.move(
        story,
        [
            standing.MoveDraft(part.pk, "with_supplier", "ordered", later.quantity),
            standing.MoveDraft(later.pk, "ordered", "with_supplier", later.quantity),
        ],
    )


def _changes(asked: Terms, answer: Answer) -> list[dict[str, str]]:
    old = {"quantity": count(asked.quantity), "date": asked.ready_on.isoformat(), "price": count(asked.pack_price)}
    new = {"quantity": count(answer.quantity), "date": answer.ready_on.isoformat(), "price": count(answer.pack_price)}
    return [{"field": name, "old": old[name], "new": new[name]} for name in old if old[name] != new[name]]


def _bring_along(instalments: list[int]) -> None:
    expecting.refresh_expected(instalments)
    matters.refresh_instalments(instalments)


def _links(order: PurchaseOrder, parts) -> list[tuple[str, int, int | None]]:
    lines = [("line", part.line_id, order.company_id) for part in parts]
    return [("order", order.pk, order.company_id), *lines]
