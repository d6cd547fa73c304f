"""Deposits and balances are requirements: they are due, and end with the payment that meets them."""

from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.actions.billing import bills
from northing.actions.payments import pay
from northing.actions.payments.request import PartRequest, PayRequest
from northing.actions.reversal import ReverseRequest
from northing.actions.shipping import required_documents
from northing.actions.worklist.proof import move_faults
from northing.billing.models import Bill
from northing.masterdata.models import Party, PaymentTerms
from northing.shipping.models import RequiredDocument
from northing.worklist.models import Matter
from tests.billing.test_goods import bill_of, line_of
from tests.payments.test_pay import paying
from tests.worlds import TODAY


@pytest.fixture
def order(world):
    """Ten kettles for 184.00, of which 30 % are due with the order."""
    terms = PaymentTerms.objects.create(code="DEP", name="With a deposit", deposit=D("0.3"))
    Party.objects.filter(pk=world.parties["USD"].pk).update(payment_terms=terms)
    return world.sent_order({"A": D(10)})


def due(order):
    return Matter.objects.filter(kind="deposit", record=order.pk).values_list("party", "reason").first()


def test_a_deposit_is_accounts_move_until_it_is_paid(world, order, signed_in):
    assert due(order) == ("accounts", "a deposit of 30 % is due") and move_faults() == []
    page = signed_in("accounts").get(f"{reverse('pay')}?order={order.pk}").content.decode()
    assert 'value="55.2"' in page
    head = (order.company_id, order.supplier_id, TODAY, order.currency)
    pay.pay(world.act("accounts"), PayRequest(*head, (PartRequest(D("55.19"), order=order.pk),)))
    assert due(order)
    key = pay.pay(world.act("accounts"), PayRequest(*head, (PartRequest(D("0.01"), order=order.pk),)))
    assert due(order) is None and move_faults() == []
    pay.reverse_payment(world.act("accounts"), ReverseRequest(key, "paid twice"))
    assert due(order) and move_faults() == []


def test_the_balance_that_releases_papers_ends_with_the_last_payment(world, order):
    shipment = world.shipment([order])
    world.say(shipment, "departure")
    asked = required_documents.DocumentRequest(shipment.pk, "balance", "accounts", anchor="departure", anchor_days=7)
    paper = required_documents.require_document(world.act("shipping"), asked)

    def paid():
        return RequiredDocument.objects.get(pk=paper).done_on

    first, second = (
        Bill.objects.get(pk=bills.book_bill(world.act("costs"), bill_of(order, line_of(order, units), number=number)))
        for units, number in (("6", "S-1"), ("4", "S-2"))
    )
    pay.pay(world.act("accounts"), paying(first, "110.40"))
    assert paid() is None
    key = pay.pay(world.act("accounts"), paying(second, "73.60"))
    assert paid() == TODAY and move_faults() == []
    pay.reverse_payment(world.act("accounts"), ReverseRequest(key, "wrong bank"))
    assert paid() is None and move_faults() == []
