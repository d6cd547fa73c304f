"""A downloaded scenario replays to the cent, tells no names, and nothing of companies that one does not see."""

import json
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.db import connection
from django.urls import reverse

from northing.access.models import Person
from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.claims import authorise, money, money_cases, returns, tend, ways
from northing.actions.claims.set_aside import SetAsideRequest, set_aside, take_back
from northing.actions.confirmations.answers import AnswerRow, AnswersRequest, Decision, decide_answer, record_answers
from northing.actions.costing import charges, rebase
from northing.actions.customs import entries, office, proofs
from northing.actions.customs.covers import Covers
from northing.actions.customs.included import Included
from northing.actions.inventory import issue
from northing.actions.inventory.move import MoveRequest, move_goods
from northing.actions.masterdata.opening import FileRequest, open_stock
from northing.actions.orders.set_parts import PartRequest, PartsRequest, set_parts
from northing.actions.payments import pay as paying
from northing.actions.quality import inspect
from northing.actions.receiving.receive import receive
from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.actions.reversal import ReverseRequest
from northing.actions.shipping import pack
from northing.billing.models import Bill
from northing.claims.models import Claim
from northing.confirmations.models import Answer
from northing.costing.models import Charge
from northing.customs.models import CustomsLine
from northing.inventory.models import OnHand
from northing.ledger.models import CostLayer
from northing.masterdata.models import Bin, Item, Site, TariffRule, Territory
from northing.orders.models import Instalment, OrderLine, PurchaseOrder
from northing.payments.models import Payment
from northing.receiving.models import Receipt
from northing.reports.as_scenario import as_scenario
from northing.reports.book_proof import book_faults
from northing.scenarios import files
from northing.scenarios.expect import differences
from northing.scenarios.play import Player
from northing.scenarios.result import result
from northing.shipping.models import Container, ShipmentLine
from tests.customs.test_parts import book, come_unpacked, in_two_boxes
from tests.database import empty
from tests.worlds import CONTAINERS, NOW, TODAY, small_world


def much_happens(world):
    """Receipt in parts, an estimate billed in parts, customs, an inspection with a return, issues, a reversed bill."""
    world.items["B"].inspected = True
    world.items["B"].save()
    shipment = world.shipment([world.sent_order({"A": D(240), "C": D(900)}), world.sent_order({"B": D(1200)})])
    provider = world.parties["provider"].pk
    asked = charges.ChargeRequest(
        world.nz.pk, provider, "freight", "volume", "USD", D("3120.00"), TODAY, (shipment.pk,)
    )
    estimate = charges.enter_estimate(world.act("costs"), asked)
    world.say(shipment, "departure")
    part = BillLineRequest(D("1000.00"), estimate, final=False)
    bills.book_bill(world.act("costs"), BillRequest(world.nz.pk, provider, "F-1", TODAY, "USD", (part,)))
    world.say(shipment, "arrival")
    office = world.parties["customs"].pk
    entries.book_customs_entry(
        world.act("costs"), entries.EntryRequest(Covers((shipment.pk,)), world.nz.pk, office, "E-1", TODAY)
    )
    world.receive(shipment, {"A": D(100), "B": D(1200), "C": D(900)})
    layer = CostLayer.objects.get(item__code="B")
    inspect.inspect(world.act("inspector"), inspect.InspectRequest(layer.pk, D(1150), D(50), "dents", TODAY))
    case = Claim.objects.get()
    returns.return_goods(world.act("inspector"), returns.ReturnRequest(case.pk, D(30), "RMA", TODAY))
    ways.scrap(world.act("inspector"), ways.EndRequest(case.pk, D(4), "burnt", TODAY, claimed=False))
    ways.keep(world.act("inspector"), ways.EndRequest(case.pk, D(5), "fine", TODAY))
    for units in (D(20), D(7)):
        found = set_aside(world.act("inspector"), SetAsideRequest(layer.pk, units, "dents", TODAY))
    take_back(world.act("inspector"), ReverseRequest(found, "fine"))
    returns.return_goods(world.act("inspector"), returns.ReturnRequest(found - 1, D(12), "RMA", TODAY))
    taken = issue.IssueRequest(world.site.pk, Item.objects.get(code="A").pk, D(70), "shops", TODAY)
    issue.issue_stock(world.act("dock"), taken)
    wrong = BillLineRequest(D("77.00"), kind="haulage", basis="weight", shipments=(shipment.pk,))
    key = bills.book_bill(world.act("costs"), BillRequest(world.nz.pk, provider, "H-1", TODAY, "NZD", (wrong,)))
    bills.reverse_bill(world.act("costs"), ReverseRequest(key, "another firm's"))
    rest = BillLineRequest(D("2221.00"), estimate)
    bills.book_bill(world.act("costs"), BillRequest(world.nz.pk, provider, "F-2", TODAY, "USD", (rest,)))
    world.receive(shipment, {"A": D(136)}, still_coming=False)
    much_happens_to_cases(world, case)


def much_happens_to_cases(world, case):
    """Four kettles are missing; of the cups some may go back, and one is kept for less."""
    said = authorise.AuthoriseRequest(case.pk, D(3), "RA-1", TODAY, "replacement")
    authorise.authorise(world.act("expediter"), said)
    returns.return_goods(world.act("inspector"), returns.ReturnRequest(case.pk, D(2), "RA-1", TODAY))
    ways.keep(world.act("inspector"), ways.EndRequest(case.pk, D(1), "scratched", TODAY, reduced=D("0.50")))
    missing, carrier = Claim.objects.get(kind="missing"), world.parties["provider"].pk
    ways.find(world.act("expediter"), ways.EndRequest(missing.pk, D(1), "behind", TODAY))
    money.turn(world.act("expediter"), money.TurnRequest(missing.pk, carrier, "lost at sea", TODAY))
    more = money.MoneyRequest(missing.pk, carrier, "NZD", D("3.00"), "their freight", TODAY)
    money.claim_more(world.act("expediter"), more)
    money.claim_paid(world.act("accounts"), replace(more, amount=D("1.00")))
    given_up = money.give_up(world.act("expediter"), replace(more, amount=D("2.00")))
    money.reverse_money(world.act("expediter"), ReverseRequest(given_up, "not yet"))
    ways.lose(world.act("expediter"), ways.EndRequest(missing.pk, D(2), "lost", TODAY))
    ways.rework(world.act("inspector"), ways.EndRequest(case.pk, D(2), "glazed anew", TODAY))
    line = BillLineRequest(D("9.00"), case=case.pk, into="goods")
    bills.book_bill(world.act("costs"), BillRequest(world.nz.pk, carrier, "G-1", TODAY, "NZD", (line,)))
    part = tend.divide(world.act("expediter"), tend.DivideRequest(case.pk, D(2), "no handle"))
    returns.return_goods(world.act("inspector"), returns.ReturnRequest(part, D(1), "RA-2", TODAY))
    for amount, stays in ((D("1.50"), False), (D("2.50"), True)):
        owed = money_cases.MoneyCaseRequest(case.layer_id, "late", amount, "late", TODAY)
        made = money_cases.open_money_case(world.act("expediter"), owed)
        if not stays:
            money_cases.close_money_case(world.act("expediter"), ReverseRequest(made, "in time"))


def test_what_is_downloaded_replays_to_the_cent(db, client):
    world = small_world()
    much_happens(world)
    client.force_login(Person.objects.get(username="costs"))
    line, layer, bill = OrderLine.objects.first(), CostLayer.objects.first(), Bill.objects.first()
    found = client.get(reverse("line-scenario", args=[line.pk]))
    assert "attachment" in found["Content-Disposition"]
    for name, record in (("layer-scenario", layer), ("bill-scenario", bill)):
        assert client.get(reverse(name, args=[record.pk])).json() == found.json()
    text = found.content.decode()
    assert not [word for word in ("KLN", "QXNU", "Test", "Supplier", "kettles", "F-1", "RMA", "dents") if word in text]
    assert len(found.json()["expect"]["layers"]) == 5
    assert replayed(found.json()) == []


def replayed(found: dict) -> list[str]:
    """What differs when a downloaded file is played in an empty database."""
    with connection.cursor() as cursor:
        cursor.execute("set constraints all immediate")
    empty()
    scenario = files.read(json.dumps(found).encode())
    player = Player(scenario)
    actions = player.play()
    assert [one for one in actions if "refused" in one] == []
    return list(differences(scenario.expect, {"actions": actions} | result(player)))


def test_entries_over_a_container_and_what_came_unpacked_replay(db):
    world = in_two_boxes(small_world())
    boxed = book(world, Covers(containers=(world.boxes[0].pk,)), "E-1")
    office.pay_office(world.act("accounts"), office.PayOfficeRequest(boxed.pk, TODAY))
    office.release(world.act("costs"), office.ReleaseRequest(boxed.pk, TODAY))
    line = boxed.lines.get().shipment_line.instalment.line_id
    receipt = come_unpacked(world) and Receipt.objects.latest("pk")
    more = Covers(containers=(world.boxes[1].pk,), receipts=(receipt.pk,))
    both = book(world, more, "E-2", their_tax=D("1.00"), reason="by them")
    found = as_scenario({line, both.lines.first().shipment_line.instalment.line_id}, {world.nz.pk})
    entered = [one for one in found["actions"] if one["do"] == "customs"]
    assert [sorted(one.keys() & {"shipment", "containers", "receipts"}) for one in entered] == [
        ["containers"],
        ["containers", "receipts"],
    ]
    assert replayed(found) == []


def test_shares_by_hand_replay_after_the_bill_that_grew_them(db):
    world = small_world()
    shipment = world.shipment([world.sent_order({"A": D(240), "C": D(900)})])
    world.say(shipment, "departure")
    head = (world.nz.pk, world.parties["provider"].pk)
    asked = charges.ChargeRequest(*head, "freight", "volume", "USD", D("300.00"), TODAY, (shipment.pk,))
    keys = [
        charges.enter_estimate(world.act("costs"), asked),
        world.charge(shipment, "handling", "90.00", "NZD", "equal"),
    ]
    world.receive(shipment, {"A": D(200), "C": D(900)})
    for key in keys:
        charge = Charge.objects.get(pk=key)
        rows = [(one.order_line_id, one.shipment_line_id) for one in charge.shares.order_by("pk")]
        whole = charge.parts.get().base_amount
        given = tuple((*row, part) for row, part in zip(rows, (whole - D("12.34"), D("12.34")), strict=True))
        rebase.change_basis(world.act("costs"), rebase.RebaseRequest(key, "by_hand", given))
    bills.book_bill(
        world.act("costs"), BillRequest(*head, "F-2", TODAY, "USD", (BillLineRequest(D("333.00"), keys[0]),))
    )
    assert replayed(as_scenario({OrderLine.objects.first().pk}, {world.nz.pk})) == []


def test_litres_freight_in_the_price_and_a_proof_of_what_came_unpacked_replay(db):
    world = in_two_boxes(small_world())
    Territory.objects.create(code="NZ", basis="fob")
    common = {"territory": "NZ", "valid_from": TODAY}
    TariffRule.objects.create(**common, hs="", currency="NZD", amount=D("1.35"), per="l", ad_valorem=D("0.1"))
    TariffRule.objects.create(**common, hs="", kind="preference", origin="CN", name="treaty", proof="certificate")
    Item.objects.update(duty_unit="l", duty_units=D("0.75"), origin="CN")
    PurchaseOrder.objects.update(incoterm="CIF")
    said = (Included(world.order.pk, D("12.00"), D("3.50")),)
    book(world, Covers((world.landed.pk,)), "E-1", included=said, rates=(("USD", D("1.7")),))
    come_unpacked(world)
    receipt, company = Receipt.objects.get(), world.order.company_id
    paper = ("certificate", "C-1", TODAY)
    proofs.add_proof(world.act("costs"), proofs.ProofRequest(company, *paper, receipts=(receipt.pk,)))
    free = book(world, Covers(receipts=(receipt.pk,)), "E-2")
    lines = {one.shipment_line.instalment.line_id for one in CustomsLine.objects.all()}
    assert free.duty == 0 and replayed(as_scenario(lines, {company})) == []


def test_goods_billed_ahead_and_after_with_an_advance_and_payments_replay(db):
    world = small_world()
    order = world.sent_order({"A": D(240), "C": D(900)})
    first, second = order.lines.order_by("number")

    def bill(number, *lines):
        head = (world.nz.pk, order.supplier_id, number, TODAY, "USD")
        return bills.book_bill(world.act("costs"), BillRequest(*head, lines, rate=D("1.61")))

    def paid(amount, rate, **of):
        parts = (paying.PartRequest(D(amount), **of),)
        return paying.pay(
            world.act("accounts"), paying.PayRequest(world.nz.pk, order.supplier_id, TODAY, "USD", parts, rate=D(rate))
        )

    paid("500.00", "1.55", order=order.pk)
    ahead = bill("S-1", BillLineRequest(order_line=first.pk, quantity=D(40), price=D("18.90")))
    paid("300.00", "1.71", bill=ahead)
    # All happens at one instant here; a file tells them in the order of their instants.
    for number, facts in enumerate((PurchaseOrder.objects, Payment.objects.filter(amount=500), Bill.objects), 1):
        name = "sent_at" if facts is PurchaseOrder.objects else "at"
        facts.update(**{name: NOW - timedelta(minutes=9 - number)})
    Payment.objects.filter(amount=300).update(at=NOW - timedelta(minutes=1))
    shipment = world.shipment([order])
    world.say(shipment, "departure")
    freight = BillLineRequest(D("33.33"), kind="freight", basis="weight")
    goods = [BillLineRequest(order_line=line.pk, quantity=D(units), price=line.pack_price + D("0.07"))
             for line, units in ((first, 150), (second, 700))]  # fmt: skip
    bill("S-2", *goods, freight)
    world.receive(shipment, {"A": D(238), "C": D(900)}, still_coming=False)
    last = bill("S-3", BillLineRequest(order_line=first.pk, quantity=D(50), price=D("18.00")))
    bills.reverse_bill(world.act("costs"), ReverseRequest(last, "not theirs"))
    credit = BillRequest(
        world.nz.pk, order.supplier_id, "CN-1", TODAY, "USD", (BillLineRequest(D("70.00"), order_line=first.pk),),
        rate=D("1.63"), kind="credit",
    )  # fmt: skip
    note = bills.book_bill(world.act("costs"), credit)
    parts = tuple(paying.PartRequest(D(amount), bill=key) for amount, key in (("100.00", ahead), ("60.00", note)))
    head = (world.nz.pk, order.supplier_id, TODAY, "USD")
    paying.pay(world.act("accounts"), paying.PayRequest(*head, parts, rate=D("1.73")))
    paying.pay(
        world.act("accounts"), paying.PayRequest(*head, (paying.PartRequest(D(10), bill=note),), bank=D("17.00"))
    )
    assert book_faults() == []
    assert replayed(as_scenario({first.pk}, {world.nz.pk})) == []


def test_parts_with_their_own_prices_and_goods_moved_to_another_site_replay(db):
    world = small_world()
    order = world.sent_order({"A": D(240)})
    line = OrderLine.objects.get(order=order)
    later = (PartRequest(Instalment.objects.get().pk, D(100), TODAY), PartRequest(None, D(140), TODAY))
    set_parts(world.act("buyer"), PartsRequest(line.pk, order.version, later))
    dearer = Instalment.objects.get(number=2)
    said = (AnswerRow(dearer.pk, D(140), dearer.asked_on, dearer.pack_price + D("0.35")),)
    record_answers(world.act("buyer"), AnswersRequest(order.pk, "", TODAY, said))
    decide_answer(world.act("buyer"), Decision(Answer.objects.get(outcome="open").pk, accept=True))
    shipment = world.shipment([order])
    world.say(shipment, "departure")
    world.say(shipment, "arrival")
    rows = tuple(ReceiveRow(part.pk, part.quantity) for part in ShipmentLine.objects.order_by("pk"))
    receive(world.act("dock"), ReceiveRequest(Container.objects.get().pk, world.site.pk, "DN-1", TODAY, rows, True))
    layer, dear = CostLayer.objects.order_by("pk")
    assert dear.total_cost / dear.received > layer.total_cost / layer.received
    other = Site.objects.create(company=world.nz, code="FAR", name="Far", port=world.site.port)
    there = Bin.objects.create(site=other, code="F-1", purpose="store")
    lies = OnHand.objects.get(layer=dear)
    move_goods(world.act("dock"), MoveRequest(dear.pk, lies.bin_id, "in_store", D(40), there.pk))
    taken = issue.IssueRequest(there.site_id, dear.item_id, D(15), "shops", TODAY)
    issue.issue_stock(world.act("dock"), taken)
    found = as_scenario({line.pk}, {world.nz.pk})
    assert [one["do"] for one in found["actions"]][-2:] == ["move", "issue"]
    assert [part["price"] for part in found["actions"][0]["lines"][0]["parts"]] == ["18.4", "18.75"]
    assert replayed(found) == []


def test_what_was_not_in_an_emptied_container_and_came_later_replays(db):
    world = small_world()
    world.sent_order({"A": D(240)})
    shipment = world.shipment([PurchaseOrder.objects.get()])
    world.say(shipment, "departure")
    world.charge(shipment, "freight", "240.00", "NZD", "value")
    world.receive(shipment, {"A": D(140)}, not_there=True)
    act = world.act("shipping", at=NOW + timedelta(hours=1))
    again = pack.create_shipment(act, pack.ShipmentRequest())
    box = pack.add_container(act, pack.ContainerRequest(again, CONTAINERS[1], "22G1"))
    pack.stow(act, pack.StowRequest(box, ((Instalment.objects.get().pk, D(100)),)))
    row = ReceiveRow(ShipmentLine.objects.latest("pk").pk, D(0), True, not_there=True)
    late = world.act("dock", at=NOW + timedelta(hours=2))
    receive(late, ReceiveRequest(box, world.site.pk, "DN-2", TODAY, (row,)))
    found = as_scenario({OrderLine.objects.get().pk}, {world.nz.pk})
    packed = [one["parts"][0]["quantity"] for one in found["actions"] if one["do"] == "ship"]
    assert packed == ["240", "100"]
    assert replayed(found) == []


def test_the_opening_of_a_unit_cost_replays(db, client):
    world = small_world()
    rows = f"company,site,item,quantity,value,received_on\nKLN,TRG,A,30,900.55,{TODAY}\n"
    open_stock(world.act("administrator"), FileRequest(rows.encode()))
    taken = issue.IssueRequest(world.site.pk, Item.objects.get(code="A").pk, D(7), "shops", TODAY)
    issue.issue_stock(world.act("dock"), taken)
    client.force_login(Person.objects.get(username="costs"))
    found = client.get(reverse("layer-scenario", args=[CostLayer.objects.get().pk])).json()
    assert found["expect"]["layers"][0]["value"] == "690.42"
    assert replayed(found) == []


def test_goods_of_a_company_one_does_not_see_are_not_told(world, client):
    orders = [world.sent_order({"A": D(240)}), world.sent_order({"C": D(90)}, company=world.au)]
    world.shipment(orders)
    client.force_login(Person.objects.get(username="costs"))
    Person.objects.get(username="costs").grants.exclude(company=world.nz).delete()
    line = OrderLine.objects.get(item__code="A")
    refused = client.get(reverse("line-scenario", args=[line.pk]), follow=True)
    assert b"a company that you do not see" in refused.content
    assert client.get(reverse("line-scenario", args=[OrderLine.objects.get(item__code="C").pk])).status_code == 404


@pytest.mark.parametrize("name", ["line", "bill", "layer"])
def test_what_is_not_there_is_not_there(world, client, name):
    client.force_login(Person.objects.get(username="costs"))
    assert client.get(reverse(f"{name}-scenario", args=[2**40])).status_code == 404


def test_the_file_is_small(world):
    much_happens(world)
    found = as_scenario({OrderLine.objects.first().pk}, {world.nz.pk})
    assert len(json.dumps(found)) < 12_000
