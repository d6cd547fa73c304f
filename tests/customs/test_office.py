"""After the entry: the office is paid, what was paid too much comes back, then it releases the goods."""

from datetime import timedelta

import pytest
from django.urls import reverse

from northing.actions.customs import entries, office
from northing.actions.customs.covers import Covers
from northing.actions.masterdata.records import RecordRequest, keep_record
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.reversal import ReverseRequest
from northing.actions.worklist.proof import move_faults
from northing.actions.worklist.refresh import bring_along
from northing.core.problems import NotAllowed, Refused
from northing.customs.models import CustomsEntry, OfficePayment, Release
from northing.ledger.models import Account
from northing.masterdata.models import Company
from northing.reports.book_proof import book_faults
from northing.shipping.models import ShipmentLine
from northing.worklist.models import Matter
from tests.across.test_worked_case import balance
from tests.worlds import TODAY, D


@pytest.fixture
def landed(world):
    """Ten of A landed; the company asks whether customs released what is received."""
    Company.objects.update(receive_not_released="ask")
    world.order = world.sent_order({"A": D(10)})
    world.landed = world.shipment([world.order])
    world.say(world.landed, "departure")
    world.say(world.landed, "arrival")
    return world


def declare(world, number="E-1", **change):
    head = (Covers((world.landed.pk,)), world.order.company_id, world.parties["customs"].pk, number, TODAY)
    entries.book_customs_entry(world.act("costs"), entries.EntryRequest(*head, **change))
    return CustomsEntry.objects.latest("pk")


def pay(world, entry, who="accounts", day=TODAY):
    return office.pay_office(world.act(who), office.PayOfficeRequest(entry.pk, day))


def release(world, day=TODAY):
    asked = office.ReleaseRequest(CustomsEntry.objects.latest("pk").pk, day)
    return office.release(world.act("costs"), asked)


def move(world):
    return Matter.objects.filter(kind="shipment", record=world.landed.pk).values_list("party", "reason").get()


def receive_all(world, **more):
    part = ShipmentLine.objects.get(container__shipment=world.landed)
    rows = (ReceiveRow(part.pk, part.quantity),)
    return receive(world.act("dock"), ReceiveRequest(part.container_id, world.site.pk, "DN-1", TODAY, rows, **more))


def test_whose_move_it_is_from_declaring_to_the_dock(landed):
    assert move(landed)[1] == "landed without a customs entry"
    entry = declare(landed)
    assert move(landed) == ("us", "declared: pay the customs office")
    with pytest.raises(Refused, match="has not released"):
        receive_all(landed)
    pay(landed, entry)
    assert move(landed) == ("customs", "to release the goods")
    assert balance(Account.CUSTOMS_PAYABLE) == 0 and balance(Account.BANK) == -(entry.duty + entry.tax)
    release(landed)
    assert move(landed) == ("dock", "to be received") and move_faults() == [] and book_faults() == []
    assert receive_all(landed)


def test_a_company_that_only_warns_is_asked_nothing(landed):
    Company.objects.update(receive_not_released="warn")
    bring_along(shipments=[landed.landed.pk])
    declare(landed)
    assert move(landed)[0] == "dock" and receive_all(landed)


def test_a_correction_pays_the_difference_or_gets_it_back(landed):
    first = declare(landed)
    pay(landed, first)
    more = declare(landed, "E-2", corrects=first.pk, their_duty=(first.duty + 5,), reason="another value")
    pay(landed, more)
    assert OfficePayment.objects.latest("pk").amount == 5 and balance(Account.CUSTOMS_PAYABLE) == 0
    less = declare(landed, "E-3", corrects=more.pk, their_duty=(D(0),), their_tax=D(0), reason="free after all")
    assert balance(Account.CUSTOMS_PAYABLE) == first.duty + 5 + first.tax
    back = pay(landed, less)
    assert balance(Account.BANK) == 0 and balance(Account.CUSTOMS_PAYABLE) == 0 and book_faults() == []
    office.reverse_office_payment(landed.act("accounts"), ReverseRequest(back, "not yet"))
    assert balance(Account.CUSTOMS_PAYABLE) == first.duty + 5 + first.tax and book_faults() == []


def test_what_cannot_be(landed):
    entry = declare(landed)
    with pytest.raises(Refused, match="is not paid yet"):
        release(landed)
    with pytest.raises(NotAllowed):
        pay(landed, entry, who="viewer")
    with pytest.raises(Refused, match="not come yet"):
        pay(landed, entry, day=TODAY + timedelta(days=1))
    made = pay(landed, entry)
    with pytest.raises(Refused, match="Nothing is open"):
        pay(landed, entry)
    with pytest.raises(Refused, match="not declared by then"):
        release(landed, TODAY - timedelta(days=1))
    said = release(landed)
    with pytest.raises(Refused, match="released already"):
        release(landed)
    with pytest.raises(Refused, match="Withdraw the release first"):
        office.reverse_office_payment(landed.act("accounts"), ReverseRequest(made, "no"))
    office.withdraw_release(landed.act("costs"), ReverseRequest(said, "of another one"))
    office.reverse_office_payment(landed.act("accounts"), ReverseRequest(made, "no"))
    assert move(landed) == ("us", "declared: pay the customs office") and book_faults() == []


def test_more_than_the_limit_is_paid_by_a_second_person(landed):
    Company.objects.update(payment_approval_above=D(1))
    entry = declare(landed)
    CustomsEntry.objects.update(entered_by=landed.people["accounts"])
    with pytest.raises(Refused, match="A second person pays it"):
        pay(landed, entry)
    assert not OfficePayment.objects.exists() and balance(Account.BANK) == 0


def test_the_pages_carry_each_act_to_the_next(landed, signed_in):
    entry, desk = declare(landed), signed_in("accounts")
    assert "<u>P</u>ay the office" in desk.get(reverse("watch")).content.decode()
    address = reverse("customs", args=[landed.landed.pk, landed.order.company_id])
    to_pay = reverse("pay-office", args=[entry.pk])
    page = desk.get(address).content.decode()
    assert to_pay in page and "Book in place" not in page
    assert desk.post(to_pay, {"key": "k", "day": str(TODAY)}).url == address
    desk = signed_in("costs")
    to_release = reverse("release-goods", args=[entry.pk])
    assert to_release in desk.get(address).content.decode()
    assert desk.post(to_release, {"key": "r", "day": "x"}).status_code == 422
    assert desk.post(to_release, {"key": "r", "day": str(TODAY)}).url == address
    page = desk.get(address).content.decode()
    assert "Released on" in page and "Nothing is owed" in page and to_release not in page
    said = Release.objects.get()
    assert desk.post(reverse("withdraw-release", args=[said.pk]), {"key": "w", "reason": "no"}).status_code == 302


def test_a_company_that_begins_to_ask_moves_what_has_landed(landed):
    Company.objects.update(receive_not_released="warn")
    bring_along(shipments=[landed.landed.pk])
    declare(landed)
    company = landed.order.company
    asked = RecordRequest("company", company.pk, (("code", company.code), ("receive_not_released", "block")))
    keep_record(landed.act("administrator"), asked)
    assert move(landed) == ("us", "declared: pay the customs office") and move_faults() == []
