"""Reading, rounding and dividing exact numbers."""

from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as some

from northing.core.money.exact import divide, exactly, nearest_whole, plain, read_exact, round_to, shifted, times

REFUSED = [
    "",
    "1e3",
    "1E-2",
    "NaN",
    "inf",
    "+1",
    " 1",
    "1 ",
    "1.",
    ".5",
    "1,5",
    "0x10",
    "１",
    "1_000",
    "9" * 16,
    "1." + "0" * 11,
    "--1",
]


@pytest.mark.parametrize("text", REFUSED)
def test_what_is_no_plain_number_is_refused(text):
    with pytest.raises(ValueError, match="not a plain number"):
        read_exact(text)


@pytest.mark.parametrize("text", ["0", "-0", "007", "9" * 15, "0." + "1" * 10, "-12.50"])
def test_plain_numbers_are_read_as_written(text):
    assert str(read_exact(text)) == str(D(text))


@pytest.mark.parametrize(
    ("value", "places", "expected"),
    [("0.005", 2, "0.01"), ("-0.005", 2, "-0.01"), ("2.5", 0, "3"), ("-2.5", 0, "-3"), ("1.0049999999", 2, "1.00")],
)
def test_halves_go_away_from_zero(value, places, expected):
    assert round_to(D(value), places) == D(expected)


@given(some.integers(-(10**30), 10**30), some.integers(1, 10**20))
def test_nearest_whole_is_within_a_half(numerator, denominator):
    off = abs(nearest_whole(numerator, denominator) * denominator - numerator)
    assert 2 * off <= denominator


def test_a_negative_denominator_is_as_good():
    assert (nearest_whole(5, -2), nearest_whole(-5, -2), nearest_whole(4, -3)) == (-3, 3, -1)


@given(some.decimals("-999999999", "999999999", places=4), some.decimals("0.0001", "999999", places=4))
def test_division_rounds_the_exact_quotient(value, by):
    found = divide(value, by, 4)
    with exactly():
        assert abs(found * by - value) * 2 <= by * D("0.0001")


def test_products_keep_every_digit():
    digits = 1234567890123451234567891
    assert times(*[shifted(digits, -10)] * 3) == shifted(digits**3, -30)


def test_shifting_and_plain_text():
    assert shifted(5, -2) == D("0.05")
    assert [plain(D(text)) for text in ("10.0", "0.00", "-0", "1E+2", "1.2300")] == ["10", "0", "0", "100", "1.23"]
