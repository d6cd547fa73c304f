"""Scans at the dock: what they are laid upon, pallets and their numbers, and labels that a scanner reads back."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import timedelta

import pytest
import zxingcpp
from django.db import connection, connections, transaction
from django.db.models import Sum
from django.test.utils import CaptureQueriesContext
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.receiving.scans import Context, Goods, Part, Scanned, _upon, goods_of, rows_of
from northing.core.problems import Refused
from northing.drawings.barcodes import code_128, gs1_128
from northing.formats.gs1 import read_scan
from northing.formats.identifiers import sscc_number
from northing.inventory.models import SerialNumber
from northing.masterdata.models import Agreement, Company, Item, Pack
from northing.orders.models import Instalment
from northing.receiving.models import Receipt, ReceiptLine
from tests.labels import drawn
from tests.worlds import TODAY, D, small_world

GTIN, SSCC = "09521000000001", "106141412345678908"


@pytest.fixture
def ready(world):
    """An order of twenty of A and five of C, a GTIN for six of A, and a prefix."""
    world.order = world.sent_order({"A": D(20), "C": D(5)}, ours_from="receipt")
    Pack.objects.create(item=world.items["A"], name="carton", factor=6, gtin=GTIN)
    Company.objects.filter(pk=world.nz.pk).update(gs1_prefix="9521000")
    world.site.company.refresh_from_db()
    world.where = Context(world.site, order=world.order.pk, supplier=world.parties["USD"].pk)
    return world


def rows(world, *scans, where=None):
    scanned = [one if isinstance(one, Scanned) else Scanned(one) for one in scans]
    goods, bin = goods_of(scanned, where or world.where)
    return rows_of(goods, where or world.where, bin)


def part(world, code):
    return Instalment.objects.get(line__order=world.order, line__item__code=code).pk


def take(world, found, note="DN-1", who="dock"):
    head = (None, world.site.pk, note, TODAY, tuple(replace(row, still_coming=True) for row in found))
    return receive(world.act(who), ReceiveRequest(*head, supplier=world.where.supplier, reason="x"))


def test_pieces_add_up_and_pallets_stay_apart(ready):
    found = rows(ready, "A", "a", GTIN, Scanned(f"(01){GTIN}(37)1(10)L1", 2))
    assert [(row.instalment, row.quantity, row.lot, row.pallet) for row in found] == [
        (part(ready, "A"), D(8), "", None),
        (part(ready, "A"), D(6), "L1", 4),
        (part(ready, "A"), D(6), "L1", 5),
    ]


def test_a_bin_holds_what_is_scanned_and_the_suppliers_code_is_known(ready):
    price = {"price": 1, "currency": "USD", "valid_from": TODAY}
    Agreement.objects.create(supplier=ready.parties["USD"], item=ready.items["C"], supplier_code="Q/9", **price)
    bin = ready.site.bins.filter(purpose="store").last()
    (row,) = rows(ready, bin.code.lower(), "q/9")
    assert (row.instalment, row.bin) == (part(ready, "C"), bin.pk)


def test_what_is_not_ordered_there_belongs_to_no_order(ready):
    (row,) = rows(ready, "B")
    assert (row.item, row.instalment) == (ready.items["B"].pk, None)
    alone = Context(ready.site, supplier=ready.parties["USD"].pk)
    assert rows(ready, "A", where=alone)[0].item == ready.items["A"].pk


@pytest.mark.parametrize(
    ("scans", "wrong"),
    [
        ([f"(00){SSCC}(02){GTIN}(37)1"] * 2, f"Pallet {SSCC} was scanned twice."),
        ([Scanned(f"(00){SSCC}(02){GTIN}(37)1", 2)], f"Pallet {SSCC} was scanned twice."),
        ([Scanned("A", 1000)], "A scan stands for 1 to 999 pallets."),
        ([f"(00){SSCC}"], f"No despatch notice names pallet {SSCC} here."),
        (["(15)271130"], "This code says no goods."),
        (["09521000000094"], "GTIN 09521000000094 is not known."),
        (["zzz"], "“zzz” is no item, bin or pallet that is known here."),
    ],
)
def test_scans_that_say_nothing_here(ready, scans, wrong):
    with pytest.raises(Refused) as refused:
        rows(ready, *scans)
    assert [problem.what for problem in refused.value.problems] == [wrong]


def test_a_pallet_is_received_once_by_whom_and_when(ready):
    said = f"(00){SSCC}(02){GTIN}(37)1"
    first = Receipt.objects.get(pk=take(ready, rows(ready, said)))
    with pytest.raises(Refused) as refused:
        take(ready, rows(ready, said), "DN-2")
    assert [str(problem) for problem in refused.value.problems] == [
        f"Pallet {SSCC} was received before: {first} of {TODAY:%-d %b %Y}, by {first.received_by}."
        " Leave it out, or look at that receipt."
    ]


def test_pallets_get_numbers_of_ours_that_are_never_given_twice(ready):
    take(ready, rows(ready, Scanned(f"(01){GTIN}(37)1", 9), where=Context(ready.site, supplier=ready.where.supplier)))
    first = [sscc_number(line.sscc) for line in ReceiptLine.objects.order_by("pk")]
    assert first[0] == "095210000000000018" and len(set(first)) == 9
    Company.objects.filter(pk=ready.nz.pk).update(gs1_prefix="")
    ready.site.company.refresh_from_db()
    with pytest.raises(Refused) as refused:
        take(ready, [ReceiveRow(None, D(1), item=ready.items["A"].pk, pallet=1)], "DN-2")
    assert refused.value.problems[0].where == "pallets"


def test_a_prefix_that_is_used_up_says_so(ready):
    Company.objects.filter(pk=ready.nz.pk).update(gs1_prefix="952100000000", last_sscc=99_998)
    ready.site.company.refresh_from_db()
    take(ready, [ReceiveRow(None, D(1), item=ready.items["A"].pk, pallet=1)])
    assert ReceiptLine.objects.get().sscc.startswith("995210000000099999"[:17])
    with pytest.raises(Refused) as refused:
        take(ready, [ReceiveRow(None, D(1), item=ready.items["A"].pk, pallet=1)], "DN-2")
    assert "has used up the SSCCs" in refused.value.problems[0].what


def test_goods_that_keep_too_short_are_asked_about(ready):
    type(ready.items["A"]).objects.update(least_days=90)
    soon = f"{TODAY + timedelta(days=30):%y%m%d}"
    with pytest.raises(Refused) as refused:
        take(ready, rows(ready, f"(01){GTIN}(15){soon}(37)1"))
    assert [(one.strength, one.where[:4]) for one in refused.value.problems] == [("ask", "best")]


@pytest.mark.django_db(transaction=True)
def test_eight_docks_at_once_give_each_pallet_its_own_number():
    world = small_world()
    Company.objects.filter(pk=world.nz.pk).update(gs1_prefix="9521000")

    def dock(number):
        rows = tuple(ReceiveRow(None, D(1), item=world.items["A"].pk, pallet=place) for place in range(4))
        head = (None, world.site.pk, f"DN-{number}", TODAY, rows)
        try:
            receive(world.act("dock"), ReceiveRequest(*head, supplier=world.parties["USD"].pk, reason="x"))
        finally:
            connections.close_all()

    world.site.company.refresh_from_db()
    with ThreadPoolExecutor(4) as hands:
        list(hands.map(dock, range(8)))
    numbers = list(ReceiptLine.objects.values_list("sscc", flat=True))
    assert len(numbers) == 32 == len(set(numbers)) and connection.in_atomic_block is False


def test_a_label_is_read_back_by_another_decoder():
    elements = [("02", GTIN), ("15", "271130"), ("37", "6"), ("10", "L7")]
    (found,) = zxingcpp.read_barcodes(drawn(gs1_128(elements)))
    assert found.text == f"(02){GTIN}(15)271130(37)6(10)L7"
    (raw,) = zxingcpp.read_barcodes(drawn(gs1_128(elements)), text_mode=zxingcpp.TextMode.Plain)
    assert (read_scan(f"]C1{raw.text}").count, read_scan(found.text).lot) == (D(6), "L7")
    assert [one.text for one in zxingcpp.read_barcodes(drawn(code_128("A-01")))] == ["A-01"]


@given(st.lists(st.tuples(st.sampled_from([1, 2, 7]), st.sampled_from([1, 3])), min_size=1, max_size=8))
def test_no_unit_is_lost_whatever_is_scanned(scans):
    """Units of rows are those that the labels say, whatever is open."""
    item = Item(pk=1, code="A")
    parts = [Part(1, D(4), 1, instalment=1), Part(1, D(3), 1, instalment=2)]
    laid = [one for units, times in scans for _ in range(times) for one in _upon(parts, Goods(item, D(units)))]
    assert sum(units for _, units in laid) == sum(units * times for units, times in scans)
    assert all(units > 0 for _, units in laid)


def test_goods_that_carry_none_get_lots_and_serial_numbers_of_ours(ready):
    type(ready.items["A"]).objects.filter(code="A").update(keeps_lot=True, keeps_serial=True)
    said = {"still_coming": True, "lot": "=", "serials": ("=",), "instalment": part(ready, "A")}
    take(ready, [ReceiveRow(None, D(2), **said), ReceiveRow(None, D(1), **said)])
    take(ready, [ReceiveRow(None, D(1), item=ready.items["A"].pk, lot="=", serials=("=",))], "DN-2")
    numbers = SerialNumber.objects.order_by("number").values_list("number", "layer__lot")
    day = f"{TODAY:%y%m%d}"
    assert list(numbers) == [
        ("A-000001", f"{day}-DN-1"),
        ("A-000002", f"{day}-DN-1"),
        ("A-000003", f"{day}-DN-1"),
        ("A-000004", f"{day}-DN-2"),
    ]


@pytest.mark.parametrize(
    ("serials", "wrong"),
    [
        (("K1",), "A keeps serial numbers: 1 of 2 are said."),
        (("K1", "K1"), "Serial number K1 is there twice."),
        (("K1", "K 2"), "A serial number has 1 to 40 characters and no spaces."),
        (("K1", "K" * 41), "A serial number has 1 to 40 characters and no spaces."),
    ],
)
def test_serial_numbers_that_cannot_be(ready, serials, wrong):
    type(ready.items["A"]).objects.filter(code="A").update(keeps_serial=True)
    with pytest.raises(Refused) as refused:
        take(ready, [ReceiveRow(None, D(2), instalment=part(ready, "A"), serials=serials)])
    assert [problem.what for problem in refused.value.problems] == [wrong]


def test_many_scans_ask_the_database_as_often_as_one(ready, django_assert_num_queries):
    few = [Scanned(f"(01){GTIN}(37)1"), Scanned("A"), Scanned(ready.site.bins.first().code)]
    with CaptureQueriesContext(connection) as asked:
        goods_of(few, ready.where)
    with django_assert_num_queries(len(asked)):
        goods_of(few * 60, ready.where)


LABELS = (
    f"(00){SSCC}(02){GTIN}(37)2(10)L1",
    f"(01){GTIN}(37)1(10)L2",
    f"(01){GTIN}(37)1(10)L2",
    "A",
    "A",
    GTIN,
    "C",
    "B",
)


def came(receipt):
    """What a receipt says of each item and lot, and of the pallet that had a number."""
    found = ReceiptLine.objects.filter(receipt=receipt)
    of = found.order_by().values_list("item__code", "lot", "why").annotate(units=Sum("quantity"))
    return sorted(of), sorted(found.filter(sscc=SSCC).values_list("quantity", flat=True))


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(order=st.permutations(LABELS), cuts=st.lists(st.booleans(), max_size=5))
def test_scans_in_any_order_and_with_any_cuts_give_the_same_receipt(ready, order, cuts):
    """A cut loses the answer: the phone sends the same receipt again, under its key. Or it loses the request."""
    with transaction.atomic():
        ready.order = ready.sent_order({"A": D(40), "C": D(5)})
        where, head = replace(ready.where, order=ready.order.pk), (None, ready.site.pk, "DN-1", TODAY)
        found = tuple(replace(row, still_coming=True) for row in rows(ready, *order, where=where))
        asked = ReceiveRequest(*head, found, supplier=ready.where.supplier, reason="x")
        made = {receive(ready.act("dock", "phone"), asked) for reached in [*cuts, True] if reached}
        assert len(made) == 1 and Receipt.objects.count() == 1
        units = [("A", "", "", D(8)), ("A", "L1", "", D(12)), ("B", "", "other item", D(1)), ("C", "", "", D(1))]
        whole = came(made.pop())
        assert sorted([*units, ("A", "L2", "", D(12))]) == whole[0] and whole[1] == [12]
        transaction.set_rollback(True)
