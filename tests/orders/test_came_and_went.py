"""Goods of an order and of a line that came and that went back, in one list."""

from django.urls import reverse

from northing.actions.billing import bills
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.claims import ways
from northing.actions.claims.returns import ReturnRequest, return_goods
from northing.actions.claims.set_aside import SetAsideRequest, set_aside
from northing.actions.quality.inspect import InspectRequest, inspect
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.claims.models import Claim
from northing.ledger.models import CostLayer
from northing.orders.models import Instalment
from northing.reports.came_and_went import came_and_went
from tests.billing.test_goods import bill_of, line_of
from tests.worlds import TODAY, D


def take(world, order, note, **units):
    rows = tuple(
        ReceiveRow(
            None, D(many), True, lot, instalment=Instalment.objects.get(line__order=order, line__item__code=code).pk
        )
        for code, lots in units.items()
        for lot, many in lots.items()
    )
    return receive(world.act("dock"), ReceiveRequest(None, world.site.pk, note, TODAY, rows))


def test_receipts_and_returns_stand_in_one_list(world, signed_in):
    world.items["A"].inspected = True
    world.items["A"].save()
    order = world.sent_order({"A": D(20), "C": D(5)}, ours_from="receipt")
    other = world.sent_order({"C": D(9)}, ours_from="receipt")
    first = take(world, order, "DN-1", A={"L1": 4, "L2": 6}, C={"": 5})
    take(world, other, "DN-2", C={"": 9})
    second = take(world, order, "DN-3", A={"L1": 1})
    reverse_receipt(world.act("dock"), ReverseRequest(second, "twice"))
    layer = CostLayer.objects.get(receipt_line__receipt=first, lot="L2")
    inspect(world.act("inspector"), InspectRequest(layer.pk, D(3), D(3), "dents", TODAY))
    case = Claim.objects.get()
    return_goods(world.act("inspector"), ReturnRequest(case.pk, D(2), "RA-7", TODAY))
    told = [(one.kind, one.record, one.line, one.units, one.reversed) for one in came_and_went(0, 9, order=order.pk)]
    assert sorted(told) == [
        ("case", case.pk, 1, 2, False),
        ("receipt", first, 1, 10, False),
        ("receipt", first, 2, 5, False),
        ("receipt", second, 1, 1, True),
    ]
    line = order.lines.get(item__code="A")
    assert [one.units for one in came_and_went(0, 9, line=line.pk)].count(5) == 0
    for name, key in (("order", order.pk), ("line", line.pk)):
        page = signed_in("expediter").get(reverse(name, args=[key]))
        text = page.content.decode()
        assert "RA-7" in text and "DN-3" in text and "DN-2" not in text
        assert reverse("case", args=[case.pk]) in text and reverse("receipt", args=[first]) in text


def test_bills_credits_and_ends_stand_in_the_same_list(world):
    order = world.sent_order({"A": D(20)}, ours_from="receipt")
    take(world, order, "DN-1", A={"": 20})
    bills.book_bill(world.act("costs"), bill_of(order, line_of(order, "20")))
    layer = CostLayer.objects.get()
    case = set_aside(world.act("inspector"), SetAsideRequest(layer.pk, D(5), "dents", TODAY))
    return_goods(world.act("inspector"), ReturnRequest(case, D(2), "RA-7", TODAY))
    ways.rework(world.act("inspector"), ways.EndRequest(case, D(3), "beaten out", TODAY))
    head = (order.company_id, order.supplier_id, "CN-1", TODAY, order.currency)
    lines = (BillLineRequest(D("36.80"), case=case), BillLineRequest(D("4.00"), order_line=order.lines.get().pk))
    bills.book_bill(world.act("costs"), BillRequest(*head, lines, kind="credit"))
    told = {(one.words, one.units, one.amount) for one in came_and_went(0, 20, order=order.pk)}
    assert told == {
        ("received", 20, 0), ("billed", 20, D("368.00")), ("went back", 2, 0), ("reworked", 3, 0),
        ("credited", 0, D("36.80")), ("credited", 0, D("4.00")),
    }  # fmt: skip
    assert len(came_and_went(0, 20, line=order.lines.get().pk)) == 6 and len(came_and_went(2, 4, order=order.pk)) == 2
