"""Agree: record the supplier's answer per instalment; accept or refuse what differs."""

from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.confirmations import operations as confirmations
from northing.confirmations.models import Answer
from northing.core.confirmations.answers import Part, Terms, answer_problems, by_rule, differences
from northing.core.problems import Problem, Refused, refuse_if
from northing.drawings.figures import count, dated
from northing.masterdata.models import Party
from northing.orders import operations as orders
from northing.orders.models import Instalment, PurchaseOrder
from northing.positions import operations as positions

LONGEST_REMARK = 500


@dataclass(frozen=True)
class AnswerRow:
    """The answer to one instalment; quantity in base units, price per pack."""

    instalment: int
    quantity: Decimal
    ready_on: date
    pack_price: Decimal
    later: tuple[Part, ...] = ()
    remark: str = ""


@dataclass(frozen=True)
class AnswersRequest:
    """A supplier's answer to an order."""

    order: int
    reference: str
    answered_on: date
    rows: tuple[AnswerRow, ...]


@dataclass(frozen=True)
class Decision:
    """Accept or refuse one open answer; with `accept` False and a day or a price, propose that instead."""

    answer: int
    accept: bool
    counter_on: date | None = None
    counter_price: Decimal | None = None

    @property
    def counters(self) -> bool:
        return not self.accept and (self.counter_on is not None or self.counter_price is not None)


def decision(answer: int, word: str, counter_on: date | None = None) -> Decision:
    """The decision that a word means: accept, refuse, or counter with a day (without one: what was asked before)."""
    if word != "counter":
        return Decision(answer, word == "accept")
    return Decision(answer, False, counter_on or Answer.objects.get(pk=answer).asked_on)


@once
def record_answers(act: Act, request: AnswersRequest) -> int:
    """Record the answer. Parts equal to the question are agreed; the others wait for us."""
    order = PurchaseOrder.objects.select_related("supplier").get(pk=request.order)
    act.require_supplier(order.supplier_id)
    act.require("record_answer", order.company_id)
    if not order.sent_at:
        raise Refused(Problem(f"{order.number} was not sent yet.", mend="Send it first."))
    if not request.rows:
        raise Refused(Problem("No instalment is answered.", "rows", "Enter the answer to at least one."))
    parts = _locked_parts(order, [row.instalment for row in request.rows])
    problems = future_problem(request.answered_on, act, "answered_on")
    for row in request.rows:
        problems += _row_problems(act, parts.get(row.instalment), row, order.supplier)
    refuse_if(problems)
    revision = order.revisions.order_by("-number").first()
    said = [_said(parts[row.instalment], row) for row in request.rows]
    answers = confirmations.write_answers(act, revision, request.reference, request.answered_on, said)
    agreed = [(one.instalment, one.answered.ready_on, one.answered.pack_price) for one in said if one.agrees]
    orders.agree_as_asked(agreed)
    text = f"{order.supplier} answered {order.number}: {len(agreed)} as asked, {len(said) - len(agreed)} different"
    remarks = [row.remark.strip() for row in request.rows if row.remark.strip()]
    text += "".join(f"; “{remark}”" for remark in dict.fromkeys(remarks))
    add_history(act, "record_answers", text, _links(order, parts.values()), request.answered_on, shared=True)
    confirmations.close_chasers(act, parts)
    touched = [*parts]
    for one, answer in zip(said, answers, strict=True):
        if not one.agrees and _rule_accepts(order, one):
            touched += _accept_by_rule(act, order, answer)
    bring_along(instalments=dict.fromkeys(touched))
    return order.pk


def _rule_accepts(order: PurchaseOrder, one: confirmations.Said) -> bool:
    supplier, line = order.supplier, one.instalment.line
    return by_rule(one.asked, one.answered, one.later, supplier.accept_days, supplier.passage_days, line.need_by)


def _accept_by_rule(act: Act, order: PurchaseOrder, answer: Answer) -> list[int]:
    """Accept by the rule's own act, not the supplier's nor ours."""
    ruled = replace(act, channel="rule")
    changes = _changes(_asked_of(answer), answer)
    text = f"By rule: accepted {order.supplier}'s answer, at most {order.supplier.accept_days} days later and in time"
    history = add_history(
        ruled, "accept_answer", text, _links(order, [answer.instalment]), changes=changes, shared=True
    )
    touched = _take_over(history, answer, answer.instalment)
    confirmations.decide(ruled, answer, Answer.Outcome.ACCEPTED)
    return touched


def _said(part: Instalment, row: AnswerRow) -> confirmations.Said:
    asked, answered = _asked(part), Terms(row.quantity, row.ready_on, row.pack_price)
    return confirmations.Said(part, asked, answered, not differences(asked, answered), row.later, row.remark)


def _locked_parts(order: PurchaseOrder, keys: list[int]) -> dict[int, Instalment]:
    parts = Instalment.objects.select_for_update(of=("self",)).select_related("line__item", "line__order")
    found = {part.pk: part for part in parts.filter(pk__in=keys, line__order=order).order_by("pk")}
    for key, position in positions.locked_positions(found).items():
        found[key].position = position
    return found


def _row_problems(act: Act, part: Instalment | None, row: AnswerRow, supplier: Party) -> list[Problem]:
    if part is None:
        return [Problem("This instalment is not of this order.", f"row-{row.instalment}")]
    if part.position.dropped == part.quantity:
        return [Problem("This was cancelled; nothing is owed for it.", f"row-{part.pk}", "Leave it out.")]
    answered, earliest = Terms(row.quantity, row.ready_on, row.pack_price), act.today if act.supplier else None
    if part.position.with_supplier < part.quantity:
        return _packed_problems(part, answered, row)
    found = answer_problems(_asked(part), answered, f"row-{part.pk}", row.later, earliest)
    if len(row.remark) > LONGEST_REMARK:
        found.append(Problem(f"The remark is longer than {LONGEST_REMARK} characters.", f"row-{part.pk}"))
    for name in differences(_asked(part), answered) if act.supplier else []:
        if name not in supplier.link_may:
            what = f"The {name} cannot be changed through this page."
            found.append(Problem(what, f"row-{part.pk}", "Write to the buyer, or answer as asked."))
    return found


def _packed_problems(part: Instalment, answered: Terms, row: AnswerRow) -> list[Problem]:
    """Goods that are on their way before they were answered can still be confirmed, but not changed."""
    where, mend = f"row-{part.pk}", "Take it out of the container first."
    if part.agreed_quantity >= part.quantity:
        return [Problem("Part of this instalment is packed; its agreement stands.", where, mend)]
    if differences(_asked(part), answered) or row.later:
        return [Problem("Part of this instalment is packed: it can only be confirmed as it was asked.", where, mend)]
    return []


def _asked(part: Instalment) -> Terms:
    """The terms to be answered: our counter-proposal, else the agreement, else the order."""
    price = part.counter_price if part.counter_price is not None else part.pack_price
    return Terms(part.quantity, part.counter_on or part.promise or part.asked_on, price)


def _asked_of(answer: Answer) -> Terms:
    return Terms(answer.asked_quantity, answer.asked_on, answer.asked_pack_price)


@once
def decide_answer(act: Act, request: Decision) -> int:
    """Accept what differs (a smaller quantity splits the instalment), refuse it, or propose something else."""
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
    changes = _changes(_asked_of(answer), answer)
    touched = [part.pk]
    if request.accept:
        text = f"Accepted {order.supplier}'s answer"
        history = add_history(act, "accept_answer", text, _links(order, [part]), changes=changes, shared=True)
        touched = _take_over(history, answer, _locked_parts(order, [part.pk])[part.pk])
        confirmations.decide(act, answer, Answer.Outcome.ACCEPTED)
    elif request.counters:
        _counter(act, request, answer, order)
    else:
        text = f"Refused {order.supplier}'s answer"
        add_history(act, "refuse_answer", text, _links(order, [part]), changes=changes, shared=True)
        confirmations.decide(act, answer, Answer.Outcome.REFUSED)
    bring_along(instalments=touched)
    return part.line_id


def _take_over(history, answer: Answer, part: Instalment) -> list[int]:
    """The answer is agreed, part after part; what is left over stays asked for in an instalment of its own."""
    touched, parts = [part.pk], [(answer.quantity, answer.ready_on), *_later_parts(answer)]
    for quantity, ready_on in parts:
        rest = orders.agree(part, quantity, ready_on, answer.pack_price)
        if rest is None:
            break
        _split(history, part, rest)
        touched.append(rest.pk)
        part = rest
    return touched


def _later_parts(answer: Answer) -> list[tuple[Decimal, date]]:
    return [(Decimal(part["quantity"]), date.fromisoformat(part["ready_on"])) for part in answer.later]


def _counter(act: Act, request: Decision, answer: Answer, order: PurchaseOrder) -> None:
    """Propose another day or price; the supplier's move again."""
    part, offered = answer.instalment, Terms(answer.quantity, answer.ready_on, answer.pack_price)
    day = request.counter_on or answer.asked_on
    price = request.counter_price if request.counter_price is not None else answer.asked_pack_price
    problems = answer_problems(
        Terms(part.quantity, day, price), Terms(part.quantity, day, price), "counter", (), act.today
    )
    if (day, price) == (offered.ready_on, offered.pack_price):
        problems.append(Problem("This is what the supplier offers.", "counter", "Accept it."))
    refuse_if(problems)
    changes = [
        {"field": name, "old": old, "new": new}
        for name, old, new in (
            ("date", dated(answer.ready_on), dated(day)),
            ("price", count(answer.pack_price), count(price)),
        )
        if old != new
    ]
    text = f"Proposed to {order.supplier} instead: ready {day:%-d %b %Y} at {count(price)}"
    add_history(act, "counter_answer", text, _links(order, [part]), changes=changes, shared=True)
    orders.counter(part, day, price)
    confirmations.decide(act, answer, Answer.Outcome.COUNTERED)


def _split(history, part: Instalment, later: Instalment) -> None:
    """The rest goes back to ordered in the old instalment and out again in the new one."""
    positions.open_positions([later.pk])
    positions.move(
        history,
        [
            positions.MoveDraft(part.pk, "with_supplier", "ordered", later.quantity),
            positions.MoveDraft(later.pk, "ordered", "with_supplier", later.quantity),
        ],
    )


def _changes(asked: Terms, answer: Answer) -> list[dict[str, str]]:
    old = {"quantity": count(asked.quantity), "date": dated(asked.ready_on), "price": count(asked.pack_price)}
    new = {"quantity": count(answer.quantity), "date": dated(answer.ready_on), "price": count(answer.pack_price)}
    return [{"field": name, "old": old[name], "new": new[name]} for name in old if old[name] != new[name]]


def _links(order: PurchaseOrder, parts) -> list[tuple[str, int, int | None]]:
    lines = [("line", part.line_id, order.company_id) for part in parts]
    return [("order", order.pk, order.company_id), *lines]
