"""When a supplier is reminded: a table of cases."""

from dataclasses import replace
from datetime import date, timedelta

import pytest

from northing.core.confirmations.chasers import Facts, Rule, by_hand, due, rule_for

TODAY = date(2026, 11, 25)
OWES = ("confirmation", "despatch")
RULES = [Rule("unanswered", 3, 5), Rule("ready", 10, 7), Rule("despatch", 2, 4), Rule("papers", 1, 2)]


def days(count):
    return TODAY + timedelta(days=count)


ASKED = Facts(1, "sea", days(-3), days(90), 40, None, False, False, True)
AGREED = replace(ASKED, promise=days(45), agreed=True)
CASES = [
    ("sent three days ago and silent", ASKED, OWES, ["unanswered"]),
    ("sent two days ago", replace(ASKED, sent_on=days(-2)), OWES, []),
    ("an answer waits for us", replace(ASKED, answered=True), OWES, []),
    ("owes no confirmation", ASKED, ("despatch",), []),
    ("nothing is with the supplier any more", replace(ASKED, with_supplier=False), OWES, []),
    ("agreed, long before it must be ready", AGREED, OWES, []),
    ("must be ready in ten days", replace(AGREED, need_by=days(50)), OWES, ["ready"]),
    ("must be ready in eleven days", replace(AGREED, need_by=days(51)), OWES, []),
    ("must be ready today", replace(AGREED, need_by=days(40)), OWES, ["ready"]),
    ("should have been ready yesterday: too late to remind", replace(AGREED, need_by=days(39)), OWES, []),
    ("promised two days ago, still there", replace(AGREED, promise=days(-2)), OWES, ["despatch"]),
    ("promised yesterday", replace(AGREED, promise=days(-1)), OWES, []),
    ("owes no despatch notice", replace(AGREED, promise=days(-9)), ("confirmation",), []),
    ("the order says itself how long before", replace(AGREED, need_by=days(60), remind_days=20), OWES, ["ready"]),
    ("the order says: not yet", replace(AGREED, need_by=days(50), remind_days=3), OWES, []),
    ("papers missing", replace(AGREED, with_supplier=False, papers_missing_since=days(-1)), OWES, ["papers"]),
    ("papers missing since today", replace(AGREED, with_supplier=False, papers_missing_since=TODAY), OWES, []),
]


@pytest.mark.parametrize(
    ("facts", "kinds"),
    [
        (ASKED, ["unanswered"]),
        (replace(ASKED, answered=True), []),
        (AGREED, ["despatch"]),
        (replace(AGREED, promise=None), ["ready"]),
        (replace(AGREED, with_supplier=False), []),
        (replace(AGREED, with_supplier=False, papers_missing_since=TODAY), ["papers"]),
    ],
)
def test_by_hand_at_any_day_and_of_each_thing_once(facts, kinds):
    found = by_hand(facts, RULES[:1], 1)
    assert [one.kind for one in found] == kinds
    assert {one.quiet_days for one in found} <= {5, 1}


@pytest.mark.parametrize(("name", "facts", "owes", "kinds"), CASES, ids=[case[0] for case in CASES])
def test_what_is_due(name, facts, owes, kinds):
    assert [one.kind for one in due(facts, RULES, owes, TODAY)] == kinds


NEAREST = [
    Rule("ready", 1, 5),
    Rule("ready", 2, 5, mode="air"),
    Rule("ready", 3, 5, supplier=7),
    Rule("ready", 4, 5, supplier=7, mode="air"),
    Rule("despatch", 5, 5, supplier=7, paused=True),
    Rule("despatch", 6, 5),
]


@pytest.mark.parametrize(
    ("kind", "supplier", "mode", "days"),
    [
        ("ready", 1, "sea", 1),
        ("ready", 1, "air", 2),
        ("ready", 7, "sea", 3),
        ("ready", 7, "air", 4),
        ("despatch", 7, "sea", None),
        ("despatch", 8, "sea", 6),
        ("papers", 7, "sea", None),
    ],
)
def test_the_nearest_rule_holds(kind, supplier, mode, days):
    rule = rule_for(NEAREST, kind, supplier, mode)
    assert (rule.days if rule else None) == days
