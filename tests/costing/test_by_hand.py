"""Shares by hand while a charge is entered: typed beside the goods, to the cent, booked at once."""

import re
from dataclasses import replace

import pytest
from django.urls import reverse

from northing.actions.billing.bills import book_bill
from northing.actions.billing.request import of_one
from northing.actions.costing import charges
from northing.billing.models import Bill
from northing.core.problems import Refused
from northing.costing.models import Charge, ChargeShare
from northing.ledger.models import CostLayer
from northing.masterdata.models import Item
from northing.orders.models import OrderLine
from northing.reports.book_proof import book_faults
from tests.worlds import TODAY, D


@pytest.fixture
def asked(world):
    """Handling of 300.00 over an order of two lines, not packed yet."""
    world.order = world.sent_order({"A": D(100), "C": D(900)})
    lines = OrderLine.objects.filter(order=world.order)
    world.keys = list(lines.order_by("number").values_list("pk", flat=True))
    return charges.ChargeRequest(
        world.nz.pk,
        world.parties["provider"].pk,
        "handling",
        "by_hand",
        "NZD",
        D("300.00"),
        TODAY,
        orders=(world.order.pk,),
    )


def given(world, request, *amounts):
    shares = tuple((key, None, D(amount)) for key, amount in zip(world.keys, amounts, strict=True))
    return replace(request, shares=shares)


def kept(charge):
    return list(
        ChargeShare.objects.filter(charge=charge).order_by("order_line__number").values_list("amount", flat=True)
    )


def test_an_estimate_and_a_bill_are_booked_as_they_were_given(world, asked):
    estimate = charges.enter_estimate(world.act("costs"), given(world, asked, "0", "300.00"))
    assert kept(estimate) == [D("0.00"), D("300.00")]
    # Its bill gives other shares, in place of those.
    billed = given(world, replace(asked, amount=D("310.00")), "110.00", "200.00")
    book_bill(world.act("costs"), of_one(billed, "H-1", estimate))
    assert kept(estimate) == [D("110.00"), D("200.00")] and Charge.objects.get(pk=estimate).spread_words == "by hand"
    book_bill(world.act("costs"), of_one(given(world, asked, "300.00", "0"), "H-2"))
    assert kept(Charge.objects.latest("pk")) == [D("300.00"), D("0.00")] and book_faults() == []


@pytest.mark.parametrize(
    ("amounts", "words"),
    [
        (("100.00", "199.99"), "0.01 still to give of 300.00"), (("100.01", "200.00"), "0.01 given too much"),
        (("-1.00", "301.00"), "below 0"), (("100.005", "199.995"), "more decimals"), (("0", "0"), "None of the goods"),
    ],
)  # fmt: skip
def test_shares_that_are_not_all_of_it_book_nothing(world, asked, amounts, words):
    request = given(world, asked, *amounts)
    with pytest.raises(Refused, match=words):
        charges.enter_estimate(world.act("costs"), request)
    with pytest.raises(Refused, match=words):
        book_bill(world.act("costs"), of_one(request, "H-1"))
    assert not Charge.objects.exists() and not Bill.objects.exists()


def test_without_shares_or_of_other_goods_it_is_refused(world, asked):
    with pytest.raises(Refused, match="No share is given yet"):
        charges.enter_estimate(world.act("costs"), asked)
    other = world.sent_order({"B": D(1)}).lines.get().pk
    with pytest.raises(Refused, match="do not bear this charge"):
        shares = ((other, None, D("1.00")), (world.keys[0], None, D("299.00")))
        charges.enter_estimate(world.act("costs"), replace(asked, shares=shares))


def test_of_two_companies_each_bears_its_part_and_gives_it_as_it_likes(world):
    orders = [world.sent_order({"A": D(7), "C": D(13)}), world.sent_order({"A": D(11), "C": D(3)}, company=world.au)]
    shipment = world.shipment(orders)
    provider = world.parties["provider"].pk
    asked = charges.ChargeRequest(world.nz.pk, provider, "freight", "", "USD", D("777.77"), TODAY, (shipment.pk,))
    shares = []
    for part in charges.foresee(asked).parts:
        first, second = part.shares
        shares += [(*first, part.base_amount - D("0.01")), (*second, D("0.01"))]
    made = charges.enter_estimate(world.act("costs"), replace(asked, basis="by_hand", shares=tuple(shares)))
    rows = ChargeShare.objects.filter(charge=made).values_list("order_line", "shipment_line", "amount")
    assert sorted(rows) == sorted(shares)


def test_the_page_takes_typed_shares_and_keeps_them_where_they_do_not_sum(world, asked, signed_in):
    desk, address = signed_in("costs"), reverse("new-charge")
    Item.objects.update(weight_kg=0, volume_m3=0)
    sent = {
        "key": "k",
        "over": world.order.number,
        "payee": world.parties["provider"].pk,
        "amount": "300",
        "kind": "handling",
    }
    sent |= {"basis": "by_hand", "day": str(TODAY), "company": world.nz.pk, "currency": "NZD"}
    page = desk.post(address, sent | {"act": "show"}).content.decode()
    names = re.findall(r'name="(share-\d+-0)" value="([\d.,]+)"', page)
    assert [name for name, _ in names] == [f"share-{key}-0" for key in world.keys] and "still to give of" in page
    first, second = (name for name, _ in names)
    short = desk.post(address, sent | {first: "100.00", second: "150.00"})
    page = short.content.decode()
    assert (
        short.status_code == 422
        and "50.00 still to give of 300.00" in page
        and f'name="{first}" value="100.00"' in page
    )
    for typed in ({first: "x", second: "150.00"}, {first: " ", second: ""}, {first: "-1"}, {"share-9-9": "300"}):
        assert desk.post(address, sent | typed).status_code == 422 and not Charge.objects.exists()
    assert desk.post(address, sent | {first: "100.00", second: "200.00"}).status_code == 302
    assert kept(Charge.objects.get()) == [D("100.00"), D("200.00")]
    assert f'name="{first}" value="x"' in desk.post(address, sent | {first: "x", second: "1"}).content.decode()
    # Shares that stand there are no matter where another basis is chosen.
    desk.post(address, sent | {"key": "l", "basis": "equal", first: "1.00", second: "2.00", "bill_number": "H-3"})
    assert kept(Charge.objects.latest("pk")) == [D("150.00"), D("150.00")]


def test_the_bill_of_an_estimate_by_hand_is_spread_as_that_was(world, asked, signed_in):
    estimate = charges.enter_estimate(world.act("costs"), given(world, asked, "100.00", "200.00"))
    desk, address = signed_in("costs"), reverse("new-charge")
    page = desk.get(f"{address}?charge={estimate}").content.decode()
    assert "as now, by hand" in page
    sent = {"key": "k", "charge": estimate, "over": world.order.number, "payee": world.parties["provider"].pk}
    sent |= {"amount": "330", "kind": "handling", "basis": "", "day": str(TODAY), "company": world.nz.pk}
    sent |= {"currency": "NZD", "bill_number": "H-9"}
    shown = desk.post(address, sent | {"act": "show"}).content.decode()
    assert re.findall(r'name="share-\d+-0" value="([\d.,]+)"', shown) == ["110.00", "220.00"]
    assert desk.post(address, sent).status_code == 302 and kept(estimate) == [D("110.00"), D("220.00")]


def test_goods_received_take_up_what_was_given_by_hand(world):
    shipment = world.shipment([world.sent_order({"A": D(10), "C": D(20)})])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(10), "C": D(20)})
    before = {layer.item.code: layer.total_cost for layer in CostLayer.objects.select_related("item")}
    provider = world.parties["provider"].pk
    asked = charges.ChargeRequest(world.nz.pk, provider, "handling", "", "NZD", D("90.00"), TODAY, (shipment.pk,))
    keys = [key for part in charges.foresee(asked).parts for key in part.shares]
    shares = tuple((*key, amount) for key, amount in zip(keys, (D("90.00"), D(0)), strict=True))
    book_bill(world.act("costs"), of_one(replace(asked, basis="by_hand", shares=shares), "L-1"))
    after = {layer.item.code: layer.total_cost for layer in CostLayer.objects.select_related("item")}
    assert sorted(after[code] - before[code] for code in after) == [D(0), D("90.00")] and book_faults() == []
