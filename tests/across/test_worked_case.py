"""The worked case of docs/landed-cost.md, entered as a shipment and carried to the end."""

from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.db.models import Sum

from northing.actions.billing import bills
from northing.actions.billing.request import of_one
from northing.actions.claims import returns
from northing.actions.confirmations import answers
from northing.actions.costing import charges
from northing.actions.customs import entries
from northing.actions.customs.covers import Covers
from northing.actions.inventory import issue
from northing.actions.quality import inspect
from northing.actions.receiving import reverse
from northing.actions.reversal import ReverseRequest
from northing.activity.models import HistoryEntry
from northing.claims.models import Claim
from northing.confirmations.models import Answer
from northing.core.problems import Refused
from northing.inventory.models import StockIssue
from northing.ledger.models import Account, CostLayer, OpenItem, Posting
from northing.orders.models import Instalment
from northing.positions.models import Position
from northing.worklist.models import LineSummary, Matter
from tests.stages import staged
from tests.worlds import QUANTITIES, TODAY

CHARGES = [
    ("freight", "3120.00", "USD", "volume"),
    ("insurance", "187.35", "NZD", "value"),
    ("haulage", "640.00", "NZD", "weight"),
    ("brokerage", "95.00", "NZD", "equal"),
]
LANDED = {"A": D("9571.67"), "B": D("7909.93"), "C": D("2583.65")}


def ship(world):
    """Three lines of two orders aboard, departed, with the four bills booked."""
    dollars = world.sent_order({"A": QUANTITIES["A"]})
    euros = world.sent_order({"B": QUANTITIES["B"]})
    more = world.sent_order({"C": QUANTITIES["C"]})
    shipment = world.shipment([dollars, euros, more])
    world.say(shipment, "departure")
    for charge in CHARGES:
        world.charge(shipment, *charge)
    world.cargo = shipment


under_way = staged("under_way", ship)


@pytest.fixture
def shipped(under_way):
    return under_way.cargo


def enter_customs(world, shipment):
    request = entries.EntryRequest(Covers((shipment.pk,)), world.nz.pk, world.parties["customs"].pk, "E-1", TODAY)
    entries.book_customs_entry(world.act("costs"), request)


def balance(account, company=None):
    postings = Posting.objects.filter(account=account)
    return sum((p.amount for p in (postings.filter(company=company) if company else postings)), D(0))


def not_billed(code):
    """What is owned and not billed of an item, in the order's currency and in base."""
    items = OpenItem.objects.filter(account=Account.OWNED_NOT_BILLED, order_line__item__code=code)
    return tuple(items.aggregate(amount=Sum("amount"), base=Sum("base")).values())


def layers():
    return {layer.item.code: layer for layer in CostLayer.objects.filter(kind="stock", received__gt=0)}


def test_departure_makes_goods_ours_at_the_days_rate(world, shipped):
    assert balance(Account.OWNED_AFLOAT) == D("13428.59")
    assert balance(Account.OWNED_NOT_BILLED) == D("-13428.59")


def test_landed_cost_to_the_cent(world, shipped):
    world.say(shipped, "arrival")
    enter_customs(world, shipped)
    entry = shipped.customs_entries.get()
    assert (entry.duty, entry.tax_base, entry.tax) == (D("591.27"), D("19294.06"), D("2894.11"))
    world.receive(shipped, QUANTITIES)
    assert {code: layer.total_cost for code, layer in layers().items()} == LANDED
    assert balance(Account.STOCK) == D("20065.25")
    assert balance(Account.OWNED_AFLOAT) == balance(Account.ACCRUED_CHARGES) == balance(Account.ACCRUED_DUTY) == 0
    assert balance(Account.IMPORT_TAX) == D("2894.11")
    assert balance(Account.CUSTOMS_PAYABLE) == D("-3485.38")


def test_import_tax_that_is_partly_reclaimed_is_partly_cost(world, shipped):
    world.nz.import_tax_reclaimed = D("0.8")
    world.nz.save()
    world.say(shipped, "arrival")
    enter_customs(world, shipped)
    world.receive(shipped, QUANTITIES)
    # Of 2,894.11 are 2,315.29 reclaimed; 578.82 by the parts 9,283.44 / 7,547.33 / 2,463.29 of the base.
    assert balance(Account.IMPORT_TAX) == D("2315.29")
    assert balance(Account.CUSTOMS_PAYABLE) == D("-3485.38")
    assert balance(Account.ACCRUED_DUTY) == 0
    assert sum(layer.total_cost for layer in layers().values()) == sum(LANDED.values()) + D("578.82")


def test_bills_and_duty_after_the_receipt_end_at_the_same_cost(world):
    order = world.sent_order({"A": QUANTITIES["A"], "C": QUANTITIES["C"]})
    euros = world.sent_order({"B": QUANTITIES["B"]})
    shipment = world.shipment([order, euros])
    world.say(shipment, "departure")
    world.say(shipment, "arrival")
    world.receive(shipment, QUANTITIES)
    for charge in CHARGES:
        world.charge(shipment, *charge)
    enter_customs(world, shipment)
    found = {code: layer.total_cost for code, layer in layers().items()}
    assert sum(found.values()) == D("20065.25")
    assert found["A"] == LANDED["A"]


def test_part_receipts_add_up_to_the_whole(world, shipped):
    for part in (D(7), D(80), D(153)):
        world.receive(shipped, {"A": part})
    assert sum(layer.total_cost for layer in CostLayer.objects.all()) == LANDED["A"] - D("361.78")


def test_inspect_return_issue_and_a_late_haulage_bill(world, shipped):
    item = world.items["B"]
    item.inspected = True
    item.save()
    world.receive(shipped, {"B": D(1200)})
    layer = layers()["B"]
    inspect.inspect(world.act("inspector"), inspect.InspectRequest(layer.pk, D(1150), D(50), "chipped", TODAY))
    case = Claim.objects.get()
    assert case.open_quantity == 50
    returns.return_goods(world.act("inspector"), returns.ReturnRequest(case.pk, D(30), "RMA-7", TODAY))
    case.refresh_from_db()
    position = Position.objects.get(instalment__line__item=item)
    assert (position.in_store, position.rejected, position.returned, case.open_quantity) == (1150, 20, 30, 20)
    # 7,680.44 for 1,200 cups without duty: 30 of them cost 192.01, of which goods 114.91; no one has billed them yet.
    assert not_billed("B") == (D("64.50") - D("2580.00"), D("114.91") - D("4596.27"))
    line = LineSummary.objects.get(item=item)
    assert (line.received, line.unbilled) == (1200, 1170), "what went back is not billed"
    assert (line.party, line.reason) == ("us", Matter.objects.get(kind="case").reason), "its case comes first"
    assert balance(Account.RETURN_LOSS) == D("77.10")
    issue.issue_stock(world.act("dock"), issue.IssueRequest(world.site.pk, item.pk, D(370), "shops", TODAY))
    payer, payee = world.nz.pk, world.parties["provider"].pk
    request = charges.ChargeRequest(payer, payee, "haulage", "weight", "NZD", D("108.30"), TODAY, (shipped.pk,))
    bill = of_one(request, "LATE")
    [plan] = bills.foresee(bill).plans
    assert plan.absorbed.stock == D("36.00")
    assert plan.absorbed.variance == {"issued": D("16.65"), "returned": D("1.35")}
    bills.book_bill(world.act("costs"), bill)
    assert (balance(Account.LATE_ISSUED), balance(Account.RETURN_LOSS)) == (D("16.65"), D("77.10") + D("1.35"))
    position.refresh_from_db()
    assert (position.in_store, position.issued) == (780, 370)
    taken_back = ReverseRequest(StockIssue.objects.get().pk, "the shop was shut")
    issue.take_back_issue(world.act("dock"), taken_back)
    assert (balance(Account.LATE_ISSUED), balance(Account.STOCK_ISSUES)) == (0, 0), "late costs come back with them"
    position.refresh_from_db()
    assert (position.in_store, position.issued) == (1150, 0)
    with pytest.raises(Refused, match="reversed already"):
        issue.take_back_issue(world.act("dock"), taken_back)


def test_missing_goods_are_not_owed_and_their_charges_are_lost(world, shipped):
    world.receive(shipped, {"C": D(870)}, still_coming=False)
    position = Position.objects.get(instalment__line__item__code="C")
    assert (position.in_store, position.missing) == (870, 30)
    assert LineSummary.objects.get(item__code="C").unbilled == 870
    assert Claim.objects.get().open_quantity == 30
    goods, landed = D("1581.25"), D("2583.65")
    released = goods - D("1528.54")
    assert not_billed("C") == (D("32.10") - D("963.00"), released - goods)
    assert balance(Account.STOCK) + released + balance(Account.MISSING_LOSS) == landed


def test_reversal_leaves_nothing_behind(world, shipped):
    before = {account: balance(account) for account in Account}
    receipt = world.receive(shipped, QUANTITIES, still_coming=False)
    reverse.reverse_receipt(world.act("dock"), ReverseRequest(receipt, "wrong container"))
    assert {account: balance(account) for account in Account} == before
    assert Position.objects.get(instalment__line__item__code="A").under_way == 240
    world.receive(shipped, QUANTITIES)
    assert balance(Account.STOCK) == D("20065.25") - D("591.27")


def test_one_freight_bill_shared_by_both_companies(world):
    here = world.sent_order({"A": D(120)})
    there = world.sent_order({"C": D(900)}, company=world.au)
    shipment = world.shipment([here, there])
    world.say(shipment, "departure")
    world.charge(shipment, "freight", "1000.00", "USD", "volume")
    # 2.052 m3 and 2.25 m3: USD 476.99 and 523.01
    assert balance(Account.ACCRUED_CHARGES, world.nz) == D("783.22")
    assert balance(Account.ACCRUED_CHARGES, world.au) == D("787.86")
    assert balance(Account.DUE_TO, world.au) == D("-787.86")
    assert balance(Account.DUE_FROM, world.nz) == D("858.78")
    assert balance(Account.PROVIDER_PAYABLE, world.nz) == D("-1642.00")


def test_a_price_change_and_a_smaller_quantity_split_the_instalment(world):
    order = world.sent_order({"A": D(100)}, agreed=False)
    part = Instalment.objects.get(line__order=order)
    row = answers.AnswerRow(part.pk, D(60), part.asked_on, D("19.00"))
    answers.record_answers(world.act("expediter"), answers.AnswersRequest(order.pk, "X", TODAY, (row,)))
    answers.decide_answer(world.act("expediter"), answers.Decision(Answer.objects.get().pk, True))
    parts = Instalment.objects.filter(line__order=order).order_by("number")
    assert [(p.quantity, p.agreed_quantity, p.pack_price) for p in parts] == [(60, 60, 19), (40, 0, D("18.40"))]
    assert [p.with_supplier for p in Position.objects.order_by("pk")] == [60, 40]


@pytest.mark.parametrize("ours_from", ["pickup", "on_board", "arrival", "receipt"])
def test_goods_cost_the_same_whenever_they_become_ours(world, ours_from):
    shipment = world.shipment([world.sent_order({"A": QUANTITIES["A"]}, ours_from=ours_from)])
    world.receive(shipment, {"A": D(100)})
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(140)})
    assert balance(Account.STOCK) == D("7251.07")
    assert balance(Account.OWNED_AFLOAT) == 0


def test_part_receipts_of_goods_ours_from_receipt_add_up_to_their_price(world):
    """Seven of a pack of 7 at USD 10.00, one at a time: 1.43 six times and 1.42 once."""
    pack = world.items["A"].packs.create(name="seven", factor=7)
    order = world.sent_order({"A": D(7)}, ours_from="receipt")
    order.lines.update(pack=pack.name, pack_factor=7, pack_price=D("10.00"))
    Instalment.objects.update(pack_price=D("10.00"))
    shipment = world.shipment([order])
    for _ in range(7):
        world.receive(shipment, {"A": D(1)})
    # Six times 2.35 and once 2.33 at 1.6420: each is ours at the rate of its own day.
    assert balance(Account.STOCK) == D("16.43")


def test_refusing_an_answer_makes_it_the_suppliers_move_again(world):
    order = world.sent_order({"A": D(100)}, agreed=False)
    part = Instalment.objects.get(line__order=order)
    row = answers.AnswerRow(part.pk, D(60), part.asked_on, D("19.00"))
    answers.record_answers(world.act("expediter"), answers.AnswersRequest(order.pk, "X", TODAY, (row,)))
    answers.decide_answer(world.act("expediter"), answers.Decision(Answer.objects.get().pk, False))
    assert Matter.objects.filter(kind="instalment").values_list("party", "reason").get() == (
        "supplier",
        "to answer again: we refused",
    )


def test_the_goods_are_waited_for_since_they_were_agreed(world):
    order = world.sent_order({"A": D(100)}, agreed=False)
    part, before = Instalment.objects.get(line__order=order), TODAY - timedelta(days=3)
    row = answers.AnswerRow(part.pk, D(100), part.asked_on, part.pack_price)
    answers.record_answers(world.act("expediter"), answers.AnswersRequest(order.pk, "X", before, (row,)))
    matter = Matter.objects.get(kind="instalment")
    assert (matter.reason, matter.since, matter.due) == ("to have the goods ready", before, part.asked_on)
    assert matter.at_stake == D("3021.28")  # 100 x USD 18.40 at 1.6420


def test_packing_what_is_not_agreed_is_told(world):
    world.shipment([world.sent_order({"A": D(10)}, agreed=False)])
    assert HistoryEntry.objects.get(action="stow").text.endswith("; not agreed yet: KLN-00001/1")


def test_units_beyond_the_papers_come_at_the_price_and_take_no_charge(world):
    type(world.parties["USD"]).objects.update(over_tolerance=10)
    shipment = world.shipment([world.sent_order({"A": QUANTITIES["A"]})])
    world.say(shipment, "departure")
    world.charge(shipment, "haulage", "240.00", "NZD", "weight")
    world.receive(shipment, {"A": D(250)})
    # 240 of the papers and 10 more at USD 18.40, rate 1.6420
    assert balance(Account.STOCK) == D("7251.07") + D("240.00") + D("302.13")
    assert balance(Account.OWNED_AFLOAT) == balance(Account.ACCRUED_CHARGES) == 0
    line = LineSummary.objects.get(item__code="A")
    assert (line.unbilled, line.party, line.reason, line.since) == (250, "accounts", "received, not billed yet", TODAY)
