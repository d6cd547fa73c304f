"""The calls of suppliers' answers."""

from typing import Annotated, Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Query, Router

from northing.access.queries import scoped
from northing.actions.confirmations.answers import AnswerRow, AnswersRequest, decide_answer, decision, record_answers
from northing.api.callers import act_of, require
from northing.api.orders import seen_orders
from northing.api.paging import USUAL, page
from northing.api.parameters import After, Key, Limit, answers
from northing.api.shapes import common
from northing.api.shapes import confirmations as shapes
from northing.api.shapes.common import NO_NUL
from northing.confirmations.models import Answer

router = Router()


@router.get("/confirmations", response=answers(shapes.Confirmations), tags=["confirmations"])
def confirmations(
    request: HttpRequest,
    after: After = "",
    limit: Limit = USUAL,
    outcome: Annotated[str, Query("", max_length=12, pattern=NO_NUL)] = "",
):
    """Answers of suppliers, newest first; those of `outcome=open` wait for us."""
    require(request, "read")
    found = scoped(Answer.objects.select_related("instalment__line"), request.auth.person, COMPANY_OF_ANSWER)
    rows, following = page(found.filter(outcome=outcome) if outcome else found, after, limit, newest_first=True)
    return {"items": [_answer(row) for row in rows], "next": following}


COMPANY_OF_ANSWER = "instalment__line__order__company"


def _answer(row: Answer) -> dict[str, Any]:
    names = "id reference quantity ready_on asked_quantity asked_on remark answered_on outcome"
    found = {name: getattr(row, name) for name in names.split()}
    line = row.instalment.line
    found |= {"order": line.order_id, "line": line.pk, "instalment": row.instalment_id}
    return found | {"price": row.pack_price, "asked_price": row.asked_pack_price}


@router.post("/confirmations", response=answers(common.Made, 201), tags=["confirmations"])
def record_confirmation(request: HttpRequest, asked: shapes.ConfirmationIn):
    """Record a supplier's answer; what equals what was asked is agreed, the rest waits for a decision."""
    require(request, "confirmations")
    get_object_or_404(seen_orders(request), pk=asked.order)
    rows = tuple(
        AnswerRow(row.instalment, row.quantity, row.ready_on, row.price, remark=row.remark) for row in asked.rows
    )
    wanted = AnswersRequest(asked.order, asked.reference, asked.answered_on, rows)
    return 201, {"id": record_answers(act_of(request), wanted)}


@router.post("/confirmations/{answer_id}/decision", response=answers(shapes.ConfirmationOut), tags=["confirmations"])
def decide(request: HttpRequest, answer_id: Key, asked: shapes.DecisionIn):
    """Accept, refuse or counter an answer."""
    require(request, "confirmations")
    found = scoped(Answer.objects.select_related("instalment__line"), request.auth.person, COMPANY_OF_ANSWER)
    get_object_or_404(found, pk=answer_id)
    decide_answer(act_of(request), decision(answer_id, asked.decision, asked.counter_on))
    return _answer(found.get(pk=answer_id))
