"""When a supplier is reminded of something, by rules that each firm sets."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

# For how many days one is left in peace after a reminder that no rule speaks of.
USUAL_QUIET = 5
UNANSWERED, READY, DESPATCH, PAPERS = "unanswered", "ready", "despatch", "papers"


@dataclass(frozen=True, slots=True)
class Rule:
    """Remind of `kind` after `days`; never twice within `quiet_days`. Empty supplier and mode: for all."""

    kind: str
    days: int
    quiet_days: int
    supplier: int | None = None
    mode: str = ""
    paused: bool = False


@dataclass(frozen=True, slots=True)
class Facts:
    """The answers that an instalment waits for at its supplier."""

    supplier: int
    mode: str
    sent_on: date
    need_by: date
    passage_days: int
    promise: date | None
    agreed: bool
    answered: bool  # an answer waits for us: nothing to chase
    with_supplier: bool
    papers_missing_since: date | None = None
    # Said for the order itself: its reminder goes so many days before its goods must be ready.
    remind_days: int | None = None


@dataclass(frozen=True, slots=True)
class Due:
    """Something to remind of now."""

    kind: str
    reason: str
    quiet_days: int


def rule_for(rules: Iterable[Rule], kind: str, supplier: int, mode: str) -> Rule | None:
    """The nearest rule: of the supplier and mode, the supplier, the mode, then for all; None when it is paused.

    >>> rule_for([Rule("ready", 3, 5), Rule("ready", 9, 5, supplier=7)], "ready", 7, "sea").days
    9
    """
    fitting = [
        rule for rule in rules if rule.kind == kind and rule.supplier in (None, supplier) and rule.mode in ("", mode)
    ]
    nearest = max(fitting, key=lambda rule: (rule.supplier is not None, rule.mode != ""), default=None)
    return None if nearest is None or nearest.paused else nearest


def due(facts: Facts, rules: Sequence[Rule], owes: Sequence[str], today: date) -> list[Due]:
    """The reminders that are due on `today`; `owes` are the answers this supplier owes.

    The days before goods must be ready count back from the passage: need-by less passage is when they must be
    ready, and the rule's days before that there is still time to act.
    """
    found = []
    for kind, since in _open(facts, owes):
        rule = _rule_of(facts, rules, kind)
        if since is None or rule is None:
            continue
        day, words = since
        begins = day - timedelta(days=rule.days) if kind == READY else day + timedelta(days=rule.days)
        if begins <= today and not (kind == READY and today > day):
            found.append(Due(kind, words, rule.quiet_days))
    return found


def by_hand(facts: Facts, rules: Sequence[Rule], quiet_days: int) -> list[Due]:
    """The reminders that a person may send at any day: of an answer, of goods not ready, of papers.

    The quiet time is that of the nearest rule, else `quiet_days`.
    """
    owed = dict(_open(facts, ["confirmation", "despatch"]))
    kinds = (UNANSWERED, DESPATCH, READY, PAPERS) if facts.with_supplier else (PAPERS,)
    found = []
    for kind in kinds:
        since, rule = owed[kind], rule_for(rules, kind, facts.supplier, facts.mode)
        # Goods are asked for once: by their promise, and only without one by the day they are needed.
        if since and not (kind == READY and owed[DESPATCH]):
            found.append(Due(kind, since[1], rule.quiet_days if rule else quiet_days))
    return found


def _open(facts: Facts, owes: Sequence[str]) -> list[tuple[str, "Since"]]:
    return [
        (UNANSWERED, _unanswered(facts, owes)),
        (READY, _ready(facts)),
        (DESPATCH, _despatch(facts, owes)),
        (PAPERS, _papers(facts)),
    ]


def _rule_of(facts: Facts, rules: Iterable[Rule], kind: str) -> Rule | None:
    rule = rule_for(rules, kind, facts.supplier, facts.mode)
    if kind == READY and facts.remind_days is not None:
        return Rule(kind, facts.remind_days, rule.quiet_days if rule else USUAL_QUIET)
    return rule


Since = tuple[date, str] | None


def _unanswered(facts: Facts, owes: Sequence[str]) -> Since:
    if facts.agreed or facts.answered or not facts.with_supplier or "confirmation" not in owes:
        return None
    return facts.sent_on, f"not answered, sent {facts.sent_on:%-d %b %Y}"


def _ready(facts: Facts) -> Since:
    if not (facts.agreed and facts.with_supplier):
        return None
    day = facts.need_by - timedelta(days=facts.passage_days)
    return day, f"must be ready by {day:%-d %b %Y}"


def _despatch(facts: Facts, owes: Sequence[str]) -> Since:
    if not facts.with_supplier or facts.promise is None or "despatch" not in owes:
        return None
    return facts.promise, f"promised for {facts.promise:%-d %b %Y}, not despatched yet"


def _papers(facts: Facts) -> Since:
    since = facts.papers_missing_since
    return (since, f"transport document missing since {since:%-d %b %Y}") if since else None
