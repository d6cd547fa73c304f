"""The worker's tasks at set times; procrastinate finds this module by its name."""

from contextlib import suppress
from datetime import datetime

import structlog
from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from northing.access.acts import Act
from northing.actions.claims import ask
from northing.actions.confirmations import chasers, decision_letters
from northing.actions.confirmations.supplier_links import acting_person
from northing.actions.masterdata import rate_feed
from northing.actions.purge import purge_old
from northing.actions.shipping import carrier_feeds, passage_statistics
from northing.core.problems import Refused
from northing.masterdata.models import Company

LOG = structlog.get_logger(__name__)
# The hour of the business day from which rules chase.
FROM_HOUR = 6


@app.periodic(cron="7 * * * *")
@app.task(name="chase by rule", queue="letters", pass_context=False)
def chase_by_rule(timestamp: int) -> None:
    """Once each business day, each supplier that is due; asked every hour, so that a morning asleep is made good."""
    now = timezone.now()
    if timezone.localtime(now).hour >= FROM_HOUR:
        for refused in chase_all(now):
            LOG.warning("not chased", why=refused)


@app.periodic(cron="17 * * * *")
@app.task(name="remind of cases", queue="letters", pass_context=False)
def remind_of_cases(timestamp: int) -> None:
    """Once each business day, whoever did not answer about a case in time."""
    now = timezone.now()
    if timezone.localtime(now).hour >= FROM_HOUR:
        for refused in remind_all(now):
            LOG.warning("not reminded", why=refused)


@app.periodic(cron="* * * * *")
@app.task(name="poll feeds", queue="derived", pass_context=False)
def poll_feeds(timestamp: int) -> None:
    """Queue each carrier's feed that is due, once: a slow one keeps no other waiting."""
    for feed in carrier_feeds.due_feeds(timezone.now()):
        with suppress(AlreadyEnqueued):
            app.configure_task("poll feed", lock=f"feed {feed}", queueing_lock=f"feed {feed}").defer(feed=feed)


@app.task(name="poll feed", queue="feeds")
def poll_feed(feed: int) -> None:
    """Ask a carrier's feed, where it is still due."""
    for said in carrier_feeds.poll_due(timezone.now(), [feed]):
        LOG.info("feed asked", said=said)


@app.periodic(cron="*/5 * * * *")
@app.task(name="ask rates", queue="feeds", queueing_lock="rates", pass_context=False)
def ask_rates(timestamp: int) -> None:
    """Ask for a central bank's rates where it is time."""
    for said in rate_feed.poll_due(timezone.now()):
        LOG.info("rates asked for", said=said)


@app.periodic(cron="40 2 * * *")
@app.task(name="purge", queue="derived", pass_context=False)
def purge(timestamp: int) -> None:
    """Each night, what is kept for a time only, as docs/running.md says."""
    LOG.info("purged", **purge_old(timezone.now()))


@app.periodic(cron="20 3 * * *")
@app.task(name="learn passages", queue="derived", pass_context=False)
def learn_from_passages(timestamp: int) -> None:
    """Each night, what finished passages teach about the next ones."""
    with transaction.atomic():
        passage_statistics.learn_passages(timezone.now())


@app.periodic(cron="*/5 * * * *")
@app.task(name="tell decisions", queue="letters", pass_context=False)
def send_decided(timestamp: int) -> None:
    """Suppliers are told what we decided, some minutes after the last of many decisions."""
    decision_letters.send_decisions(timezone.now())


def remind_all(now: datetime) -> list[str]:
    """Remind everybody whom a rule names today; returns who could not be, and why."""
    said = []
    for case in ask.due_reminders(timezone.localdate(now)):
        try:
            with transaction.atomic():
                ask.remind(Act(acting_person(case.against), now, "", "rule"), case.pk)
        except Refused as refused:
            said.append(f"case {case.pk}: {refused}")
    return said


def chase_all(now: datetime) -> list[str]:
    """Chase everybody whom a rule names today; returns who could not be, and why."""
    said, today = [], timezone.localdate(now)
    for planned in chasers.plan(Company.objects.values_list("pk", flat=True), today):
        if planned.lines:
            supplier = planned.supplier
            act = Act(acting_person(supplier), now, f"rule:{supplier.pk}:{today}", "rule")
            try:
                chasers.chase(act, chasers.ChaseRequest(supplier.pk))
            except Refused as refused:
                said.append(f"{supplier}: {refused}")
    return said
