"""An entry is over any goods: some containers, several shipments, what came unpacked; each part is declared once."""

import pytest
from django.urls import reverse

from northing.actions.customs import entries, office
from northing.actions.customs.covers import Covers, covered, mark_of
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.actions.shipping import pack
from northing.actions.worklist.proof import move_faults
from northing.actions.worklist.receipts import refresh_receipts
from northing.core.problems import Refused
from northing.customs.models import CustomsEntry, CustomsLine, Release
from northing.ledger.models import Account, CostLayer
from northing.masterdata.models import Company, Party
from northing.orders.models import Instalment, PurchaseOrder
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from northing.shipping.models import Container, Shipment, ShipmentLine
from northing.worklist.models import Matter
from tests.across.test_worked_case import balance
from tests.worlds import CONTAINERS, TODAY, D


def in_two_boxes(world):
    """Ten of A in the first container of a shipment and twenty of C in the second; both landed."""
    Company.objects.update(receive_not_released="ask")
    world.order = world.sent_order({"A": D(10)})
    world.landed = world.shipment([world.order])
    other = world.sent_order({"C": D(20)})
    first = Container.objects.get()
    second = pack.add_container(world.act("shipping"), pack.ContainerRequest(world.landed.pk, CONTAINERS[1], "22G1"))
    part = Instalment.objects.get(line__order=other)
    pack.stow(world.act("shipping"), pack.StowRequest(second, ((part.pk, part.quantity),)))
    world.boxes = [first, Container.objects.get(pk=second)]
    world.say(world.landed, "departure")
    world.say(world.landed, "arrival")
    return world


@pytest.fixture
def two_boxes(world):
    return in_two_boxes(world)


def book(world, covers, number, **change):
    head = (covers, world.order.company_id, world.parties["customs"].pk, number, TODAY)
    key = entries.book_customs_entry(world.act("costs"), entries.EntryRequest(*head, **change))
    return CustomsEntry.objects.get(pk=key)


def of_box(world, place):
    return Covers(containers=(world.boxes[place].pk,))


def move(world):
    return Matter.objects.filter(kind="shipment", record=world.landed.pk).values_list("party", "reason").get()


def duties(entry):
    return {line.shipment_line.instalment.line.item.code: line.duty for line in entry.lines.all()}


def take(world, place):
    part = ShipmentLine.objects.get(container=world.boxes[place])
    row = ReceiveRow(part.pk, part.quantity)
    return receive(world.act("dock"), ReceiveRequest(part.container_id, world.site.pk, f"DN-{place}", TODAY, (row,)))


def test_each_container_has_an_entry_of_its_own(two_boxes):
    world = two_boxes
    whole = entries.declare(covered(Covers((world.landed.pk,)), world.order.company), world.order.company, TODAY)
    first = book(world, of_box(world, 0), "E-1")
    assert set(duties(first)) == {"A"} and move(world)[1] == "landed without a customs entry"
    with pytest.raises(Refused, match="has a customs entry for these goods already"):
        book(world, of_box(world, 0), "E-2")
    # The shipment as a whole is what no entry declares yet.
    rest = book(world, Covers((world.landed.pk,)), "E-2")
    assert set(duties(rest)) == {"C"} and first.duty + rest.duty == whole.sheet.duty
    assert move(world) == ("us", "declared: pay the customs office") and book_faults() == []
    with pytest.raises(Refused, match="has a customs entry for this shipment already"):
        book(world, Covers((world.landed.pk,)), "E-3")


def test_what_is_paid_and_released_is_the_entrys(two_boxes):
    world = two_boxes
    first, second = book(world, of_box(world, 0), "E-1"), book(world, of_box(world, 1), "E-2")
    office.pay_office(world.act("accounts"), office.PayOfficeRequest(first.pk, TODAY))
    assert balance(Account.CUSTOMS_PAYABLE) == -(second.duty + second.tax)
    office.release(world.act("costs"), office.ReleaseRequest(first.pk, TODAY))
    with pytest.raises(Refused, match="is not paid yet"):
        office.release(world.act("costs"), office.ReleaseRequest(second.pk, TODAY))
    with pytest.raises(Refused, match="has not released"):
        take(world, 1)
    assert take(world, 0) and move(world) == ("us", "declared: pay the customs office")
    office.pay_office(world.act("accounts"), office.PayOfficeRequest(second.pk, TODAY))
    assert move(world) == ("customs", "to release the goods")
    office.release(world.act("costs"), office.ReleaseRequest(second.pk, TODAY))
    assert move(world)[0] == "dock" and take(world, 1)
    assert move_faults() == [] and book_faults() == []


def test_a_correction_is_over_the_goods_of_the_old_entry(two_boxes):
    world = two_boxes
    first, second = book(world, of_box(world, 0), "E-1"), book(world, of_box(world, 1), "E-2")
    office.pay_office(world.act("accounts"), office.PayOfficeRequest(first.pk, TODAY))
    released = office.release(world.act("costs"), office.ReleaseRequest(first.pk, TODAY))
    again = book(world, Covers(), "E-3", corrects=first.pk, their_duty=(first.duty + 4,), reason="another value")
    assert duties(again) == {"A": first.duty + 4} and Release.objects.get().pk == released
    assert balance(Account.CUSTOMS_PAYABLE) == -(4 + second.duty + second.tax)
    # What was released stays so, whatever becomes of its entry.
    assert take(world, 0)
    office.pay_office(world.act("accounts"), office.PayOfficeRequest(again.pk, TODAY))
    with pytest.raises(Refused, match="released already"):
        office.release(world.act("costs"), office.ReleaseRequest(again.pk, TODAY))
    entries.reverse_customs_entry(world.act("costs"), ReverseRequest(again.pk, "withdrawn"))
    both = book(world, Covers((world.landed.pk,)), "E-4")
    assert set(duties(both)) == {"A"} and CustomsLine.objects.filter(stands=True).count() == 2
    assert book_faults() == [] and move_faults() == []


def test_a_payment_for_what_is_declared_in_two_parts_now_counts_once(two_boxes, signed_in):
    world = two_boxes
    whole = book(world, Covers((world.landed.pk,)), "E-1")
    office.pay_office(world.act("accounts"), office.PayOfficeRequest(whole.pk, TODAY))
    entries.reverse_customs_entry(world.act("costs"), ReverseRequest(whole.pk, "by container"))
    first = book(world, of_box(world, 0), "E-2")
    more = book(world, of_box(world, 1), "E-3", their_tax=D("0.00"), reason="free of tax")
    back = whole.duty + whole.tax - first.duty - first.tax - more.duty
    desk = signed_in("accounts")
    page = desk.get(reverse("customs", args=[world.landed.pk, world.order.company_id]))
    rows = {row.entry.number: (row.owed, row.pays) for row in page.context["rows"]}
    assert "Settled with another of these entries" in page.content.decode()
    assert rows == {"E-3": (-back, True), "E-2": (-back, False), "E-1": (-back, False)} and back > 0
    office.pay_office(world.act("accounts"), office.PayOfficeRequest(more.pk, TODAY))
    assert balance(Account.CUSTOMS_PAYABLE) == 0 and balance(Account.BANK) == -(first.duty + first.tax + more.duty)
    with pytest.raises(Refused, match="Nothing is open"):
        office.pay_office(world.act("accounts"), office.PayOfficeRequest(first.pk, TODAY))
    # Once it is settled, the parts go their own ways.
    again = book(world, Covers(), "E-4", corrects=more.pk, their_duty=(more.duty + 3,), their_tax=D(0), reason="more")
    assert office.release(world.act("costs"), office.ReleaseRequest(first.pk, TODAY))
    with pytest.raises(Refused, match="is not paid yet"):
        office.release(world.act("costs"), office.ReleaseRequest(again.pk, TODAY))
    assert book_faults() == [] and move_faults() == []


def test_one_entry_over_two_shipments(world):
    world.order = world.sent_order({"A": D(10)})
    other = world.sent_order({"A": D(30)})
    shipments = [world.shipment([world.order]), world.shipment([other], CONTAINERS[1])]
    keys = tuple(one.pk for one in shipments)
    world.say(shipments[0], "departure")
    with pytest.raises(Refused, match="has not departed"):
        book(world, Covers(keys), "E-1")
    world.say(shipments[1], "departure")
    made = book(world, Covers(keys), "E-1")
    assert set(made.shipments.values_list("pk", flat=True)) == set(keys) and made.lines.count() == 2
    for shipment in shipments:
        world.say(shipment, "arrival")
        assert Matter.objects.get(kind="shipment", record=shipment.pk).party == "dock"
    assert book_faults() == [] and move_faults() == []


def test_the_page_of_an_entry_over_two_shipments(world, signed_in):
    world.order = world.sent_order({"A": D(10)})
    shipments = [world.shipment([world.order]), world.shipment([world.sent_order({"A": D(30)})], CONTAINERS[1])]
    for one in shipments:
        world.say(one, "departure")
    made = book(world, Covers(tuple(one.pk for one in shipments)), "E-1")
    desk = signed_in("costs")
    page = desk.get(reverse("customs-entry", args=[made.pk])).content.decode()
    assert all(one.reference in page for one in shipments) and "Book in place of E-1" in page
    # From either shipment the entry is seen; what is undone leaves both to be declared.
    for one in shipments:
        assert ">E-1<" in desk.get(reverse("customs", args=[one.pk, world.order.company_id])).content.decode()
    entries.reverse_customs_entry(world.act("costs"), ReverseRequest(made.pk, "withdrawn"))
    assert all(
        one.reference in desk.get(reverse("customs-entry", args=[made.pk])).content.decode() for one in shipments
    )
    sheet = desk.get(reverse("shipment", args=[shipments[0].pk])).content.decode()
    assert "Book the customs" in sheet and book_faults() == []


def come_unpacked(world):
    """Ten of A came against the order, in no shipment of ours."""
    world.order = world.sent_order({"A": D(10)})
    row = ReceiveRow(None, D(10), True, instalment=Instalment.objects.get(line__order=world.order).pk)
    receive(world.act("dock"), ReceiveRequest(None, world.site.pk, "DN-9", TODAY, (row,)))
    return world


@pytest.fixture
def unpacked(world):
    return come_unpacked(world)


def test_goods_that_came_unpacked_bear_their_duty(unpacked):
    before = CostLayer.objects.get().value
    made = book(unpacked, Covers(receipts=(Receipt.objects.get().pk,)), "E-1")
    assert made.duty > 0 and not made.shipments.exists()
    assert CostLayer.objects.get().value == before + made.duty and book_faults() == []
    office.pay_office(unpacked.act("accounts"), office.PayOfficeRequest(made.pk, TODAY))
    assert balance(Account.CUSTOMS_PAYABLE) == 0
    entries.reverse_customs_entry(unpacked.act("costs"), ReverseRequest(made.pk, "not ours"))
    back = office.pay_office(unpacked.act("accounts"), office.PayOfficeRequest(made.pk, TODAY))
    assert CostLayer.objects.get().value == before and balance(Account.BANK) == 0 and back
    assert book_faults() == []


def test_goods_that_are_others_than_were_shown_are_refused(two_boxes):
    world = two_boxes
    shown = mark_of(covered(Covers((world.landed.pk,)), world.order.company))
    book(world, of_box(world, 0), "E-1")
    with pytest.raises(Refused, match="others by now"):
        book(world, Covers((world.landed.pk,)), "E-2", shown=shown)
    with pytest.raises(Refused, match="has no goods here"):
        book(world, Covers(containers=(10**9,)), "E-2")
    assert CustomsEntry.objects.count() == 1


def test_the_page_is_over_what_is_ticked(two_boxes, signed_in):
    world, desk = two_boxes, signed_in("costs")
    address = reverse("customs", args=[world.landed.pk, world.order.company_id])
    page = desk.get(address)
    assert [choice.picked for choice in page.context["choices"]] == [True, True]
    picked = f"{address}?covers=c{world.boxes[0].pk}&covers=x9&covers=c{'9' * 30}"
    page = desk.get(picked)
    assert [choice.picked for choice in page.context["choices"]].count(True) == 1
    assert [part.instalment.line.item.code for part in page.context["declared"].shipment_lines] == ["A"]
    sent = {"key": "k", "office": world.parties["customs"].pk, "number": "E-1", "day": str(TODAY)}
    shown = page.context["form"].initial["shown"]
    assert desk.post(picked, sent | {"shown": "other"}).status_code == 422
    assert desk.post(picked, sent | {"shown": shown}).status_code == 302
    # Now the page is over the rest; then over nothing until one of two is chosen.
    assert [part.instalment.line.item.code for part in desk.get(address).context["declared"].shipment_lines] == ["C"]
    assert desk.post(address, sent | {"key": "l", "number": "E-2"}).status_code == 302
    page = desk.get(address)
    assert page.context["declared"] is None and "Choose above" in page.content.decode()
    first = CustomsEntry.objects.get(number="E-1")
    one = reverse("customs-entry", args=[first.pk])
    assert one in page.content.decode() and "Book in place of E-1" in desk.get(one).content.decode()
    corrected = sent | {"key": "m", "number": "E-3", "corrects": first.pk}
    assert desk.post(one, corrected).url == reverse("shipment", args=[world.landed.pk])
    assert "undone" in desk.get(one).content.decode() and Shipment.objects.count() == 1


def test_the_page_of_what_came_unpacked(unpacked, signed_in):
    desk, receipt = signed_in("costs"), Receipt.objects.get()
    address = reverse("customs-unpacked", args=[receipt.pk])
    assert address in desk.get(reverse("receipt", args=[receipt.pk])).content.decode()
    page = desk.get(address)
    assert [choice.token for choice in page.context["choices"]] == [f"r{receipt.pk}"]
    sent = {"key": "k", "office": unpacked.parties["customs"].pk, "number": "E-1", "day": str(TODAY)}
    assert desk.post(address, sent).url == reverse("receipt", args=[receipt.pk])
    assert address not in desk.get(reverse("receipt", args=[receipt.pk])).content.decode()
    assert "Book in place of E-1" in desk.get(address).content.decode()
    entry = CustomsEntry.objects.get()
    page = desk.get(reverse("customs-entry", args=[entry.pk])).content.decode()
    assert f"receipt {receipt}" in page and reverse("receipt", args=[receipt.pk]) in page
    pay = desk.get(reverse("release-goods", args=[entry.pk])).content.decode()
    assert reverse("customs-entry", args=[entry.pk]) in pay
    corrected = sent | {"key": "l", "number": "E-2", "corrects": entry.pk}
    assert desk.post(reverse("customs-entry", args=[entry.pk]), corrected).url == reverse("receipt", args=[receipt.pk])
    assert "undone" in desk.get(reverse("customs-entry", args=[entry.pk])).content.decode()


def undeclared_receipts():
    return list(Matter.objects.filter(kind="receipt").values_list("party", "reason"))


def test_what_came_unpacked_from_abroad_waits_on_the_watch_until_it_is_declared(unpacked, signed_in):
    receipt, desk = Receipt.objects.get(), signed_in("costs")
    waits = [("us", "came unpacked from abroad: declare it")]
    assert undeclared_receipts() == waits and move_faults() == []
    shown = desk.get("/").content.decode()
    assert f"Receipt {receipt}" in shown and reverse("customs-unpacked", args=[receipt.pk]) in shown
    made = book(unpacked, Covers(receipts=(receipt.pk,)), "E-1")
    assert undeclared_receipts() == [] == move_faults()
    entries.reverse_customs_entry(unpacked.act("costs"), ReverseRequest(made.pk, "not ours"))
    assert undeclared_receipts() == waits
    reverse_receipt(unpacked.act("dock"), ReverseRequest(receipt.pk, "a slip"))
    assert undeclared_receipts() == [] == move_faults()


def test_what_the_seller_clears_or_is_from_home_waits_for_no_entry(unpacked):
    receipt = Receipt.objects.get().pk
    PurchaseOrder.objects.update(incoterm="DDP")
    refresh_receipts([receipt])
    assert undeclared_receipts() == []
    PurchaseOrder.objects.update(incoterm="FOB")
    Party.objects.filter(kind="supplier").update(country="NZ")
    refresh_receipts([receipt])
    assert undeclared_receipts() == []
