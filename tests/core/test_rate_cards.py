"""Rate cards: which card counts for goods on a lane, and what it comes to."""

from dataclasses import replace
from datetime import date
from decimal import Decimal as D
from fractions import Fraction as F

import pytest

from northing.core.costing.rate_cards import (
    Box,
    Card,
    Consignment,
    Lane,
    Surcharge,
    estimates,
    included,
    overlapping,
    read_surcharges,
    room_of,
)

DAY = date(2026, 5, 4)
LANE = Lane(("CNNGB", "CN"), ("NZTRG", "TRG", "NZ"), "sea")
FORTY = Box("42G1", F(2), D(90), D(18000))
LOOSE = Box("LOOS", F(1), D("3.2"), D(4100))


def card(key=1, kind="freight", per="container", price="1900", currency="USD", **more):
    more = {"since": date(2026, 1, 1), "payee": 7} | more
    return Card(key, f"C{key}", kind=kind, per=per, price=D(price), currency=currency, **more)


def told(cards, goods, **more):
    return [(one.card.key, one.amount) for one in estimates(cards, goods, DAY, **more)]


@pytest.mark.parametrize(
    "found, boxes, amounts",
    [
        (card(), [FORTY], [D("3800.00")]),
        (card(size_type="22G1"), [FORTY], []),
        (card(), [replace(FORTY, count=F(1, 3))], [D("633.33")]),
        # Loose goods are in no container.
        (card(), [LOOSE], []),
        (card(per="W/M", price="65"), [LOOSE], [D("266.50")]),
        (card(per="m3", price="65"), [LOOSE], [D("208.00")]),
        (card(per="kg", price="0.031"), [LOOSE], [D("127.10")]),
        (card(per="chargeable kg", price="4.20"), [Box("LOOS", F(1), D("1.2"), D(150))], [D("840.00")]),
        (card(per="order", price="45"), [FORTY], [D("90.00")]),
        (card(per="shipment", price="80"), [FORTY], [D("20.00")]),
        (card(per="entry", price="80", currency="JPY"), [FORTY], [D(20)]),
        (card(per="value", price="0.0025"), [FORTY], [D("31.25")]),
        (card(per="value", price="0.0025", currency="EUR"), [FORTY], [D("0.00")]),
        (card(per="value", price="0.0025", minimum=D(50)), [FORTY], [D("50.00")]),
        (card(per="W/M", price="65", minimum=D(300)), [LOOSE], [D("300.00")]),
        # A third of a container bears a third of its minimum.
        (card(minimum=D(2100)), [replace(FORTY, count=F(1, 3))], [D("700.00")]),
    ],
)
def test_what_a_card_comes_to(found, boxes, amounts):
    goods = Consignment(LANE, boxes, orders=2, of_shipment=F(1, 4), of_entry=F(1, 4), values={"USD": D(12500)})
    assert [one.amount for one in estimates([found], goods, DAY)] == amounts


def test_surcharges_stand_beside_the_amount_by_name():
    found = card(surcharges=(Surcharge("fuel", share=D("0.125")), Surcharge("season", amount=D("150"))))
    (one,) = estimates([found], Consignment(LANE, [replace(FORTY, count=F(3, 2))]), DAY)
    assert one.parts == (
        ("1.5 x 1900 per 40 foot dry", D("2850.00")),
        ("fuel 12.5 %", D("356.25")),
        ("season", D("225.00")),
    )
    assert one.amount == sum(amount for _, amount in one.parts)


@pytest.mark.parametrize(
    "less, more",
    [
        ({"origin": "CN"}, {"origin": "CNNGB"}),
        ({"destination": "NZ"}, {"destination": "TRG"}),
        ({"destination": "TRG"}, {"destination": "NZTRG"}),
        ({}, {"size_type": "42G1"}),
        ({}, {"mode": "sea"}),
        ({"payee": 3}, {"payee": 8}),
        ({}, {"since": date(2026, 3, 1)}),
        # The origin says more than the type.
        ({"size_type": "42G1"}, {"origin": "CN"}),
    ],
)
def test_the_narrowest_card_counts_in_whatever_order_they_come(less, more):
    cards = [card(1, **less), card(2, **more)]
    goods = Consignment(LANE, [FORTY])
    for some in (cards, cards[::-1]):
        assert [key for key, _ in told(some, goods, payees=[8])] == [2]


@pytest.mark.parametrize(
    "wrong", [{"origin": "CNSHA"}, {"destination": "AU"}, {"mode": "air"}, {"until": date(2026, 5, 3)}]
)
def test_a_card_for_something_else_does_not_count(wrong):
    assert told([card(**wrong)], Consignment(LANE, [FORTY])) == []


def test_each_container_type_has_its_card_and_loose_goods_theirs():
    cards = [card(1, size_type="42G1"), card(2, size_type="22G1", price="1100"), card(3, per="W/M", price="65")]
    boxes = [FORTY, Box("22G1", F(1), D(20), D(9000)), Box("45R1", F(1), D(40), D(8000)), LOOSE]
    assert told(cards, Consignment(LANE, boxes)) == [(1, D("3800.00")), (2, D("1100.00")), (3, D("2808.00"))]


def test_what_is_asked_once_is_not_asked_beside_containers():
    cards = [card(1, size_type="42G1"), card(2, per="shipment", price="80")]
    assert told(cards, Consignment(LANE, [FORTY, LOOSE])) == [(1, D("3800.00"))]


def test_each_kind_has_a_card_of_its_own_but_for_those_that_are_known():
    cards = [card(1), card(2, kind="haulage", per="shipment", price="400"), card(3, kind="insurance", per="value")]
    goods = Consignment(LANE, [FORTY])
    assert [key for key, _ in told(cards, goods)] == [1, 2, 3]
    assert [key for key, _ in told(cards, goods, without={"freight", "insurance"})] == [2]


def test_cards_that_overlap():
    first = card(1, until=date(2026, 6, 30))
    assert not overlapping([first, card(2, since=date(2026, 7, 1)), card(3, payee=9), card(4, per="W/M")])
    assert [(a.key, b.key) for a, b in overlapping([card(5, since=date(2026, 6, 30)), first])] == [(1, 5)]
    # A card without an end overlaps every later one.
    assert overlapping([card(1), card(2, since=date(2030, 1, 1))])


def test_room_goes_by_what_is_scarcer():
    assert room_of(D(29), D(1000), "42G1") == F(1, 2)
    assert room_of(D(1), D(26500), "42G1") == F(1)


def test_what_the_price_includes():
    assert included("freight", "CFR") and not included("insurance", "CFR") and included("insurance", "CIF")
    assert included("haulage", "DAP") and not included("haulage", "CIP") and not included("brokerage", "DDP")


@pytest.mark.parametrize("said", ["fuel", "12%", "fuel x%", "fuel NaN", "fuel 1e99", "fuel 3; fuel 4%"])
def test_surcharges_that_cannot_be_read(said):
    with pytest.raises(ValueError):
        read_surcharges(said)


def test_surcharges_as_people_write_them():
    assert read_surcharges(" fuel 12.5 %;peak  season 150.00; ") == (
        Surcharge("fuel", share=D("0.125")),
        Surcharge("peak season", amount=D("150.00")),
    )
