"""Serial numbers as they are typed."""

import pytest

from northing.core.receiving.serials import MOST, NotSerials, after, read_serials


@pytest.mark.parametrize(
    ("said", "numbers"),
    [
        ("", ()),
        ("K7", ("K7",)),
        ("K7,K9; K8\nK6", ("K7", "K9", "K8", "K6")),
        ("K-098 .. K-101", ("K-098", "K-099", "K-100", "K-101")),
        ("7..9", ("7", "8", "9")),
        ("A9..A11", ("A9", "A10", "A11")),
        ("A5..A5 B1", ("A5", "B1")),
    ],
)
def test_read(said, numbers):
    assert read_serials(said) == numbers


@pytest.mark.parametrize(
    ("said", "wrong"),
    [
        ("K1 K1", "K1 is there twice."),
        ("K1..K3 K2", "K2 is there twice."),
        ("K9..K1", "“K9..K1” does not count on from its first number, or over more than 5000."),
        ("A1..B9", "“A1..B9” is no range such as KT-098..KT-101."),
        ("A..B", "“A..B” is no range such as KT-098..KT-101."),
        ("٣..٤", "“٣..٤” is no range such as KT-098..KT-101."),
        ("x" * 41, f"“{'x' * 40}” is no serial number of at most 40 characters."),
        (f"1..{MOST + 1}", f"“1..{MOST + 1}” does not count on from its first number, or over more than 5000."),
        (f"1..{MOST} A1", "At most 5000 serial numbers at once."),
    ],
)
def test_what_is_no_list_of_serial_numbers(said, wrong):
    with pytest.raises(NotSerials) as refused:
        read_serials(said)
    assert str(refused.value) == wrong


def test_ours_count_on():
    assert after("KET-000099", 2) == ["KET-000100", "KET-000101"]
    assert after("KET", 1) == ["KET-000001"]
