"""Errands that do one deed for each of many records."""

import logging
from dataclasses import replace
from datetime import date, datetime

from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from northing.confirmations.models import Answer
from northing.core.problems import Refused
from northing.deeds import matters
from northing.deeds.agree import chasing, telling
from northing.deeds.agree.agreeing import decide_answer, decision
from northing.deeds.agree.inviting import acting_person
from northing.deeds.house import founding
from northing.deeds.order import importing
from northing.deeds.order.amending import BuyerRequest, NeedByRequest, assign_buyer, set_need_by
from northing.deeds.ship import hearing, learning, polling
from northing.directory.acts import Act
from northing.directory.models import Company, Party
from northing.directory.records import KINDS
from northing.orders.models import OrderFile, OrderLine, PurchaseOrder
from northing.orders.paper import papers_of
from northing.papers import hooks, mailing
from northing.papers.errands import Run, handles, named


def _line_name(order: str, number: int) -> str:
    return f"{order}/{number}"


@handles("accept_answers")
def accept_answers(run: Run) -> None:
    """Accept open answers, each in its own transaction."""
    _decide(run, "accept", None)


@handles("decide_answers")
def decide_answers(run: Run) -> None:
    """One decision on many answers."""
    day = run.request["counter_on"]
    _decide(run, run.request["word"], date.fromisoformat(day) if day else None)


def _decide(run: Run, word: str, counter_on: date | None) -> None:
    keys = run.request["keys"]
    found = Answer.objects.filter(pk__in=keys).values_list(
        "pk", "instalment__line__order__number", "instalment__line__number", "instalment__line_id"
    )
    names = named((pk, _line_name(order, number), f"/lines/{line}/") for pk, order, number, line in found)
    run.each(keys, lambda act, key: decide_answer(act, decision(key, word, counter_on)), names)


@handles("set_need_by")
def set_need_bys(run: Run) -> None:
    """One need-by date for many lines."""
    keys, day = run.request["keys"], date.fromisoformat(run.request["need_by"])
    found = OrderLine.objects.filter(pk__in=keys).values_list("pk", "order__number", "number")
    names = named((pk, _line_name(order, number), f"/lines/{pk}/") for pk, order, number in found)
    run.each(keys, lambda act, key: set_need_by(act, NeedByRequest(key, day)), names)


@handles("chase_lines")
def chase_lines(run: Run) -> None:
    """One letter to each supplier of many lines."""
    keys, lines = run.request["keys"], tuple(run.request["lines"])
    found = Party.objects.filter(pk__in=keys).values_list("pk", "name")
    names = named((pk, name, f"/suppliers/{pk}/") for pk, name in found)
    run.each(keys, lambda act, key: chasing.chase(act, chasing.ChaseRequest(key, lines=lines)), names)


@handles("assign_buyer")
def assign_buyers(run: Run) -> None:
    """One buyer for many orders."""
    keys, person = run.request["keys"], run.request["person"]
    found = PurchaseOrder.objects.filter(pk__in=keys).values_list("pk", "number")
    names = named((pk, number, f"/orders/{pk}/") for pk, number in found)
    run.each(keys, lambda act, key: assign_buyer(act, BuyerRequest(key, person)), names)


@handles("keep_rows")
def keep_rows(run: Run) -> None:
    """Keep the records of a file, whole or not at all."""
    kind = KINDS[run.request["kind"]]
    rows = founding.read_file(kind, importing.folder() / run.request["sha256"])
    founding.keep_rows(replace(run.act("rows"), door="file"), rows)
    run.count(run.errand.total)


@handles("hear_events")
def hear_events(run: Run) -> None:
    """Take in a file of events, a lot at a time; a lot that was taken in before a stop is known, and left alone."""
    content = (importing.folder() / run.request["sha256"]).read_bytes()
    for number, lot in enumerate(hearing.in_lots(content)):
        asked = hearing.EventsRequest(run.request["source"], lot)
        heard = hearing.hear(replace(run.act(f"lot-{number}"), door="file"), asked)
        for wrong in heard["wrong"]:
            run.refuse(f"Lot {number + 1}", "", Refused(wrong))
        run.count(min((number + 1) * hearing.LOT, run.errand.total))


@handles("read_orders")
def read_orders(run: Run) -> None:
    """Read an order file and say of each row what it would do."""
    file = OrderFile.objects.get(pk=run.request["file"])
    if file.state in (OrderFile.State.READING, OrderFile.State.FAILED):
        importing.read_file(replace(run.act(), door="file"), file, run.far)


@handles("take_orders")
def take_orders(run: Run) -> None:
    """Do what an order file asks for."""
    file = OrderFile.objects.get(pk=run.request["file"])
    importing.take_file(replace(run.act(), door="file"), file, run.far)
    refused = file.rows.filter(state="wrong").order_by("number")
    for row in refused[:500]:
        run.refuse(f"Row {row.number}", "", Refused(row.says))


mailing.MAKE["order"] = papers_of
mailing.ON_CHANGE.append(lambda letter: matters.refresh_letters([letter.pk]))
# The hour of the business day from which rules chase.
FROM_HOUR = 6


@app.periodic(cron="7 * * * *")
@app.task(name="chase by rule", queue="letters", pass_context=False)
def chase_by_rule(timestamp: int) -> None:
    """Once each business day, each supplier that is due; asked every hour, so that a morning asleep is made good."""
    now = timezone.now()
    if timezone.localtime(now).hour >= FROM_HOUR:
        for refused in chase_all(now):
            logging.getLogger(__name__).warning("not chased: %s", refused)


@app.periodic(cron="* * * * *")
@app.task(name="poll feeds", queue="errands", pass_context=False)
def poll_feeds(timestamp: int) -> None:
    """Ask carriers' feeds that are due."""
    for said in polling.poll_due(timezone.now()):
        logging.getLogger(__name__).info("%s", said)


@app.periodic(cron="* * * * *")
@app.task(name="tell hooks", queue="letters", pass_context=False)
def tell_hooks(timestamp: int) -> None:
    """Tell other programs what happened."""
    hooks.send_due(timezone.now())


@app.periodic(cron="20 3 * * *")
@app.task(name="learn passages", queue="errands", pass_context=False)
def learn_from_passages(timestamp: int) -> None:
    """Each night, what finished passages teach about the next ones."""
    with transaction.atomic():
        learning.learn_passages(timezone.now())


@app.periodic(cron="*/5 * * * *")
@app.task(name="tell decisions", queue="letters", pass_context=False)
def tell_of_decisions(timestamp: int) -> None:
    """Suppliers are told what we decided, some minutes after the last of many decisions."""
    telling.tell_decisions(timezone.now())


def chase_all(now: datetime) -> list[str]:
    """Chase everybody whom a rule names today; returns who could not be, and why."""
    said, today = [], timezone.localdate(now)
    for planned in chasing.plan(Company.objects.values_list("pk", flat=True), today):
        if planned.lines:
            supplier = planned.supplier
            act = Act(acting_person(supplier), now, f"rule:{supplier.pk}:{today}", "rule")
            try:
                chasing.chase(act, chasing.ChaseRequest(supplier.pk))
            except Refused as refused:
                said.append(f"{supplier}: {refused}")
    return said
