"""Facts as people write them: each reader with what it takes and what it refuses in words."""

from datetime import date
from decimal import Decimal as D

import pytest

from northing.formats import facts

TAKEN = [
    (facts.text(6), "a   b", "a b"),
    (facts.lines(40), "Gate 4\n\n  9 Mill Road \n", "Gate 4\n9 Mill Road"),
    (facts.code(8), "kln-1", "KLN-1"),
    (facts.country, "nz", "NZ"),
    (facts.currency, "jpy", "JPY"),
    (facts.locode, "nz trg", "NZTRG"),
    (facts.locode, "US2AB", "US2AB"),
    (facts.hs_code, "8516.10.00", "85161000"),
    (facts.gtin, "", None),
    (facts.gtin, "95210001", "00000095210001"),
    (facts.number(D(0), D(10), 2), "1.25", D("1.25")),
    (facts.number(D(0), D(2000), 2), "1,200", D(1200)),
    (facts.whole(0, 400), "40", 40),
    (facts.percent(), "12.5 %", D("0.125")),
    (facts.yes_no, "Yes", True),
    (facts.yes_no, "", False),
    (facts.one_of(("dock", "store")), "Dock", "dock"),
    (facts.some_of(("duty", "freight")), "freight, DUTY", ["duty", "freight"]),
    (facts.some_of(("duty",)), "", []),
    (facts.mail, "a@b.example", "a@b.example"),
    (facts.mail, "", ""),
    (facts.day, "2026-11-25", date(2026, 11, 25)),
]
REFUSED = [
    (facts.text(3), "abcd", "at most 3"),
    (facts.text(3), "a\x00", "at most 3"),
    (facts.code(3), "", "not a code"),
    (facts.code(3), "a b", "not a code"),
    (facts.code(9), "kéy", "not a code"),
    (facts.country, "NZL", "two letters"),
    (facts.country, "ÄÖ", "two letters"),
    (facts.currency, "XXY", "ISO 4217"),
    (facts.locode, "NZTR1", "UN/LOCODE"),
    (facts.locode, "12TRG", "UN/LOCODE"),
    (facts.hs_code, "85161", "6 to 10"),
    (facts.hs_code, "85161x", "6 to 10"),
    (facts.gtin, "9521000000120", "check digit; for these digits it would be"),
    (facts.gtin, "123", "8, 12, 13 or 14"),
    (facts.number(D(0), D(10), 2), "x", "not a number"),
    (facts.number(D(0), D(10), 2), "-1", "not from 0 to 10"),
    (facts.number(D(0), D(10), 2), "1.234", "more than 2 decimals"),
    (facts.number(D(0), D(10), 2), "1e3", "not a number"),
    (facts.whole(0, 400), "401", "from 0 to 400"),
    (facts.whole(0, 400), "4.5", "whole number"),
    (facts.percent(), "101", "from 0 to 100"),
    (facts.yes_no, "maybe", "neither"),
    (facts.one_of(("dock",)), "yard", "one of dock"),
    (facts.some_of(("duty",)), "duty, x", "'x' is not one of"),
    (facts.mail, "a b@c.example", "mail address"),
    (facts.mail, "a@b", "mail address"),
    (facts.day, "25.11.2026", "not a day"),
    (facts.day, "0001-01-01", "not a plausible day"),
]


@pytest.mark.parametrize(("read", "text", "value"), TAKEN)
def test_what_is_taken(read, text, value):
    assert read(text) == value


@pytest.mark.parametrize(("read", "text", "words"), REFUSED)
def test_what_is_refused(read, text, words):
    with pytest.raises(ValueError, match=words):
        read(text)


@pytest.mark.parametrize(
    ("value", "said"),
    [(None, ""), (True, "yes"), (D("1.50"), "1.5"), (["a", "b"], "a, b"), (date(2026, 1, 2), "2026-01-02")],
)
def test_what_is_said(value, said):
    assert facts.written(value) == said
