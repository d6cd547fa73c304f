"""Another basis for a charge, and shares by hand."""

import pytest
from django.urls import reverse

from northing.access.models import Person
from northing.actions.billing.bills import ReverseRequest, book_bill, reverse_bill
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.costing import charges
from northing.actions.costing.rebase import RebaseRequest, change_basis, foresee_basis
from northing.billing.models import BillLine
from northing.core.problems import NotAllowed, Refused
from northing.costing.models import Charge, ChargeShare
from northing.ledger.models import CostLayer
from northing.masterdata.models import UsualBasis
from tests.worlds import TODAY, D


@pytest.fixture
def afloat(world):
    """100 kettles and 900 infusers in one container, for which freight of 300.00 is billed by volume."""
    shipment = world.shipment([world.sent_order({"A": D(100), "C": D(900)})])
    world.say(shipment, "departure")
    return shipment


def shares(charge):
    rows = ChargeShare.objects.filter(charge=charge).order_by("order_line__number")
    return dict(rows.values_list("order_line__item__code", "amount"))


def by_hand(charge, **typed):
    rows = ChargeShare.objects.filter(charge=charge).select_related("order_line__item")
    said = [(one.order_line_id, one.shipment_line_id, D(typed[one.order_line.item.code])) for one in rows]
    return RebaseRequest(charge, "by_hand", tuple(said))


def test_goods_received_take_up_what_another_basis_gives_them(world, afloat):
    charge = world.charge(afloat, "freight", "300.00", "NZD", "volume")
    # 1.71 and 2.25 m3.
    assert shares(charge) == {"A": D("129.55"), "C": D("170.45")}
    world.receive(afloat, {"A": D(100)})
    before = CostLayer.objects.get().total_cost
    foreseen = foresee_basis(RebaseRequest(charge, "equal")).unit_costs[0]
    change_basis(world.act("costs"), RebaseRequest(charge, "equal"))
    assert shares(charge) == {"A": D("150.00"), "C": D("150.00")}
    layer = CostLayer.objects.get()
    assert layer.total_cost - before == D("20.45") and foreseen.new - foreseen.old == D("0.2045")


def test_shares_by_hand_sum_to_the_charge_to_the_cent(world, afloat):
    charge = world.charge(afloat, "freight", "300.00", "NZD", "volume")
    with pytest.raises(Refused, match=r"KLN: NZD 0.01 still to give of 300.00"):
        change_basis(world.act("costs"), by_hand(charge, A="99.99", C="200.00"))
    with pytest.raises(Refused, match=r"NZD 0.01 given too much"):
        change_basis(world.act("costs"), by_hand(charge, A="100.01", C="200.00"))
    with pytest.raises(Refused, match="more decimals"):
        change_basis(world.act("costs"), by_hand(charge, A="100.005", C="199.995"))
    with pytest.raises(Refused, match="below 0"):
        change_basis(world.act("costs"), by_hand(charge, A="-1.00", C="301.00"))
    change_basis(world.act("costs"), by_hand(charge, A="300.00", C="0"))
    assert shares(charge) == {"A": D("300.00"), "C": D("0.00")}
    assert Charge.objects.get(pk=charge).spread_words == "by hand"


def test_by_hand_each_company_bears_what_it_bore(world):
    """A shipment of two companies in a foreign currency: the cents that were typed are the cents that are kept."""
    orders = [world.sent_order({"A": D(7), "C": D(13)}), world.sent_order({"A": D(11), "C": D(3)}, company=world.au)]
    shipment = world.shipment(orders)
    asked = charges.ChargeRequest(
        world.nz.pk, world.parties["provider"].pk, "freight", "volume", "USD", D("777.77"), TODAY, (shipment.pk,)
    )
    charge = charges.enter_estimate(world.act("costs"), asked)
    before = dict(Charge.objects.get(pk=charge).parts.values_list("company", "base_amount"))
    typed = []
    for company, whole in before.items():
        rows = ChargeShare.objects.filter(charge=charge, company=company).order_by("pk")
        amounts = (whole - D("0.01"), D("0.01"))
        typed += [(one.order_line_id, one.shipment_line_id, part) for one, part in zip(rows, amounts, strict=True)]
    change_basis(world.act("costs"), RebaseRequest(charge, "by_hand", tuple(typed)))
    kept = ChargeShare.objects.filter(charge=charge).values_list("order_line", "shipment_line", "amount")
    assert sorted(kept) == sorted(typed)
    assert dict(Charge.objects.get(pk=charge).parts.values_list("company", "base_amount")) == before


def test_the_bill_of_an_estimate_by_hand_keeps_its_proportions(world, afloat):
    asked = charges.ChargeRequest(
        world.nz.pk, world.parties["provider"].pk, "freight", "volume", "NZD", D("300.00"), TODAY, (afloat.pk,)
    )
    charge = charges.enter_estimate(world.act("costs"), asked)
    change_basis(world.act("costs"), by_hand(charge, A="100.00", C="200.00"))
    line = BillLineRequest(D("330.00"), charge)
    bill = BillRequest(world.nz.pk, world.parties["provider"].pk, "F-9", TODAY, "NZD", (line,))
    booked = book_bill(world.act("costs"), bill)
    assert shares(charge) == {"A": D("110.00"), "C": D("220.00")}
    reverse_bill(world.act("costs"), ReverseRequest(booked, "wrong"))
    assert shares(charge) == {"A": D("100.00"), "C": D("200.00")}


def test_what_may_not_be_spread_anew(world, afloat):
    charge = world.charge(afloat, "freight", "300.00", "NZD", "volume")
    with pytest.raises(NotAllowed):
        change_basis(world.act("dock"), RebaseRequest(charge, "equal"))
    with pytest.raises(Refused, match="Choose what"):
        change_basis(world.act("costs"), RebaseRequest(charge, "mood"))
    Charge.objects.filter(pk=charge).update(kind="duty")
    with pytest.raises(Refused, match="as they were declared"):
        change_basis(world.act("costs"), RebaseRequest(charge, "equal"))


@pytest.mark.parametrize(
    "basis, amount", [("container", "129.55"), ("chargeable", "129.55"), ("weight", "167.21"), ("quantity", "30.00")]
)
def test_the_bases(world, afloat, basis, amount):
    assert shares(world.charge(afloat, "freight", "300.00", "NZD", basis))["A"] == D(amount)


def test_a_kind_is_spread_by_its_usual_basis_unless_said(world, afloat):
    provider = world.parties["provider"].pk

    def booked(kind):
        asked = BillLineRequest(D("30.00"), kind=kind, shipments=(afloat.pk,))
        bill = BillRequest(world.nz.pk, provider, f"B-{kind}", TODAY, "NZD", (asked,))
        return BillLine.objects.get(bill=book_bill(world.act("costs"), bill)).charge

    assert booked("haulage").basis == "weight" and booked("other").basis == "value"
    UsualBasis.objects.create(kind="insurance", basis="quantity")
    assert booked("insurance").basis == "quantity"


def test_the_page_shows_the_effect_and_keeps_what_is_typed(world, afloat, client):
    charge = world.charge(afloat, "freight", "300.00", "NZD", "volume")
    world.receive(afloat, {"A": D(100)})
    client.force_login(Person.objects.get(username="costs"))
    address = reverse("spread", args=[charge])
    names = [f"share-{one.pk}" for one in ChargeShare.objects.filter(charge=charge).order_by("order_line__number")]
    facts = {"key": "k", "basis": "by_hand", names[0]: "200", names[1]: "99"}
    wrong = client.post(address, facts)
    assert wrong.status_code == 422 and "NZD 1.00 still to give" in wrong.content.decode()
    assert 'value="99"' in wrong.content.decode()
    shown = client.post(address, facts | {"act": "show", names[1]: "100"}).content.decode()
    assert "Unit cost, new" in shown and shares(charge)["A"] == D("129.55")
    done = client.post(address, facts | {names[1]: "100"})
    assert done.status_code == 302 and shares(charge) == {"A": D("200.00"), "C": D("100.00")}
