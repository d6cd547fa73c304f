"""The worker's part in answers and chasers: one action for each of many records."""

from datetime import date

from northing.actions.confirmations import chasers
from northing.actions.confirmations.answers import decide_answer, decision
from northing.actions.orders.jobs import line_named
from northing.confirmations.models import Answer
from northing.jobs.jobs import Named, Run
from northing.masterdata.models import Party


def accept_answers(run: Run) -> None:
    """Accept open answers, each in its own transaction."""
    _decide(run, "accept", None)


def decide_answers(run: Run) -> None:
    """One decision on many answers."""
    day = run.request["counter_on"]
    _decide(run, run.request["word"], date.fromisoformat(day) if day else None)


def _decide(run: Run, word: str, counter_on: date | None) -> None:
    keys = run.request["keys"]
    found = Answer.objects.filter(pk__in=keys).values_list(
        "pk", "instalment__line__order__number", "instalment__line__number", "instalment__line_id"
    )
    names = {pk: line_named(order, number, line) for pk, order, number, line in found}
    run.each(keys, lambda act, key: decide_answer(act, decision(key, word, counter_on)), names)


def chase_lines(run: Run) -> None:
    """One letter to each supplier of many lines."""
    keys, lines = run.request["keys"], tuple(run.request["lines"])
    found = Party.objects.filter(pk__in=keys).values_list("pk", "name")
    names = {pk: Named(name, "party", pk) for pk, name in found}
    run.each(keys, lambda act, key: chasers.chase(act, chasers.ChaseRequest(key, lines=lines)), names)
