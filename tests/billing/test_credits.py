"""Suppliers' credit notes: off a price, off a claim; what they end, what is refused, and how they are set off."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.urls import reverse
from django.utils import timezone

from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.ledger.journal import ExportRequest, export_journal
from northing.actions.payments import pay, pay_many
from northing.actions.payments.request import PartRequest, PayRequest
from northing.actions.reversal import ReverseRequest
from northing.billing.models import Bill
from northing.core.problems import Refused
from northing.ledger.models import Account, Entry, JournalExport, OpenItem
from northing.masterdata.models import Party, PaymentTerms, TaxCode
from northing.payments.models import Payment
from northing.payments.queries import open_advances
from northing.reports.aging import aging
from northing.reports.book_proof import book_faults
from northing.reports.due_days import due_days, owed_by_day
from northing.reports.journal import journal_csv
from tests.across.test_worked_case import balance
from tests.billing.test_goods import bill_of, line_of
from tests.worlds import TODAY


@pytest.fixture
def order(world):
    """Ten kettles, ours and afloat."""
    found = world.sent_order({"A": D(10)})
    world.say(world.shipment([found]), "departure")
    return found


@pytest.fixture
def bill(world, order):
    """Billed 20.00 above what was agreed, which is in dispute."""
    asked = bill_of(order, line_of(order, price="20.40", decision="dispute"))
    return Bill.objects.get(pk=bills.book_bill(world.act("costs"), asked))


def credit_of(order, amount="20.00", number="CN-1", **more):
    line = BillLineRequest(D(amount), order_line=order.lines.get().pk)
    head = (order.company_id, order.supplier_id, number, TODAY, order.currency)
    return BillRequest(*head, (line,), kind="credit", **more)


def test_a_credit_ends_the_dispute_and_its_reversal_opens_it_again(world, order, bill):
    key = bills.book_bill(world.act("costs"), credit_of(order))
    assert bill.lines.get().disputed == 0
    assert book_faults() == []
    pay.pay(world.act("accounts"), pay_of(bill, "204.00"))
    bills.reverse_bill(world.act("costs"), ReverseRequest(key, "wrong supplier"))
    assert bill.lines.get().disputed == 20 and book_faults() == []


def pay_of(bill, amount, *more, **facts):
    parts = (PartRequest(D(amount), bill=bill.pk), *more)
    return PayRequest(bill.company_id, bill.party_id, TODAY, bill.currency, parts, **facts)


@pytest.mark.parametrize(
    ("amount", "words"),
    [
        ("204.01", "USD 204.00 of KLN-00001/1 is billed and ours"),
        ("0", "no amount in USD"),
        ("-1", "no amount in USD"),
        ("0.001", "no amount in USD"),
    ],
)
def test_a_credit_that_cannot_be_is_refused(world, order, bill, amount, words):
    entries = Entry.objects.count()
    with pytest.raises(Refused, match=words):
        bills.book_bill(world.act("costs"), credit_of(order, amount))
    assert Entry.objects.count() == entries


def test_goods_of_another_supplier_are_not_credited(world, order, bill):
    other = world.sent_order({"B": D(10)})
    line = BillLineRequest(D("1.00"), order_line=other.lines.get().pk)
    with pytest.raises(Refused, match="nothing of this supplier"):
        bills.book_bill(world.act("costs"), replace(credit_of(order), lines=(line,)))


def test_tax_goes_back_at_the_rate_of_the_bill_it_corrects(world, order):
    bills.book_bill(world.act("costs"), bill_of(order, tax=D("10.00"), rate=D("1.60"), accept=True))
    bills.book_bill(world.act("costs"), credit_of(order, "2.00", tax=D("10.00"), rate=D("1.80")))
    assert balance(Account.INPUT_TAX, world.nz) == 0
    assert book_faults() == []


def test_bills_less_credits_are_paid_in_one_act_and_reversed(world, order, bill):
    credit = Bill.objects.get(pk=bills.book_bill(world.act("costs"), credit_of(order)))
    done = pay_many.pay_many(world.act("accounts"), pay_many.PayManyRequest((bill.pk, credit.pk), TODAY))
    payment = Payment.objects.get(pk=done["made"][0])
    owed = OpenItem.objects.filter(account=Account.SUPPLIER_PAYABLE).exclude(amount=0)
    assert payment.amount == 184 and not owed.exists() and book_faults() == []
    pay.reverse_payment(world.act("accounts"), ReverseRequest(payment.pk, "paid twice"))
    assert balance(Account.BANK, world.nz) == 0 and book_faults() == []


def test_more_credit_than_bills_comes_back_on_its_own_page(world, order, bill, signed_in):
    credit = Bill.objects.get(pk=bills.book_bill(world.act("costs"), credit_of(order)))
    with pytest.raises(Refused, match="more is credited than is paid"):
        pay_many.pay_many(world.act("accounts"), pay_many.PayManyRequest((credit.pk,), TODAY))
    page, url = signed_in("accounts"), f"{reverse('pay')}?bill={credit.pk}"
    assert "Money back from" in page.get(url).content.decode()
    answer = page.post(url, {"key": "back", "day": TODAY.isoformat(), "against-0": "20.00", "rate": "1.5"})
    assert answer.status_code == 302, answer.content.decode()
    payment = Payment.objects.get()
    assert (payment.amount, payment.bank_amount) == (-20, -30) and book_faults() == []
    shown = page.get(reverse("payment", args=[payment.pk])).content.decode()
    assert "back from" in shown and "reached the bank" in shown


def test_an_advance_that_is_left_over_is_set_off_or_comes_back(world, order, bill):
    early = world.sent_order({"A": D(5)})
    part = PartRequest(D("90.00"), order=early.pk)
    head = (early.company_id, early.supplier_id, TODAY, early.currency)
    pay.pay(world.act("accounts"), PayRequest(*head, (part,), rate=D("1.50")))
    used = PartRequest(D("50.00"), order=early.pk, set_off=True)
    paid = pay.pay(world.act("accounts"), pay_of(bill, "50.00", used))
    assert Payment.objects.get(pk=paid).bank_base == 0 and open_advances([early.pk])[early.pk].amount == 40
    with pytest.raises(Refused, match="USD 40.00 of the advance on .* is open"):
        pay.pay(world.act("accounts"), PayRequest(*head, (replace(used, amount=D("40.01")),)))
    pay.pay(world.act("accounts"), PayRequest(*head, (replace(used, amount=D("40.00")),), bank=D("61.00")))
    assert open_advances([early.pk]) == {} and book_faults() == []


def test_what_is_withheld_is_owed_to_the_office(world, order, bill):
    pay.pay(world.act("accounts"), pay_of(bill, "100.00", withheld=D("15.00"), rate=D("1.70")))
    assert (balance(Account.WITHHOLDING, world.nz), balance(Account.BANK, world.nz)) == (D("-25.50"), D("-144.50"))
    assert book_faults() == []
    with pytest.raises(Refused, match="More is withheld than is paid"):
        pay.pay(world.act("accounts"), pay_of(bill, "10.00", withheld=D("10.00")))


def test_the_page_proposes_what_is_in_dispute(world, order, bill, signed_in):
    page, url = signed_in("costs"), f"{reverse('credit-note')}?bill={bill.pk}"
    shown = page.get(url).content.decode()
    assert "price in dispute" in shown and 'value="20.00"' in shown
    said = {"key": "c", "bill_number": "CN-9", "day": TODAY.isoformat(), f"amount-l{order.lines.get().pk}": "20.00"}
    wrong = page.post(url, said | {"total": "21.00"})
    assert wrong.status_code == 422 and "come to 20.00" in wrong.content.decode()
    assert page.post(url, said | {"key": "c2"}).status_code == 302
    credit = Bill.objects.get(kind="credit")
    assert "Set it off" in signed_in("accounts").get(reverse("bill", args=[credit.pk])).content.decode()
    assert page.get(reverse("credit-note")).status_code == 302


def test_a_bill_with_other_bank_details_waits_for_a_second_person(world, order, bill):
    world.parties["USD"].bank_accounts.create(code="THEIRS", bank="Harbour Bank", number="12-3456", currency="USD")
    again = Bill.objects.get(pk=bills.book_bill(world.act("costs"), charge_bill(world, order)))
    assert again.needs_approval and again.approval_why == "bank details changed since the last bill"
    with pytest.raises(Refused, match="is not approved"):
        pay.pay(world.act("accounts"), pay_of(again, "5.00"))
    Bill.objects.filter(pk=again.pk).update(at=timezone.now() + timedelta(minutes=1))
    assert not Bill.objects.get(pk=bills.book_bill(world.act("costs"), charge_bill(world, order, "S-3"))).needs_approval


def charge_bill(world, order, number="S-2"):
    line = BillLineRequest(D("5.00"), kind="handling", basis="value", orders=(order.pk,))
    return BillRequest(order.company_id, order.supplier_id, number, TODAY, order.currency, (line,), accept=True)


def test_instalments_are_due_and_paid_one_after_the_other(world, order):
    terms = PaymentTerms.objects.create(code="PARTS", name="In parts", instalments="30:0 70:60")
    Party.objects.filter(pk=order.supplier_id).update(payment_terms=terms)
    bill = Bill.objects.get(pk=bills.book_bill(world.act("costs"), bill_of(order)))
    assert [str(one.amount) for one in bill.instalments.all()] == ["55.2000", "128.8000"] and bill.due_on == TODAY
    pay_many.pay_many(world.act("accounts"), pay_many.PayManyRequest((bill.pk,), TODAY))
    bill.refresh_from_db()
    assert Payment.objects.get().amount == D("55.20") and (bill.due_on - TODAY).days == 60
    pay.reverse_payment(world.act("accounts"), ReverseRequest(Payment.objects.get().pk, "too early"))
    bill.refresh_from_db()
    assert bill.due_on == TODAY
    (due,) = due_days(owed_by_day([world.nz.pk]), [world.nz.pk], TODAY)
    assert [(day - TODAY).days for day, _ in due.days] == [0, 60] and due.by_today == round(due.days[0][1], 2)
    assert [one.band for one in aging(owed_by_day([world.nz.pk]), TODAY + timedelta(days=10))] == [
        "not due",
        "1 to 30 days",
    ]


def test_a_page_takes_tax_of_two_codes(world, order, signed_in):
    TaxCode.objects.create(company=world.nz, code="FREE", name="None")
    page, url = signed_in("costs"), f"{reverse('supplier-bill')}?order={order.pk}"
    asked = {"bill_number": "S-1", "day": TODAY.isoformat(), "key": "k", "act": "book", "accept": "on"}
    asked |= {f"quantity-l{order.lines.get().pk}": "5", f"price-l{order.lines.get().pk}": "18.40"}
    asked |= {"tax": "1.00", "tax_code": "GST15", "second_tax": "0.50"}
    assert b"Choose the code of this tax" in page.post(url, asked).content
    page.post(url, asked | {"second_code": "FREE"})
    bill = Bill.objects.get()
    assert bill.tax == D("1.50") and list(bill.taxes.order_by("pk").values_list("code__code", "amount")) == [
        ("GST15", D(1)),
        ("FREE", D("0.5")),
    ]


def test_each_tax_line_has_its_code_in_the_journal(world, order):
    TaxCode.objects.create(company=world.nz, code="FREE", name="None")
    taxed = bill_of(order, line_of(order, "5"), tax=D("1.00"), taxes=(("gst15", D("1.00")),), accept=True)
    bill = Bill.objects.get(pk=bills.book_bill(world.act("costs"), taxed))
    assert bill.taxes.get().code.code == "GST15" and book_faults() == []
    wrong = (
        ((("NOPE", D(1)),), "no tax code 'NOPE'"),
        ((("GST15", D(2)),), "do not come to the tax"),
        ((("GST15", D(2)), ("FREE", D(-1))), "not below 0"),
        ((("GST15", D("0.5")), ("gst15", D("0.5"))), "the same code"),
    )
    for taxes, words in wrong:
        with pytest.raises(Refused, match=words):
            bills.book_bill(world.act("costs"), replace(taxed, number="S-9", taxes=taxes))
    made = JournalExport.objects.get(pk=export_journal(world.act("accounts"), ExportRequest(world.nz.pk, TODAY)))
    rows = [row.strip().split(",") for row in journal_csv(made)]
    assert rows[0][-1] == "tax_code" and [row[6] for row in rows if row[-1] == "GST15"] == ["input_tax"]
