"""Agreements by a table: which step stands, and what a line is warned of."""

from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal as D

import pytest

from northing.core.confirmations.agreement import Offer, misfits, next_fitting, standing
from northing.core.problems import Strength

TODAY = date(2026, 11, 25)


@dataclass(frozen=True)
class Rung:
    name: str
    valid_from: date
    from_quantity: D


OLD, NEW, LATER = date(2025, 1, 1), date(2026, 6, 1), date(2027, 1, 1)
LADDER = [
    Rung("old", OLD, D(0)),
    Rung("old 5000", OLD, D(5000)),
    Rung("new 1000", NEW, D(1000)),
    Rung("new 100", NEW, D(100)),
    Rung("later", LATER, D(0)),
]


@pytest.mark.parametrize(
    ("day", "quantity", "name"),
    [
        (date(2024, 12, 31), "10", None),
        (OLD, "10", "old"),
        (OLD, "5000", "old 5000"),
        (NEW - timedelta(days=1), "4999.999999", "old"),
        (NEW, "1", "new 100"),
        (NEW, "99.9", "new 100"),
        (NEW, "100", "new 100"),
        (NEW, "999", "new 100"),
        (NEW, "1000", "new 1000"),
        (NEW, "99999", "new 1000"),
        (date(2026, 12, 31), "5000", "new 1000"),
        (LATER, "5000", "later"),
    ],
)
def test_the_step_that_stands(day, quantity, name):
    found = standing(LADDER, day, D(quantity))
    assert (found.name if found else None) == name


def test_no_steps_at_all():
    assert standing([], TODAY, D(1)) is None


def offer(**more):
    facts = {"price": D("2.00"), "minimum": D(0), "multiple": D(0), "lead_days": 30, "passage_days": 40}
    return Offer(**(facts | more))


FAR = TODAY + timedelta(days=200)


@pytest.mark.parametrize(
    ("quantity", "price", "need_by", "agreed", "fields"),
    [
        ("10", "2.00", FAR, offer(), []),
        ("10", "2.00", TODAY + timedelta(days=70), offer(), []),
        ("10", "2.00", TODAY + timedelta(days=69), offer(), ["need_by"]),
        ("99", "2.00", FAR, offer(minimum=D(100)), ["packs"]),
        ("100", "2.00", FAR, offer(minimum=D(100)), []),
        ("100", "2.00", FAR, offer(multiple=D(12)), ["packs"]),
        ("108", "2.00", FAR, offer(multiple=D(12)), []),
        ("0.75", "2.00", FAR, offer(multiple=D("0.25")), []),
        ("0.80", "2.00", FAR, offer(multiple=D("0.25")), ["packs"]),
        ("10", "2.01", FAR, offer(), ["pack_price"]),
        ("10", "1.99", FAR, offer(), ["pack_price"]),
        ("10", "2.10", FAR, offer(tolerance=D(5)), []),
        ("10", "2.11", FAR, offer(tolerance=D(5)), ["pack_price"]),
        ("10", "1.89", FAR, offer(tolerance=D(5)), ["pack_price"]),
        ("10", "0.01", FAR, offer(price=D(0), tolerance=D(5)), ["pack_price"]),
        ("5", "3", TODAY, offer(minimum=D(6), multiple=D(4)), ["packs", "packs", "pack_price", "need_by"]),
    ],
)
def test_what_a_line_is_warned_of(quantity, price, need_by, agreed, fields):
    found = misfits("line-1", D(quantity), D(price), need_by, TODAY, agreed)
    assert [problem.where for problem in found] == [f"line-1-{field}" for field in fields]
    assert all(problem.strength == Strength.WARN for problem in found)


@pytest.mark.parametrize(
    ("quantity", "minimum", "multiple", "fits"),
    [("5", 0, 0, 5), ("5", 10, 0, 10), ("5", 0, 4, 8), ("8", 0, 4, 8), ("5", 10, 4, 12), ("13", 10, 4, 16)],
)
def test_the_next_that_fits(quantity, minimum, multiple, fits):
    assert next_fitting(D(quantity), offer(minimum=D(minimum), multiple=D(multiple))) == fits
