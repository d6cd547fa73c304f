"""Covers what must be refused, in words, with nothing saved."""

from dataclasses import replace
from datetime import date, timedelta
from decimal import Decimal as D

import pytest
from django.db.models import Sum
from django.db.models.functions import Coalesce

from northing.actions.billing import bills
from northing.actions.billing.request import of_one
from northing.actions.claims import returns
from northing.actions.confirmations import answers
from northing.actions.costing import charges
from northing.actions.customs import entries
from northing.actions.customs.covers import Covers
from northing.actions.inventory import issue as issuing
from northing.actions.masterdata.rates import RateRequest, enter_rate
from northing.actions.orders import send, write
from northing.actions.quality import inspect
from northing.actions.receiving import receive as receiving
from northing.actions.receiving import reverse as reversing
from northing.actions.reversal import ReverseRequest
from northing.actions.shipping import load, milestones, pack
from northing.activity.models import HistoryEntry
from northing.core.problems import Refused
from northing.ledger.models import Entry, OpenItem
from northing.masterdata.models import Company, ExchangeRate
from northing.orders.models import Instalment, PurchaseOrder
from northing.shipping.models import Container, Leg, Shipment, ShipmentLine
from northing.shipping.operations import LegPlan
from tests.worlds import CALLS, CONTAINERS, TODAY, out_of


def refused(action, *arguments):
    """The words of a refusal; nothing may have been told."""
    before = HistoryEntry.objects.count()
    with pytest.raises(Refused) as caught:
        action(*arguments)
    assert HistoryEntry.objects.count() == before
    return " ".join(str(problem) for problem in caught.value.problems)


def order_request(world, **changes):
    line = write.LineRequest(changes.pop("item", "A"), changes.pop("pack", ""), changes.pop("packs", D(10)))
    base = dict(
        company=world.nz.pk,
        supplier=world.parties["USD"].pk,
        site=world.site.pk,
        incoterm="FOB",
        ours_from="on_board",
        need_by=TODAY + timedelta(days=60),
        lines=(line,),
    )
    return write.OrderRequest(**base | changes)


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"item": "NOPE"}, "no item with the code or GTIN 'NOPE'"),
        ({"packs": D(0)}, "above 0"),
        ({"packs": D(-3)}, "above 0"),
        ({"packs": D("1000000000000")}, "more than Northing takes"),
        ({"packs": D("1.5")}, "more decimals than pc is counted in"),
        ({"pack": "barrel"}, "not packed in 'barrel'"),
        ({"item": "B"}, "no agreed price for B"),
        ({"lines": ()}, "has no line"),
        ({"incoterm": "XYZ"}, "Unknown Incoterms rule"),
        ({"ours_from": "never"}, "from when the goods are ours"),
        ({"need_by": TODAY - timedelta(days=1)}, "has passed"),
    ],
)
def test_orders(world, changes, words):
    assert words in refused(write.write_order, world.act("expediter"), order_request(world, **changes))
    assert not PurchaseOrder.objects.exists()
    world.nz.refresh_from_db()
    assert world.nz.last_order_number == 0


def test_site_and_supplier_must_fit(world):
    other = world.au.sites.get().pk
    assert "not a site of" in refused(write.write_order, world.act("expediter"), order_request(world, site=other))
    provider = world.parties["provider"].pk
    assert "not a supplier" in refused(
        write.write_order, world.act("expediter"), order_request(world, supplier=provider)
    )


def test_every_line_problem_is_said_at_once(world):
    lines = tuple(write.LineRequest(item, "", D(0)) for item in ("A", "NOPE", "C"))
    assert refused(write.write_order, world.act("expediter"), order_request(world, lines=lines)).count("above 0") == 2


def test_the_way_of_an_order_has_no_short_cuts(world):
    world.ask_second_person()
    act, key = world.act, write.write_order(world.act("expediter"), order_request(world))
    whole = send.OrderAct(key)
    assert "not checked" in refused(send.approve_order, act("approver"), whole)
    assert "not approved" in refused(send.send_order, act("expediter"), whole)
    send.check_order(act("expediter"), whole)
    assert "checked already" in refused(send.check_order, act("expediter"), whole)
    grant = world.people["expediter"].grants.create(company=world.nz, role="approver")
    assert "second person" in refused(send.approve_order, act("expediter"), whole)
    grant.delete()
    send.approve_order(act("approver"), whole)
    send.send_order(act("expediter"), whole)
    assert "sent already" in refused(send.send_order, act("expediter"), whole)


def test_answers(world):
    order = world.sent_order({"A": D(100)}, agreed=False)
    part = Instalment.objects.get(line__order=order)

    def answer(quantity="100", day=TODAY, price="18.40", key=part.pk):
        row = answers.AnswerRow(key, D(quantity), part.asked_on, D(price))
        return world.act("expediter"), answers.AnswersRequest(order.pk, "R", day, (row,))

    assert "promises more than the 100" in refused(answers.record_answers, *answer("101"))
    assert "above 0" in refused(answers.record_answers, *answer("0"))
    assert "not come yet" in refused(answers.record_answers, *answer(day=TODAY + timedelta(days=1)))
    assert "not of this order" in refused(answers.record_answers, *answer(key=part.pk + 99))
    answers.record_answers(*answer(price="20"))
    decision = answers.Decision(part.answers.get().pk, False)
    answers.decide_answer(world.act("approver"), decision)
    assert "refused already" in refused(answers.decide_answer, world.act("approver"), decision)


def test_containers_and_voyages(world):
    act = world.act("shipping")
    shipment = pack.create_shipment(act, pack.ShipmentRequest())
    wrong = CONTAINERS[0][:-1] + str((int(CONTAINERS[0][-1]) + 1) % 10)
    for number, words in (
        (wrong, "check digit is wrong"),
        ("ABC", "not a container number"),
        ("", "not a container number"),
    ):
        assert words in refused(pack.add_container, act, pack.ContainerRequest(shipment, number, "22G1"))
    pack.add_container(act, pack.ContainerRequest(shipment, CONTAINERS[0], "22G1"))
    again = pack.ContainerRequest(shipment, CONTAINERS[0].lower(), "22G1")
    assert "in the shipment already" in refused(pack.add_container, act, again)
    carrier = world.parties["provider"].pk
    for imo, words in (("9074728", "check digit"), ("12", "seven digits")):
        request = pack.VoyageRequest("Heron", imo, "1", carrier, CALLS)
        assert words in refused(pack.create_voyage, act, request)
    same = pack.VoyageRequest("Heron", "9074729", "1", carrier, CALLS[:1] * 2)
    assert "ends where it starts" in refused(pack.create_voyage, act, same)


@pytest.mark.parametrize(
    ("legs", "words"),
    [
        ((), "at least one leg"),
        ((LegPlan("sea", "a", "b", TODAY, TODAY - timedelta(days=1), True),), "ends before it starts"),
        ((LegPlan("road", "a", "b", TODAY, TODAY),), "Exactly one leg is the main one"),
        (
            (LegPlan("sea", "a", "b", TODAY, TODAY, True), LegPlan("road", "b", "c", TODAY - timedelta(days=2), TODAY)),
            "above it",
        ),
    ],
)
def test_legs(world, legs, words):
    shipment = pack.create_shipment(world.act("shipping"), pack.ShipmentRequest())
    assert words in refused(pack.plan_passage, world.act("shipping"), pack.PassageRequest(shipment, None, legs))


def test_a_leg_somebody_spoke_of_keeps_its_place(world):
    shipment = pack.create_shipment(world.act("shipping"), pack.ShipmentRequest())
    road, sea = LegPlan("road", "Ningbo", "CNNGB", TODAY, TODAY), LegPlan("sea", "CNNGB", "NZTRG", TODAY, TODAY, True)

    def plan(*legs):
        return world.act("shipping"), pack.PassageRequest(shipment, None, legs)

    pack.plan_passage(*plan(road, sea))
    first = Leg.objects.get(number=1)
    late = TODAY + timedelta(days=5)
    milestones.say_date(world.act("shipping"), milestones.DateRequest(first.pk, "departure", "estimated", late))
    assert "Leg 1, Ningbo to CNNGB, has dates of its own" in refused(pack.plan_passage, *plan(sea))
    assert "Keep it in its place" in refused(pack.plan_passage, *plan(sea, replace(road, start=TODAY)))
    pack.plan_passage(*plan(replace(road, start=late, end=late), replace(sea, start=late, end=late)))
    assert list(Leg.objects.values_list("number", "main", "expected_start")) == [(1, False, late), (2, True, late)]


@pytest.mark.parametrize("year", [1, 202, 9999])
def test_years_that_nobody_means(world, year):
    day = date(year, 6, 1)
    words = f"Year {year} is not plausible. Enter four digits."
    assert words in refused(write.write_order, world.act("expediter"), order_request(world, need_by=day))
    shipment = world.shipment([world.sent_order({"A": D(10)})])
    request = charges.ChargeRequest(
        world.nz.pk, world.parties["provider"].pk, "freight", "weight", "USD", D(9), day, (shipment.pk,)
    )
    assert words in refused(charges.enter_estimate, world.act("costs"), request)
    leg = LegPlan("sea", "a", "b", day, day, True)
    assert words in refused(pack.plan_passage, world.act("shipping"), pack.PassageRequest(shipment.pk, None, (leg,)))
    world.say(shipment, "departure")
    entry = entries.EntryRequest(Covers((shipment.pk,)), world.nz.pk, world.parties["customs"].pk, "E-1", day)
    assert words in refused(entries.book_customs_entry, world.act("costs"), entry)
    row = receiving.ReceiveRow(ShipmentLine.objects.get().pk, D(10))
    receipt = receiving.ReceiveRequest(Container.objects.get().pk, world.site.pk, "DN", day, (row,))
    assert words in refused(receiving.receive, world.act("dock"), receipt)


def test_a_voyage_that_has_sailed_takes_nobody_on(world):
    act, carrier = world.act("shipping"), world.parties["provider"].pk
    voyage = pack.create_voyage(act, pack.VoyageRequest("Heron", "9074729", "1", carrier, CALLS))
    leg = LegPlan("sea", "CNNGB", "NZTRG", TODAY, TODAY, True)
    first, second = (pack.create_shipment(act, pack.ShipmentRequest()) for _ in range(2))
    pack.plan_passage(act, pack.PassageRequest(first, voyage, (leg,)))
    world.say(Shipment.objects.get(pk=first), "departure")
    words = refused(pack.plan_passage, act, pack.PassageRequest(second, voyage, (leg,)))
    assert "Heron 1 departed on 24 Nov 2026" in words


def test_packing(world):
    order = world.sent_order({"A": D(100)})
    shipment = world.shipment([order])
    box, part = Container.objects.get(), Instalment.objects.get()
    act = world.act("shipping")
    assert "Only 0 pc of A" in refused(pack.stow, act, pack.StowRequest(box.pk, ((part.pk, D(1)),)))
    assert "Nothing was entered" in refused(pack.stow, act, pack.StowRequest(box.pk, ()))
    load.load(act, out_of(ShipmentLine.objects.get()))
    assert "above 0" in refused(pack.stow, act, pack.StowRequest(box.pk, ((part.pk, D(-1)),)))
    assert "whole pc" in refused(pack.stow, act, pack.StowRequest(box.pk, ((part.pk, D("0.5")),)))
    pack.stow(act, pack.StowRequest(box.pk, ((part.pk, D(100)),)))
    world.say(shipment, "departure")
    assert "has departed" in refused(load.load, act, out_of(ShipmentLine.objects.get()))


def test_dates(world):
    shipment = world.shipment([world.sent_order({"A": D(10)})])
    leg = Leg.objects.get()

    def say(milestone, kind, offset):
        request = milestones.DateRequest(leg.pk, milestone, kind, TODAY + timedelta(days=offset))
        return refused(milestones.say_date, world.act("shipping"), request)

    assert "not come yet" in say("departure", "actual", 1)
    assert "years away" in say("arrival", "estimated", 40_000)
    assert "departure or arrival" in say("discharged", "planned", 1)
    assert "planned, estimated or actual" in say("arrival", "guessed", 1)
    world.say(shipment, "departure", TODAY - timedelta(days=1))
    assert "recorded already" in say("departure", "actual", -1)
    assert "before it departed" in say("arrival", "actual", -2)


def test_a_currency_without_a_rate_for_the_day_stops_the_departure(world):
    shipment = world.shipment([world.sent_order({"A": D(10)})])
    ExchangeRate.objects.filter(currency="USD", purpose="book").delete()
    request = milestones.DateRequest(Leg.objects.get().pk, "departure", "actual", TODAY)
    words = refused(milestones.say_date, world.act("shipping"), request)
    assert "no book rate for USD on 24 Nov 2026" in words and "Exchange rates" in words
    assert Shipment.objects.get(pk=shipment.pk).departed_on is None


def test_charges(world):
    shipment = world.shipment([world.sent_order({"A": D(10)})])
    world.charge(shipment, "freight", "100.00", "USD", "volume", bill_number="B-1")

    def book(**changes):
        base = dict(
            company=world.nz.pk,
            payee=world.parties["provider"].pk,
            kind="freight",
            basis="volume",
            currency="NZD",
            amount=D("10.00"),
            day=TODAY,
            shipments=(shipment.pk,),
        )
        number = changes.pop("bill_number", "B-2")
        asked = of_one(charges.ChargeRequest(**base | changes), number)
        return refused(bills.book_bill, world.act("costs"), asked)

    assert "Number B-1 of this party is booked already" in book(bill_number="B-1")
    assert "has a number" in book(bill_number=" ")
    assert "amount has more" in book(amount=D("1.001"))
    assert "amount is zero" in book(amount=D(0))
    assert "larger than any" in book(amount=D("1000000000000"))
    assert "no book rate" in book(currency="GBP")
    assert "not an ISO 4217 currency" in book(currency="GBQ")
    assert "Nothing bears a charge" in book(shipments=())
    assert "not come yet" in book(day=TODAY + timedelta(days=1))
    assert "who is to be paid" in book(payee=0)
    assert "kind of charge" in book(kind="gifts")
    world.items["A"].__class__.objects.update(weight_kg=0)
    assert "zero weight" in book(basis="weight")


def test_rates_and_what_they_make_of_large_amounts(world):
    act = world.act("costs")

    def enter(currency="USD", rate="1.5", who=act):
        return enter_rate(who, RateRequest(world.nz.pk, currency, "book", TODAY, D(rate)))

    for currency, rate, words in (
        ("NZD", "1.1", "base currency's rate is 1"),
        ("USQ", "1.1", "not an ISO 4217 currency"),
        ("USD", "0", "above 0"),
        ("USD", "-1", "above 0"),
    ):
        assert words in refused(enter, currency, rate)
    assert "may not enter exchange rates" in refused(enter, "USD", "1.5", world.act("dock"))
    enter("USD", "999999999999")
    shipment = world.shipment([world.sent_order({"B": D(10)})])
    request = charges.ChargeRequest(
        company=world.nz.pk,
        payee=world.parties["provider"].pk,
        kind="freight",
        basis="weight",
        currency="USD",
        amount=D("99999999999.00"),
        day=TODAY,
        shipments=(shipment.pk,),
    )
    assert "larger than any Northing keeps" in refused(bills.book_bill, world.act("costs"), of_one(request, "huge"))


def test_a_closed_period_posts_in_the_first_open_one_and_says_so(world):
    Company.objects.filter(pk=world.nz.pk).update(closed_through=TODAY)
    shipment = world.shipment([world.sent_order({"A": D(10)})])
    world.charge(shipment, "freight", "100.00", "USD", "volume")
    entry = Entry.objects.latest("pk")
    days = set(entry.postings.values_list("posted_on", flat=True))
    assert (entry.occurred_on, days) == (TODAY, {TODAY + timedelta(days=1)})
    assert "posted in the first open one" in entry.text


def test_receipts(world):
    shipment = world.shipment([world.sent_order({"A": D(100)})])
    world.say(shipment, "departure")
    part = ShipmentLine.objects.get()

    def receive(*rows, note="DN", day=TODAY):
        request = receiving.ReceiveRequest(part.container_id, world.site.pk, note, day, rows)
        return refused(receiving.receive, world.act("dock"), request)

    row = receiving.ReceiveRow
    assert "more than the 100 still expected" in receive(row(part.pk, D(101)))
    assert "must not be negative" in receive(row(part.pk, D(-1)))
    assert "whole pc" in receive(row(part.pk, D("0.5")))
    assert "nothing is missing" in receive(row(part.pk, D(0), True))
    assert "30 are short. Say whether they are still coming" in receive(row(part.pk, D(70)))
    assert "98 are short" in receive(row(part.pk, D(1)), row(part.pk, D(1)))
    assert "Nothing was counted" in receive()
    assert "delivery note" in receive(row(part.pk, D(1)), note=" ")
    assert "not come yet" in receive(row(part.pk, D(1)), day=TODAY + timedelta(days=1))
    assert "not in this container" in receive(row(part.pk + 99, D(1)))
    world.items["A"].__class__.objects.update(keeps_lot=True, keeps_best_before=True)
    words = receive(row(part.pk, D(1)))
    assert "lot is missing" in words and "date is missing" in words


def test_over_within_tolerance_passes_as_excess(world):
    world.parties["USD"].__class__.objects.update(over_tolerance=2)
    shipment = world.shipment([world.sent_order({"A": D(100)})])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(102)})
    position = Instalment.objects.get().position
    assert (position.in_store, position.excess, position.ordered) == (102, 2, 100)


def test_receipt_before_the_departure_message_moves_nothing_later(world):
    shipment = world.shipment([world.sent_order({"A": D(100)})])
    world.receive(shipment, {"A": D(60)})
    world.say(shipment, "departure")
    position = Instalment.objects.get().position
    assert (position.in_store, position.landed) == (60, 40)
    world.receive(shipment, {"A": D(40)})


@pytest.mark.parametrize("ours_from", ["pickup", "on_board", "arrival", "receipt"])
def test_reversal_undoes_whatever_the_receipt_made_ours(world, ours_from):
    shipment = world.shipment([world.sent_order({"A": D(100)}, ours_from=ours_from)])
    receipt = world.receive(shipment, {"A": D(90)}, still_coming=False)
    reversing.reverse_receipt(world.act("dock"), ReverseRequest(receipt, "counted wrong"))
    assert owed() == (0, 0), "in dollars as well as in base"
    world.say(shipment, "departure")
    world.say(shipment, "arrival")
    world.receive(shipment, {"A": D(100)})
    assert owed() == (D("-1840.00"), D("-3021.28"))


@pytest.mark.parametrize("ours_from", ["on_board", "receipt"])
def test_what_sailed_between_receipt_and_reversal_is_ours_since_it_sailed(world, ours_from):
    shipment = world.shipment([world.sent_order({"A": D(100)}, ours_from=ours_from)])
    receipt = world.receive(shipment, {"A": D(100)})
    world.say(shipment, "departure", TODAY)
    reversing.reverse_receipt(world.act("dock"), ReverseRequest(receipt, "counted wrong"))
    assert owed()[0] == (D("-1840.00") if ours_from == "on_board" else 0)


@pytest.mark.parametrize("ours_from", ["pickup", "on_board", "arrival", "receipt"])
def test_goods_of_another_receipt_stay_ours_when_the_first_is_reversed(world, ours_from):
    shipment = world.shipment([world.sent_order({"A": D(100)}, ours_from=ours_from)])
    first = world.receive(shipment, {"A": D(60)})
    world.receive(shipment, {"A": D(40)})
    reversing.reverse_receipt(world.act("dock"), ReverseRequest(first, "counted twice"))
    assert owed()[0] == (D("-736.00") if ours_from == "receipt" else D("-1840.00"))
    world.receive(shipment, {"A": D(60)})
    assert owed()[0] == D("-1840.00")


def owed():
    """What is owned and not billed, in the order's currency and in base."""
    items = OpenItem.objects.filter(account="owned_not_billed")
    return tuple(items.aggregate(amount=Coalesce(Sum("amount"), D(0)), base=Coalesce(Sum("base"), D(0))).values())


def test_reversal_is_refused_once_goods_have_gone_on(world):
    shipment = world.shipment([world.sent_order({"A": D(100)})])
    world.say(shipment, "departure")
    receipt = world.receive(shipment, {"A": D(50)})
    issue = issuing.IssueRequest(world.site.pk, world.items["A"].pk, D(1), "shops", TODAY)
    issuing.issue_stock(world.act("dock"), issue)
    reverse = ReverseRequest(receipt, "why not")
    assert "1 pc of A have left stock" in refused(reversing.reverse_receipt, world.act("dock"), reverse)
    other = world.receive(shipment, {"A": D(50)})
    reversing.reverse_receipt(world.act("dock"), ReverseRequest(other, "x"))
    assert "reversed already" in refused(reversing.reverse_receipt, world.act("dock"), ReverseRequest(other, "x"))
    assert "Say why" in refused(reversing.reverse_receipt, world.act("dock"), ReverseRequest(receipt, " "))


def test_inspection_return_and_issue(world):
    world.items["A"].__class__.objects.update(inspected=True)
    shipment = world.shipment([world.sent_order({"A": D(100)})])
    world.say(shipment, "departure")
    receipt = world.receive(shipment, {"A": D(100)})
    layer = ShipmentLine.objects.get().layers.get()

    def verdict(passed, failed, reason="chipped", day=TODAY):
        request = inspect.InspectRequest(layer.pk, D(passed), D(failed), reason, day)
        return world.act("inspector"), request

    assert "Only 100 pc are held" in refused(inspect.inspect, *verdict(100, 1))
    assert "Say why" in refused(inspect.inspect, *verdict(0, 1, ""))
    assert "how many passed" in refused(inspect.inspect, *verdict(0, 0))
    assert "not be negative" in refused(inspect.inspect, *verdict(-1, 2))
    assert "whole pc" in refused(inspect.inspect, *verdict("0.5", "0.5"))
    issue = issuing.IssueRequest(world.site.pk, world.items["A"].pk, D(1), "shops", TODAY)
    assert "Only 0 pc of A are in store" in refused(issuing.issue_stock, world.act("dock"), issue)
    inspect.inspect(*verdict(90, 10))
    assert "is inspected: 90 passed" in refused(
        reversing.reverse_receipt, world.act("dock"), ReverseRequest(receipt, "x")
    )
    case = layer.cases.get()

    def back(quantity, reference="RMA"):
        return world.act("inspector"), returns.ReturnRequest(case.pk, D(quantity), reference, TODAY)

    assert "Only 10 units" in refused(returns.return_goods, *back(11))
    assert "above 0" in refused(returns.return_goods, *back(0))
    assert "reference is missing" in refused(returns.return_goods, *back(1, " "))
    assert "whole pc" in refused(returns.return_goods, *back("0.5"))
    future = issuing.IssueRequest(world.site.pk, world.items["A"].pk, D(1), " ", date(2199, 1, 1))
    words = refused(issuing.issue_stock, world.act("dock"), future)
    assert "not come yet" in words and "what the units are for" in words


def test_a_customs_entry_number_is_booked_once(world):
    shipment = world.shipment([world.sent_order({"A": D(10)})])
    request = entries.EntryRequest(Covers((shipment.pk,)), world.nz.pk, world.parties["customs"].pk, "E-1", TODAY)
    assert "has not departed" in refused(entries.book_customs_entry, world.act("costs"), request)
    world.say(shipment, "departure")
    entries.book_customs_entry(world.act("costs"), request)
    assert "booked already" in refused(entries.book_customs_entry, world.act("costs"), request)
    stranger = entries.EntryRequest(Covers((shipment.pk,)), world.au.pk, world.parties["customs"].pk, "E-2", TODAY)
    assert "no goods in this shipment" in refused(entries.book_customs_entry, world.act("costs"), stranger)
