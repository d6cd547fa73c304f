"""Which rules of a tariff apply: the longest code, the narrowest origin, preference with its proof, extra duties."""

from datetime import date
from decimal import Decimal as D

import pytest

from northing.core.costing.customs import Expression, Specific
from northing.core.costing.tariff import Goods, Rule, applied, words_of

DAY = date(2026, 5, 1)
RULES = [
    Rule(1, "duty", "", date(2020, 1, 1), Expression(D("0.05"))),
    Rule(2, "duty", "85", date(2020, 1, 1), Expression(D("0.04"))),
    Rule(3, "duty", "8516", date(2020, 1, 1), Expression(D("0.03")), countries=frozenset({"CN", "VN"})),
    Rule(4, "duty", "8516", date(2020, 1, 1), Expression(D("0.02")), countries=frozenset({"VN"}), one_country=True),
    Rule(5, "duty", "851610", date(2026, 5, 1), Expression(D("0.01"))),
    Rule(6, "duty", "851610", date(2026, 5, 2), Expression(D("0.009"))),
    Rule(7, "duty", "69", date(2020, 1, 1), Expression(D("0.08")), until=date(2026, 4, 30)),
    Rule(8, "preference", "6911", date(2020, 1, 1), Expression(), countries=frozenset({"PT"}), proof="certificate"),
    Rule(9, "preference", "7323", date(2020, 1, 1), Expression(D("0.001")), countries=frozenset({"AU"})),
    Rule(10, "extra", "7323", date(2020, 1, 1), Expression(D("0.12")), countries=frozenset({"CN"}), name="ad"),
    Rule(11, "extra", "732393", date(2020, 1, 1), Expression(D("0.30")), countries=frozenset({"CN"}), name="ad",
         supplier=7),
    Rule(12, "extra", "73", date(2020, 1, 1), Expression(D("0.01")), name="levy"),
    Rule(13, "duty", "44199010", date(2020, 1, 1), Expression(D("0.5"))),
    Rule(14, "import tax", "49", date(2020, 1, 1), Expression(D("0.05"))),
    Rule(15, "import tax", "4901", date(2026, 1, 1), Expression()),
]  # fmt: skip


@pytest.mark.parametrize(
    ("hs", "origin", "duty"),
    [
        ("392410", "CN", 1), ("850980", "CN", 2), ("851660", "CN", 3), ("851660", "VN", 4), ("851660", "DE", 2),
        ("851610", "VN", 5), ("8516101100", "CN", 5), ("691110", "CN", 1), ("441990", "CN", 1),
        ("4419901099", "CN", 13),
    ],
)  # fmt: skip
def test_the_longest_code_wins_then_the_narrowest_origin_then_the_newest(hs, origin, duty):
    assert applied(RULES, Goods(hs, origin), DAY).duty.key == duty


@pytest.mark.parametrize(("day", "duty"), [(date(2026, 4, 30), 7), (date(2026, 5, 1), 1), (date(2019, 12, 31), None)])
def test_a_rule_stands_from_its_first_day_through_its_last(day, duty):
    found = applied(RULES, Goods("691110", "CN"), day).duty
    assert (found and found.key) == duty


def test_a_preference_needs_its_proof_and_says_what_is_missed():
    found = applied(RULES, Goods("691110", "PT"), DAY)
    assert (found.duty.key, found.missed.key, found.with_proof().duty.key) == (1, 8, 8)
    proved = applied(RULES, Goods("691110", "PT", proofs=frozenset({"certificate"})), DAY)
    assert (proved.duty.key, proved.missed) == (8, None)
    # One that asks for no proof is given at once.
    assert applied(RULES, Goods("732393", "AU"), DAY).duty.key == 9


def test_extra_duties_add_up_by_name_the_narrowest_of_each():
    assert [rule.key for rule in applied(RULES, Goods("732393", "CN"), DAY).extras] == [10, 12]
    assert [rule.key for rule in applied(RULES, Goods("732393", "CN", 7), DAY).extras] == [11, 12]
    assert [rule.key for rule in applied(RULES, Goods("732393", "DE", 7), DAY).extras] == [12]


@pytest.mark.parametrize(("hs", "tax"), [("490199", 15), ("490290", 14), ("851610", None)])
def test_import_tax_of_another_rate_is_the_longest_codes(hs, tax):
    found = applied(RULES, Goods(hs, "CN"), DAY)
    assert (found.tax and found.tax.key) == tax and found.duty.key != tax


def test_a_code_that_is_too_short_to_tell_is_said():
    assert [rule.key for rule in applied(RULES, Goods("441990", "CN"), DAY).finer] == [13]
    assert applied(RULES, Goods("441910", "CN"), DAY).finer == ()


@pytest.mark.parametrize(
    ("expression", "words"),
    [
        (Expression(), "free"),
        (Expression(D("0.065"), (Specific(D("1.20"), "NZD", "kg", D(1)),)), "6.5 % + NZD 1.2 per kg"),
        (
            Expression(D("0.1"), (Specific(D(3), "USD", "unit", D(1)),), "higher"),
            "the higher of 10 % and USD 3 per unit",
        ),
    ],
)
def test_a_duty_in_words(expression, words):
    assert words_of(expression) == words
