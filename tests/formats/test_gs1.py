"""Labels as scanners send them and as people type them, and labels that are wrong."""

from datetime import date
from decimal import Decimal as D

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northing.core.problems import Refused
from northing.formats.gs1 import GROUP, Scan, read_scan
from northing.formats.identifiers import with_gtin_check_digit

GTIN, SSCC, DAY = "09521000000001", "106141412345678908", date(2027, 11, 30)
READ = [
    (f"(01){GTIN}(10)L7(15)271130(37)6", Scan(GTIN, count=D(6), lot="L7", best_before=DAY)),
    (f"]C101{GTIN}10L7{GROUP}15271130376", Scan(GTIN, count=D(6), lot="L7", best_before=DAY)),
    (f"01{GTIN}10L7{GROUP}15271130", Scan(GTIN, lot="L7", best_before=DAY)),
    (f"]d201{GTIN}21A/1", Scan(GTIN, serial="A/1")),
    (f"(00){SSCC}(02){GTIN}(37)12", Scan(GTIN, SSCC, D(12))),
    (f"00{SSCC}", Scan(sscc=SSCC)),
    (SSCC, Scan(sscc=SSCC)),
    ("5901234123457", Scan("05901234123457")),
    ("]E05901234123457", Scan("05901234123457")),
    ("012345678905", Scan("00012345678905")),
    (f"(01){GTIN}(17)271130", Scan(GTIN, best_before=DAY)),
    (f"(17)280101(15)271130(01){GTIN}", Scan(GTIN, best_before=DAY)),
    (f"(01){GTIN}(15)270200", Scan(GTIN, best_before=date(2027, 2, 28))),
    (f"(01){GTIN}(3103)001250(30)4", Scan(GTIN, count=D(4), measures=(("kg", D("1.250")),))),
    (f"(01){GTIN}(3111)000125(3122)000099", Scan(GTIN, measures=(("m", D("12.5")),))),
    (f"(01){GTIN}(3140)000007(3162)000125", Scan(GTIN, measures=(("m2", D(7)), ("m3", D("1.25"))))),
    (f"(01){GTIN}(3153)001250", Scan(GTIN, measures=(("l", D("1.250")),))),
    (f"(01){GTIN}(400)PO-7(410){with_gtin_check_digit('952100000000')}", Scan(GTIN)),
    ("A-01", Scan(text="A-01")),
    ("5901234123450", Scan(text="5901234123450")),
]
WRONG = [
    ("", "The scan is empty."),
    ("x" * 201, "This is no code that Northing reads."),
    ("A\x00B", "This is no code that Northing reads."),
    ("(01)09521000000002", "GTIN 09521000000002: the check digit is wrong; for these digits it would be 1."),
    ("(00)106141412345678909", "SSCC 106141412345678909: the check digit is wrong; for these digits it would be 8."),
    (f"(01){GTIN}(410)9521000000002", "GLN 9521000000002: the check digit is wrong; for these digits it would be 1."),
    (f"(01){GTIN}(15)271331", "(15) 271331 is no day."),
    (f"]C101{GTIN}15271331", "(15) 271331 is no day."),
    (f"(01){GTIN}(15)270230", "(15) 270230 is no day."),
    (f"(01){GTIN}(37)x", "The value after (37) cannot be read."),
    (f"(01){GTIN}(10)", "The brackets of this code are not as on a label."),
    (f"(01){GTIN}(10", "The brackets of this code are not as on a label."),
    ("(400)PO-7", "This code names no goods and no pallet."),
    (
        f"(01){GTIN}(11)271201(15)271130",
        "The label says best before 30 Nov 2027, and produced 1 Dec 2027, which is later.",
    ),
]


@pytest.mark.parametrize(("said", "scan"), READ)
def test_read(said, scan):
    assert read_scan(said) == scan


@pytest.mark.parametrize(("said", "what"), WRONG)
def test_wrong(said, what):
    with pytest.raises(Refused) as refused:
        read_scan(said, "scans-0")
    assert [(one.what, one.where) for one in refused.value.problems] == [(what, "scans-0")]


@given(st.one_of(st.text(max_size=60), st.from_regex(r"(\]C1)?(01|02|00|10|15|37|\(01\)|\(15\))[0-9()A-Z\x1d]{0,40}")))
def test_whatever_comes_is_read_or_refused(said):
    try:
        assert isinstance(read_scan(said), Scan)
    except Refused as refused:
        assert refused.problems[0].what


def test_a_count_or_an_sscc_is_a_pallet():
    assert read_scan(f"(01){GTIN}(37)6").is_pallet and read_scan(SSCC).is_pallet
    assert not read_scan(GTIN).is_pallet


@pytest.mark.parametrize(
    ("unit", "amount"), [("kg", D("1.250")), ("KGM", D("1.250")), ("l", None), ("pc", None), ("", None)]
)
def test_a_measure_is_that_of_the_items_unit(unit, amount):
    assert read_scan(f"(01){GTIN}(3103)001250").measure(unit) == amount
