"""Receipts of a contract warehouse: beside what is expected, taken once, and everything wrong with them in words."""

from dataclasses import replace

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from northing.actions.receiving import told
from northing.actions.worklist.proof import move_faults
from northing.core.problems import KeyReused, NotAllowed, Refused
from northing.formats.told_receipts import Told, ToldLine
from northing.inventory.models import OnHand
from northing.masterdata.models import Item, Pack
from northing.receiving.models import Receipt, ReceiptLine, ToldReceipt
from northing.reports.book_proof import book_faults
from northing.reports.proofs import position_faults
from tests.worlds import CONTAINERS, TODAY, D


@pytest.fixture
def ready(world):
    """Twenty of A and five of C ordered of the dollar supplier, and thirty of A in a container."""
    world.order = world.sent_order({"A": D(20), "C": D(5)}, ours_from="receipt")
    world.packed = world.sent_order({"A": D(30)}, ours_from="receipt")
    world.cargo = world.shipment([world.packed])
    return world


def row(quantity, order=None, item="", **more):
    return ToldLine(1, order.number if order else "", more.pop("line", ""), item, D(quantity), **more)


def read(world, *rows, who="dock", key="", **more):
    lines = tuple(replace(one, number=place) for place, one in enumerate(rows, 2))
    said = replace(Told("W-1", TODAY, "", lines), **more)
    return told.read_told(world.act(who, key), told.ToldRequest(world.site.pk, said))


def take(world, key, who="dock", **more):
    return told.take_told(world.act(who), told.TakeTold(key, **more))


def judged(key, rest=""):
    found = told.judge(ToldReceipt.objects.get(pk=key), rest)
    return [(one.state, "; ".join(one.says)) for one in found]


def came(receipts):
    lines = ReceiptLine.objects.filter(receipt__in=receipts).order_by("pk")
    return [(one.item.code, one.quantity, one.lot, one.why, one.condition, one.receipt.delivery_note) for one in lines]


def test_rows_of_an_order_a_container_and_none_become_receipts(ready):
    box = ready.cargo.containers.get().number
    key = read(
        ready,
        row(12, ready.order, line="1", lot="L1", note="DN-1"),
        row(8, ready.order, item="a", lot="L2", note="DN-1", condition="damaged"),
        row(5, ready.order, item="C", note="DN-1", bin=ready.site.bins.filter(purpose="store").last().code),
        row(30, item="A", container=box, note="DN-2"),
        row(4, item="B", supplier="seur", note="DN-3"),
    )
    assert judged(key) == [
        ("matches", ""),
        ("differs", "damaged, held apart"),
        ("matches", ""),
        ("matches", ""),
        ("differs", "not ordered here: it is held, and belongs to no order"),
    ]
    assert all(not one.short for one in told.judge(ToldReceipt.objects.get()))
    made = take(ready, key, accept=True, reason="by telephone")
    assert came(made) == [
        ("A", 12, "L1", "", "", "DN-1"),
        ("A", 8, "L2", "", "damaged", "DN-1"),
        ("C", 5, "", "", "", "DN-1"),
        ("A", 30, "", "", "", "DN-2"),
        ("B", 4, "", "unordered", "", "DN-3"),
    ]
    assert ToldReceipt.objects.get().receipts.count() == 3 == len(made)
    assert (book_faults(), position_faults(), move_faults()) == ([], [], [])
    with pytest.raises(Refused, match="is taken already"):
        take(ready, key)


def test_what_is_short_is_asked_once_or_said_by_the_row(ready):
    key = read(ready, row(12, ready.order, line="1"), row(3, ready.order, item="C", rest="no more"))
    assert judged(key) == [("differs", "8 short"), ("differs", "2 short, no more comes")]
    with pytest.raises(Refused) as refused:
        take(ready, key)
    (asked,) = refused.value.problems
    assert (asked.what, asked.where, asked.strength) == ("Row 2: 8 are short.", "rest", "ask")
    assert not Receipt.objects.exists()
    take(ready, key, rest="coming")
    first, second = ReceiptLine.objects.order_by("pk")
    assert (first.quantity, first.dropped, second.quantity, second.dropped) == (12, 0, 3, 2)


def test_a_line_under_two_notes_is_not_short_before_the_second(ready):
    key = read(ready, row(12, ready.order, line="1", note="DN-1"), row(6, ready.order, line="1", note="DN-2"))
    assert judged(key) == [("matches", ""), ("differs", "2 short")]
    take(ready, key, rest="no more")
    lines = ReceiptLine.objects.order_by("pk").values_list("receipt__delivery_note", "quantity", "dropped")
    assert list(lines) == [("DN-1", 12, 0), ("DN-2", 6, 2)]
    assert (book_faults(), position_faults()) == ([], [])


def test_nothing_that_came_is_said_of_all_that_is_open(ready):
    take(ready, read(ready, row(0, ready.order, line="1", rest="no more"), row(5, ready.order, line="2")))
    lines = ReceiptLine.objects.order_by("pk").values_list("quantity", "dropped")
    assert list(lines) == [(0, 20), (5, 0)]


def test_more_than_allowed_is_held_for_the_buyer(ready):
    key = read(ready, row(26, ready.order, line="1"))
    assert judged(key) == [("differs", "6 more than are expected")]
    take(ready, key)
    assert [(line.quantity, line.why) for line in ReceiptLine.objects.order_by("pk")] == [(20, ""), (6, "excess")]
    assert set(OnHand.objects.values_list("bin__purpose", "status")) == {("store", "in_store"), ("quarantine", "held")}


def test_items_are_known_by_code_gtin_and_the_suppliers_own_code(ready):
    Pack.objects.create(item=ready.items["C"], name="carton", factor=6, gtin="09521000000001")
    key = read(ready, row(5, ready.order, item="9521000000001"), row(1, item="9521000000001", supplier="SUSD"))
    assert [state for state, _ in judged(key)] == ["matches", "differs"]


def test_rows_that_name_nothing_we_know(ready):
    key = read(
        ready,
        row(1, item="A", order=None, container="QXNU9999999"),
        row(1, ready.order, line="9"),
        row(1, item="NOPE", supplier="SUSD"),
        row(1, item="A", supplier="WHO"),
        row(1, ready.order, line="1", bin="X-1"),
        row(20, ready.order, line="1"),
        replace(row(1, item="A"), order="KLN-77777"),
    )
    assert judged(key) == [
        ("wrong", "no container QXNU9999999 holds goods of Test NZ"),
        ("wrong", f"{ready.order.number} has no line 9"),
        ("wrong", "NOPE is no item that is known"),
        ("wrong", "WHO is no supplier"),
        ("wrong", f"X-1 is no bin of {ready.site}"),
        ("matches", ""),
        ("wrong", "Test NZ has no sent order KLN-77777"),
    ]
    with pytest.raises(Refused) as refused:
        take(ready, key)
    assert len(refused.value.problems) == 6 and "Row 2: no container" in refused.value.problems[0].what
    take(ready, key, leave_out=True)
    assert ReceiptLine.objects.get().quantity == 20


def test_what_an_item_must_keep_is_asked_by_row(ready):
    Item.objects.filter(code="A").update(keeps_lot=True)
    key = read(ready, row(20, ready.order, line="1"))
    with pytest.raises(Refused) as refused:
        take(ready, key)
    assert refused.value.problems[0].what == "Row 2: A keeps lots: the lot is missing."
    assert ToldReceipt.objects.get().state == "shown"


def test_a_number_comes_once_until_it_is_dropped(ready):
    key = read(ready, row(1, ready.order, line="1"))
    with pytest.raises(Refused, match="came already"):
        read(ready, row(2, ready.order, line="1"))
    told.drop_told(ready.act("dock"), told.DropTold(key))
    with pytest.raises(Refused, match="is dropped already"):
        take(ready, key)
    assert read(ready, row(2, ready.order, line="1"))


def test_sent_twice_by_one_key_it_is_there_once(ready):
    first = read(ready, row(1, ready.order, line="1"), key="k")
    assert read(ready, row(1, ready.order, line="1"), key="k") == first
    with pytest.raises(KeyReused):
        read(ready, row(2, ready.order, line="1"), key="k")


def test_who_may_not_receive_at_the_site_reads_and_takes_nothing(ready):
    with pytest.raises(NotAllowed):
        read(ready, row(1, ready.order, line="1"), who="viewer")
    key = read(ready, row(1, ready.order, line="1"))
    for act in (
        lambda: take(ready, key, who="viewer"),
        lambda: told.drop_told(ready.act("viewer"), told.DropTold(key)),
    ):
        with pytest.raises(NotAllowed):
            act()


def test_a_day_that_has_not_come_and_another_container_are_refused(ready):
    with pytest.raises(Refused, match="has not come yet"):
        read(ready, row(1, ready.order, line="1"), received_on=TODAY.replace(year=TODAY.year + 1))
    key = read(ready, row(1, item="A", container=CONTAINERS[1]))
    assert judged(key)[0][0] == "wrong"


def file(text):
    return SimpleUploadedFile("told.csv", text.encode())


def test_from_the_file_to_the_receipt_in_three_acts(ready, signed_in):
    # Choose the file and press; look at the rows; press.
    text = f"order,line,quantity,advice,received_on\n{ready.order.number},1,12,W-9,{TODAY}\n"
    shown = signed_in("dock").post(reverse("told-receipts"), {"key": "k", "site": ready.site.pk, "file": file(text)})
    page = signed_in("viewer").get(shown.headers["Location"])
    assert (page.context["wrong"], page.context["allowed"], page.context["judged"][0].expected) == (0, False, 20)
    asked = signed_in("dock").post(shown.headers["Location"], {"key": "t"})
    assert asked.status_code == 422 and list(asked.context["form"].errors) == ["rest"]
    done = signed_in("dock").post(shown.headers["Location"], {"key": "t", "rest": "coming"})
    assert done.headers["Location"] == reverse("receipt", args=[Receipt.objects.get().pk])
    assert Receipt.objects.get().number in signed_in("dock").get(reverse("told-receipts")).content.decode()
    again = signed_in("dock").post(reverse("told-receipts"), {"key": "n", "site": ready.site.pk, "file": file(text)})
    assert again.status_code == 422 and "came already" in again.content.decode()


@pytest.mark.parametrize(
    ("content", "words"),
    [("", "empty"), ("a,b\n1,2\n", "lacks the columns quantity"), ("item,quantity\nA,x\n", "Row 2")],
)
def test_a_bad_file_is_said_on_its_page(ready, signed_in, content, words):
    form = {"key": "k", "site": ready.site.pk, "file": file(content)}
    answer = signed_in("dock").post(reverse("told-receipts"), form)
    assert answer.status_code == 422 and words in answer.content.decode()


def test_dropped_on_its_page(ready, signed_in):
    key = read(ready, row(1, ready.order, line="1"))
    assert signed_in("dock").post(reverse("drop-told", args=[key]), {"key": "d"}).status_code == 302
    assert "Dropped" in signed_in("dock").get(reverse("told-receipt", args=[key])).content.decode()
