"""The buyer answers what is short beyond tolerance: no more comes, or it is still coming."""

from northing.access.acts import Act
from northing.actions.receiving.receive import Reason, take_in
from northing.actions.receiving.short import Answer, ShortAnswer, closing, open_question, question_words
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.receiving import operations as receiving

__all__ = ["ShortAnswer", "answer_short"]


@once
def answer_short(act: Act, request: ShortAnswer) -> int:
    """Close the rest, which then is missing or will not come; or leave it open. Returns the id of the receipt."""
    question = open_question(request.question)
    receipt = question.line.receipt
    act.require("decide_goods", question.company_id)
    what = f"{question_words(question)}, delivery note {receipt.delivery_note}"
    if request.no_more and question.still_open > 0:
        receiving.answer_questions([question], Answer.NO_MORE, act)
        bring_along(questions=[question.pk])
        reason = Reason("answer_short", f"No more comes: {what}")
        return take_in(act, closing(question, act.today), receipt.site, reason).pk
    links = [("line", question.instalment.line_id, question.company_id), ("receipt", receipt.pk, question.company_id)]
    answer, words = (Answer.SETTLED, "Nothing is open any more") if request.no_more else (Answer.COMING, "Still coming")
    add_history(act, "answer_short", f"{words}: {what}", links)
    receiving.answer_questions([question], answer, act)
    bring_along(questions=[question.pk])
    return receipt.pk
