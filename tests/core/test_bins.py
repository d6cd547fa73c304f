"""Where goods are best put, and what a bin refuses."""

from decimal import Decimal

import pytest

from northing.core.inventory.bins import Goods, Shelf, propose, shelf_problems, suits_as_well


def tea(units, lot="L1"):
    return Goods("TEA", Decimal(units), lot)


REFUSALS = [
    (Shelf("S-01"), ""),
    (Shelf("S-01", blocked="shelf broken"), "S-01 is blocked: shelf broken."),
    (Shelf("S-01", one_item=True, lies=[tea(3)]), ""),
    (
        Shelf("S-01", one_item=True, lies=[Goods("CUP", Decimal(1))]),
        "S-01 holds one item only, and CUP lies there.",
    ),
    # What has left does not count.
    (Shelf("S-01", one_item=True, lies=[Goods("CUP", Decimal(0))]), ""),
    (Shelf("S-01", one_lot=True, lies=[tea(3)]), ""),
    (Shelf("S-01", one_lot=True, lies=[tea(3, "L2")]), "S-01 holds one lot only, and L2 lies there."),
    (Shelf("S-01", one_lot=True, lies=[Goods("CUP", Decimal(1))]), "S-01 holds one lot only, and CUP lies there."),
    (Shelf("S-01", most=Decimal(13), lies=[tea(3)]), ""),
    (Shelf("S-01", most=Decimal(12), lies=[tea(3)]), "S-01 holds 12 units; 3 lie there."),
]


@pytest.mark.parametrize(("shelf", "words"), REFUSALS)
def test_a_bin_refuses_what_it_may_not_hold(shelf, words):
    assert shelf.refuses(tea(10))[0] == words


def test_a_full_bin_says_how_much_still_goes_there():
    shelf = Shelf("S-01", most=Decimal(12), lies=[tea(3)])
    assert shelf.refuses(tea(10))[1] == "Put 9 there and the rest into another bin."
    shelf.put(tea(9))
    assert shelf.refuses(tea(1))[1] == "Choose another bin."


def test_goods_of_one_receipt_count_beside_each_other():
    found = shelf_problems(Shelf("S-01", one_lot=True), [(tea(1), "bin-1"), (tea(1, "L2"), "bin-2")])
    assert [(one.where, one.what) for one in found] == [("bin-2", "S-01 holds one lot only, and L1 lies there.")]


SAME, OWN, OTHER = Shelf("D", 4, lies=[tea(1)]), Shelf("C", 3, home_of="TEA"), Shelf("B", 2, lies=[tea(1, "L0")])


@pytest.mark.parametrize(
    ("shelves", "proposed"),
    [
        ([], []),
        ([Shelf("A", 1), OTHER, OWN, SAME], [("D", 10, "lot L1 lies there")]),
        ([Shelf("A", 1), OTHER, OWN], [("C", 10, "it is the place of TEA")]),
        ([Shelf("A", 1), OTHER], [("B", 10, "other lots of it lie there")]),
        ([Shelf("B", 2), Shelf("A", 1)], [("A", 10, "it is empty")]),
        ([Shelf("A", 1, home_of="CUP"), Shelf("B", 2, zone="COOL")], []),
        ([Shelf("A", 1, blocked="wet"), Shelf("B", 2, one_item=True, lies=[Goods("CUP", Decimal(1))])], []),
        ([Shelf("B", 2, lies=[Goods("CUP", Decimal(1))])], [("B", 10, "it has room")]),
        # A part beside the same lot, the rest in an empty bin; one for all of it before one for a part.
        (
            [Shelf("A", 1, most=Decimal(6)), Shelf("C", 3), Shelf("B", 2, most=Decimal(4), lies=[tea(1)])],
            [("B", 3, "lot L1 lies there"), ("C", 7, "it is empty")],
        ),
        (
            [Shelf("A", 1, most=Decimal(4)), Shelf("B", 2, most=Decimal(7), lies=[tea(1)])],
            [("B", 6, "lot L1 lies there"), ("A", 4, "it is empty")],
        ),
        ([Shelf("A", 1, most=Decimal(4))], [("A", 4, "it is empty")]),
    ],
)
def test_goods_are_proposed_where_they_suit_best(shelves, proposed):
    for shelf in shelves:
        shelf.lies = list(shelf.lies)
    assert [(one.code, int(one.units), one.why) for one in propose(tea(10), "", shelves)] == proposed


def test_an_empty_bin_is_proposed_once_and_in_the_zone_of_the_item():
    shelves = [Shelf("A", 1, zone="COOL", one_item=True), Shelf("B", 2, zone="COOL", one_item=True), Shelf("C", 3)]
    assert propose(tea(1), "COOL", shelves)[0].why == "it is empty, in zone COOL"
    assert propose(Goods("CUP", Decimal(1)), "COOL", shelves)[0].code == "B"
    assert propose(Goods("JUG", Decimal(1)), "COOL", shelves) == []


@pytest.mark.parametrize(
    ("shelf", "as_well"),
    [
        (Shelf("A", 1), True),  # the one proposed
        (Shelf("B", 2), True),  # as empty
        (Shelf("B", 2, lies=[tea(1)]), True),  # better
        (Shelf("B", 2, lies=[Goods("CUP", Decimal(1))]), False),
        (Shelf("B", 2, zone="COOL"), False),
    ],
)
def test_another_bin_suits_as_well_as_the_one_proposed(shelf, as_well):
    assert suits_as_well(shelf, tea(10), "", propose(tea(10), "", [Shelf("A", 1)])) is as_well
    assert suits_as_well(shelf, tea(10), "", [])
