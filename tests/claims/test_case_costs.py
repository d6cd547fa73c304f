"""What cases cost beside their goods: rework and the freight of a return, on a provider's bill."""

import pytest
from django.urls import reverse

from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.claims import ways
from northing.actions.claims.money import MoneyRequest, TurnRequest, claim_paid, reverse_money, turn
from northing.actions.claims.return_all import ReturnAllRequest, return_all
from northing.actions.claims.returns import ReturnRequest, return_goods
from northing.actions.claims.set_aside import SetAsideRequest, set_aside, take_back
from northing.actions.inventory.issue import IssueRequest, issue_stock
from northing.actions.reversal import ReverseRequest
from northing.billing.models import Bill
from northing.claims.models import CaseEnd, Claim, GoodsReturn
from northing.claims.queries import open_claims
from northing.core.problems import Refused
from northing.ledger.models import Account, CostLayer, LayerCost
from northing.masterdata.models import Party
from northing.reports.book_proof import book_faults
from tests.across.test_worked_case import balance
from tests.billing.test_goods import bill_of, line_of
from tests.worlds import TODAY, D


@pytest.fixture
def case(world):
    """Of ten kettles in store at 302.13 four are not right."""
    world.order = world.sent_order({"A": D(10)})
    shipment = world.shipment([world.order])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(10)})
    world.layer = CostLayer.objects.get(item=world.items["A"], kind="stock")
    world.provider = Party.objects.filter(kind="provider").first()
    request = SetAsideRequest(world.layer.pk, D(4), "dents", TODAY)
    return Claim.objects.get(pk=set_aside(world.act("inspector"), request))


def cost_of(world, case, into, amount="40.00", **more):
    line = BillLineRequest(D(amount), case=case.pk if case else 999_999, into=into, remark="beaten out")
    facts = {"company": world.nz.pk, "party": world.provider.pk, "number": "R-1", "day": TODAY, "currency": "NZD"}
    return BillRequest(**(facts | {"lines": (line,)} | more))


def book(world, case, into, *more, **facts):
    return Bill.objects.get(pk=bills.book_bill(world.act("costs"), cost_of(world, case, into, *more, **facts)))


def test_rework_goes_into_the_layer_and_the_units_into_store(world, case):
    ways.rework(world.act("inspector"), ways.EndRequest(case.pk, D(4), "beaten out", TODAY))
    issue_stock(world.act("dock"), IssueRequest(world.site.pk, world.items["A"].pk, D(3), "shop", TODAY))
    before, late = balance(Account.STOCK, world.nz), balance(Account.LATE_ISSUED, world.nz)
    bill = book(world, case, "goods", tax=D("6.00"))
    # Three of ten were issued: their part is a late cost.
    assert balance(Account.STOCK, world.nz) - before == 28 and balance(Account.LATE_ISSUED, world.nz) - late == 12
    assert balance(Account.PROVIDER_PAYABLE, world.nz) == -46 and balance(Account.INPUT_TAX, world.nz) == 6
    assert LayerCost.objects.get(component="rework").amount == 40 and book_faults() == []
    case.refresh_from_db()
    assert case.open_quantity == 0 and CaseEnd.objects.get().way == "reworked"
    bills.reverse_bill(world.act("costs"), ReverseRequest(bill.pk, "wrong bill"))
    assert balance(Account.STOCK, world.nz) == before and balance(Account.LATE_ISSUED, world.nz) == late
    assert book_faults() == []
    issue_stock(world.act("dock"), IssueRequest(world.site.pk, world.items["A"].pk, D(4), "shop", TODAY))
    with pytest.raises(Refused, match="left stock since"):
        ways.reverse_way(world.act("inspector"), ReverseRequest(CaseEnd.objects.get().pk, "not right"))


def test_a_late_charge_after_rework_leaves_it_alone(world, case):
    book(world, case, "goods")
    freight = BillLineRequest(D("20.00"), kind="freight", basis="value", orders=(world.order.pk,))
    bills.book_bill(world.act("costs"), cost_of(world, case, "goods", number="F-1", lines=(freight,)))
    world.layer.refresh_from_db()
    assert world.layer.total_cost == D("302.13") + 60 and book_faults() == []


def test_a_cost_is_claimed_with_the_case_or_is_a_loss(world, case):
    bill = book(world, case, "claim")
    assert open_claims([case.pk]) == {(case.pk, case.against_id, "NZD"): (D(40), D(40))}
    assert balance(Account.CLAIMS, world.nz) == 40 and book_faults() == []
    bills.reverse_bill(world.act("costs"), ReverseRequest(bill.pk, "wrong bill"))
    assert balance(Account.CLAIMS, world.nz) == 0 and open_claims([case.pk]) == {}
    book(world, case, "loss", number="R-2")
    assert balance(Account.RETURN_LOSS, world.nz) == 40 and book_faults() == []


def test_a_cost_is_taken_off_the_party_that_it_was_claimed_of(world, case):
    bills.book_bill(world.act("costs"), bill_of(world.order, line_of(world.order, "10"), number="S-1"))
    return_goods(world.act("inspector"), ReturnRequest(case.pk, D(1), "RA-1", TODAY))
    carrier = Party.objects.filter(kind="provider").exclude(pk=world.provider.pk).first() or world.parties["customs"]
    turned = turn(world.act("expediter"), TurnRequest(case.pk, carrier.pk, "theirs", TODAY))
    bill = book(world, case, "claim")
    assert (case.pk, carrier.pk, "NZD") in open_claims([case.pk])
    reverse_money(world.act("expediter"), ReverseRequest(turned, "not theirs"))
    bills.reverse_bill(world.act("costs"), ReverseRequest(bill.pk, "wrong bill"))
    case.refresh_from_db()
    assert set(open_claims([case.pk])) == {(case.pk, case.supplier_id, "USD")} and book_faults() == []


def test_a_cost_whose_claim_was_paid_is_not_undone(world, case):
    bill = book(world, case, "claim")
    paid = MoneyRequest(case.pk, case.against_id, "NZD", D(40), "transfer", TODAY)
    claim_paid(world.act("accounts"), paid)
    with pytest.raises(Refused, match="paid"):
        bills.reverse_bill(world.act("costs"), ReverseRequest(bill.pk, "wrong bill"))


def test_a_case_with_a_cost_is_not_undone(world, case):
    bill = book(world, case, "claim")
    with pytest.raises(Refused, match="R-1 of .* is a cost of this case"):
        take_back(world.act("inspector"), ReverseRequest(case.pk, "they are fine"))
    bills.reverse_bill(world.act("costs"), ReverseRequest(bill.pk, "wrong bill"))
    take_back(world.act("inspector"), ReverseRequest(case.pk, "they are fine"))
    assert book_faults() == []


@pytest.mark.parametrize(
    ("into", "amount", "words"),
    [
        ("", "40", "Say where this cost goes"), ("both", "40", "Say where"), ("goods", "0", "The amount is zero"),
        ("goods", "-1", "A cost is above 0"), ("loss", "0.001", "this amount has more"),
    ],
)  # fmt: skip
def test_a_cost_that_cannot_be_is_refused(world, case, into, amount, words):
    with pytest.raises(Refused, match=words):
        book(world, case, into, amount)
    assert not Bill.objects.exists()


def test_a_cost_of_no_case_or_billed_by_who_owes_it_is_refused(world, case):
    with pytest.raises(Refused, match="no such case"):
        book(world, None, "loss")
    with pytest.raises(Refused, match="who would owe it"):
        book(world, case, "claim", party=case.supplier_id, currency="USD")


def test_the_freight_of_a_return_is_divided_over_its_cases(world, case, signed_in):
    return_all(world.act("inspector"), ReturnAllRequest("RA-1", "dents", TODAY, order=world.order.pk))
    made = GoodsReturn.objects.get()
    page = signed_in("costs")
    address = f"{reverse('case-cost')}?return={made.pk}"
    assert b"divided over 2 cases" in page.get(address).content
    asked = {"payee": world.provider.pk, "bill_number": "H-1", "day": TODAY.isoformat(), "currency": "NZD"}
    asked |= {"amount": "50.00", "remark": "haulage back", "into": "claim", "key": "k"}
    assert page.post(address, asked | {"amount": "much"}).status_code == 422
    assert page.post(address, asked).url == reverse("goods-return", args=[made.pk])
    claimed = sorted(amount for amount, _ in open_claims(Claim.objects.values_list("pk", flat=True)).values())
    assert claimed == [20, 30] and book_faults() == []
    assert page.get(f"{reverse('case-cost')}?return=x").status_code == 404


def test_the_page_of_a_case_takes_a_cost(world, case, signed_in):
    page = signed_in("costs")
    address = f"{reverse('case-cost')}?case={case.pk}"
    asked = {"payee": world.provider.pk, "bill_number": "H-1", "day": TODAY.isoformat(), "currency": "USD"}
    asked |= {"amount": "10.00", "tax": "1.00", "remark": "survey", "into": "loss", "key": "k"}
    shown = page.post(address, asked).url
    content = page.get(shown).content.decode()
    assert shown == reverse("case", args=[case.pk]) and "for survey" in content and "our loss" in content
    assert b"Case %d" % case.pk in page.get(reverse("bill", args=[Bill.objects.get().pk])).content
    assert page.post(f"{reverse('case-cost')}?case=999999", asked).status_code == 404
