"""Openings: what comes in by file stands in positions and books, and the trade goes on from there."""

from datetime import timedelta
from decimal import Decimal as D

import pytest

from northing.actions.confirmations import answers
from northing.actions.masterdata import opening
from northing.actions.shipping import retract
from northing.activity.models import HistoryEntry
from northing.core.problems import Refused
from northing.ledger.models import Account, CostLayer
from northing.orders.models import Instalment, PurchaseOrder
from northing.positions.models import Position
from northing.shipping.models import DateStatement, Shipment, ShipmentLine
from northing.worklist.models import Matter
from tests.across.test_worked_case import balance
from tests.worlds import CONTAINERS, TODAY

LATER = TODAY + timedelta(days=60)
STOCK = dict(company="KLN", site="TRG", item="A", quantity="64", value="2560.00", received_on="2026-06-01")
ORDER = dict(
    order="OLD-7",
    company="KLN",
    supplier="SUSD",
    site="TRG",
    incoterm="FOB",
    ours_from="on_board",
    need_by=str(LATER),
    item="A",
    quantity="240",
    price="18.40",
)
AFLOAT = ORDER | dict(
    shipment="OLD-S1",
    container=CONTAINERS[0],
    departed_on="2026-11-10",
    dock_on="2026-12-20",
    value="7251.07",
    billed="no",
)


def bring(world, action, *rows, who="administrator"):
    """The rows as a CSV file, brought in by a person."""
    columns = list(dict.fromkeys(name for row in rows for name in row))
    lines = [",".join(columns)] + [",".join(row.get(name, "") for name in columns) for row in rows]
    return action(world.act(who), opening.FileRequest("\n".join(lines).encode()))


def test_stock_comes_in_as_layers_against_the_opening_balance(world):
    assert bring(world, opening.open_stock, STOCK, STOCK | {"item": "C", "value": "10"}) == 2
    layers = {layer.item.code: (layer.remaining, layer.value) for layer in CostLayer.objects.all()}
    assert layers == {"A": (64, 2560), "C": (64, 10)}
    assert (balance(Account.STOCK), balance(Account.OPENING)) == (2570, -2570)


def test_open_orders_are_supply_and_can_be_answered_packed_and_received(world):
    second = ORDER | {"item": "C", "quantity": "900", "price": "1.07", "ready_on": "2026-12-01"}
    assert bring(world, opening.open_orders, ORDER, second) == 2
    order = PurchaseOrder.objects.get()
    assert (order.number, order.revision, order.revisions.get().content["lines"][1]["item"]) == ("OLD-7", 1, "C")
    first, agreed = Instalment.objects.order_by("pk")
    assert (first.agreed_quantity, agreed.agreed_quantity, str(agreed.promise)) == (0, 900, "2026-12-01")
    assert Position.objects.get(pk=first.pk).with_supplier == 240
    assert Matter.objects.filter(kind="instalment", party="supplier").count() == 2
    row = answers.AnswerRow(first.pk, D(240), first.asked_on, first.pack_price)
    answers.record_answers(world.act("expediter"), answers.AnswersRequest(order.pk, "R", TODAY, (row,)))
    shipment = world.shipment([order])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(240), "C": D(900)})
    assert balance(Account.STOCK) == D("7251.07") + D("1581.25")


@pytest.mark.parametrize(("billed", "owed"), [("no", D("-7251.07")), ("yes", D(0))])
def test_goods_afloat_are_owned_at_the_value_of_the_file(world, billed, owed):
    bring(world, opening.open_afloat, AFLOAT | {"billed": billed})
    shipment, part = Shipment.objects.get(), ShipmentLine.objects.get()
    assert (part.place, str(part.ours_on), part.goods_base, part.goods_rate) == (
        "under_way",
        "2026-11-10",
        D("7251.07"),
        D("1.6419995471"),
    )
    assert str(shipment.expected_dock) == "2026-12-20" and str(part.instalment.expected_on) == "2026-12-20"
    assert balance(Account.OWNED_AFLOAT) == D("7251.07")
    assert balance(Account.OWNED_NOT_BILLED) == owed
    world.say(shipment, "arrival")
    world.receive(shipment, {"A": D(240)})
    assert (balance(Account.STOCK), balance(Account.OWNED_AFLOAT)) == (D("7251.07"), 0)


def test_goods_brought_in_afloat_keep_their_value_and_stay_afloat(world):
    bring(world, opening.open_afloat, AFLOAT)
    shipment = Shipment.objects.get()
    first = DateStatement.objects.get()
    world.say(shipment, "departure", first.value - timedelta(days=1))
    shipment.refresh_from_db()
    assert shipment.departed_on == first.value - timedelta(days=1)
    assert ShipmentLine.objects.get().goods_base == balance(Account.OWNED_AFLOAT) == D("7251.07")
    retract.take_back(world.act("shipping"), retract.TakeBackRequest(DateStatement.objects.latest("pk").pk))
    with pytest.raises(Refused, match="was brought in as goods afloat"):
        retract.take_back(world.act("shipping"), retract.TakeBackRequest(first.pk))
    assert ShipmentLine.objects.get().place == "under_way"


def test_goods_afloat_that_are_ours_from_receipt_have_no_value_yet(world):
    mine = {"ours_from": "receipt", "value": "", "billed": ""}
    bring(world, opening.open_afloat, AFLOAT | mine)
    assert balance(Account.OWNED_AFLOAT) == 0
    world.receive(Shipment.objects.get(), {"A": D(240)})
    assert balance(Account.STOCK) == D("7251.07")


@pytest.mark.parametrize(
    ("action", "row", "words"),
    [
        (opening.open_stock, STOCK | {"item": "NOPE"}, "Row 2: There is no item with the code or GTIN 'NOPE'"),
        (opening.open_stock, STOCK | {"company": "XXX"}, "Row 2, company: there is no company 'XXX'"),
        (opening.open_stock, STOCK | {"site": "MEL"}, "Row 2, site: KLN has no site 'MEL'"),
        (opening.open_stock, STOCK | {"quantity": "0"}, "Row 2, quantity: must be above 0"),
        (opening.open_stock, STOCK | {"quantity": "1.5"}, "Row 2, quantity: must be above 0"),
        (opening.open_stock, STOCK | {"quantity": "1e3"}, "Row 2, quantity: '1e3' is not a number"),
        (opening.open_stock, STOCK | {"quantity": "1000000000"}, "at most 999999999"),
        (opening.open_stock, STOCK | {"value": "-1"}, "Row 2, value: must be an amount in NZD, not negative"),
        (opening.open_stock, STOCK | {"value": "1.001"}, "Row 2, value: must be an amount in NZD"),
        (opening.open_stock, STOCK | {"value": ""}, "Row 2, value: is empty"),
        (opening.open_stock, STOCK | {"received_on": "01/06/2026"}, "is not a day like 2026-11-24"),
        (opening.open_stock, STOCK | {"received_on": "2027-01-01"}, "has not come yet"),
        (opening.open_stock, STOCK | {"received_on": "0202-01-01"}, "Row 2, received_on: year 202 is not plausible"),
        (opening.open_stock, STOCK | {"lot": "L" * 41}, "Row 2, lot: is not a text of at most 40 characters"),
        (opening.open_orders, ORDER | {"supplier": "FWD"}, "Row 2, supplier: there is no supplier 'FWD'"),
        (opening.open_orders, ORDER | {"incoterm": "XYZ"}, "Row 2, incoterm: is one of EXW, FCA"),
        (opening.open_orders, ORDER | {"ours_from": "soon"}, "Row 2, ours_from: is one of pickup, on_board"),
        (opening.open_orders, ORDER | {"price": "-1"}, "Row 2, price: must not be negative"),
        (opening.open_orders, ORDER | {"price": "999999999999999"}, "nor the amount above"),
        (opening.open_orders, ORDER | {"order": "N" * 25}, "Row 2, order: is not a text of at most 24"),
        (opening.open_afloat, AFLOAT | {"container": "ABC"}, "Row 2: 'ABC' is not a container number"),
        (opening.open_afloat, AFLOAT | {"departed_on": "2027-01-01"}, "has not come yet"),
        (opening.open_afloat, AFLOAT | {"dock_on": "2026-11-01"}, "must not be before departed_on"),
        (opening.open_afloat, AFLOAT | {"value": ""}, "Row 2, value: is empty"),
        (opening.open_afloat, AFLOAT | {"ours_from": "arrival"}, "must be empty: these goods are ours only from"),
    ],
)
def test_a_wrong_row_is_named_and_nothing_of_the_file_is_taken(world, action, row, words):
    with pytest.raises(Refused) as caught:
        bring(world, action, row)
    assert words in str(caught.value)
    assert not HistoryEntry.objects.exists() and not PurchaseOrder.objects.exists() and not CostLayer.objects.exists()


def test_all_wrong_rows_are_named_at_once(world):
    with pytest.raises(Refused) as caught:
        bring(world, opening.open_stock, STOCK, STOCK | {"item": "X"}, STOCK | {"value": "y"})
    assert [problem.what[:5] for problem in caught.value.problems] == ["Row 3", "Row 4"]


def test_rows_of_one_order_and_one_shipment_must_agree(world):
    other = ORDER | {"supplier": "SEUR", "item": "B"}
    with pytest.raises(Refused, match="Row 3, order: OLD-7 stands above with another supplier"):
        bring(world, opening.open_orders, ORDER, other)
    with pytest.raises(Refused, match="Row 3, departed_on: OLD-S1 stands above with other dates"):
        bring(world, opening.open_afloat, AFLOAT, AFLOAT | {"item": "C", "dock_on": "2026-12-21"})


def test_a_file_is_taken_once_and_only_by_an_administrator(world):
    bring(world, opening.open_orders, ORDER)
    with pytest.raises(Refused, match="OLD-7 is there already"):
        bring(world, opening.open_orders, ORDER)
    with pytest.raises(Refused, match="may not bring in opening balances"):
        bring(world, opening.open_stock, STOCK, who="dock")


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "is empty"),
        (b"a,b\n1,2\n", "lacks the columns company"),
        (",".join(STOCK).encode(), "no rows below its header"),
        ("compañy".encode("latin-1"), "not UTF-8"),
        (b'"' + b"x" * 200_000, "not a CSV table"),
    ],
)
def test_files_that_are_no_such_table(world, content, words):
    with pytest.raises(Refused, match=words):
        opening.open_stock(world.act("administrator"), opening.FileRequest(content))
