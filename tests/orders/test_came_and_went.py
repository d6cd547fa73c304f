"""Goods of an order and of a line that came and that went back, in one list."""

from django.urls import reverse

from northing.actions.claims.returns import ReturnRequest, return_goods
from northing.actions.quality.inspect import InspectRequest, inspect
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.claims.models import Claim
from northing.ledger.models import CostLayer
from northing.orders.models import Instalment
from northing.reports.came_and_went import came_and_went
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
