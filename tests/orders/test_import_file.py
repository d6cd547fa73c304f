"""Order files: what rows would do, what is wrong with them, and that each is done exactly once."""

from datetime import timedelta
from decimal import Decimal as D
from pathlib import Path

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from northing.access.models import Grant
from northing.actions.orders import cancel, import_file
from northing.activity.models import HistoryEntry
from northing.core.problems import NotAllowed
from northing.formats.ubl import order_xml
from northing.masterdata.models import Pack
from northing.orders.models import Instalment, OrderFile, OrderLine, PurchaseOrder, Revision
from northing.worklist.models import Matter
from tests.formats.test_grids import BOMB, workbook
from tests.worlds import TODAY

DAY = (TODAY + timedelta(days=90)).isoformat()
HEADER = "order,company,supplier,site,item,quantity,price,need_by"


def table(*rows, header=HEADER):
    return ("\n".join([header, *rows]) + "\n").encode()


def row(order="X1", company="KLN", supplier="SUSD", site="TRG", item="A", quantity="10", price="", need_by=DAY):
    return f"{order},{company},{supplier},{site},{item},{quantity},{price},{need_by}"


def read(world, content, who="expediter"):
    act = world.act(who)
    key = import_file.enter(act, import_file.FileRequest("orders.csv", import_file.keep([content])))
    file = OrderFile.objects.get(pk=key)
    import_file.read_file(act, file)
    return file


def take(world, file, who="expediter"):
    import_file.take_file(world.act(who), file)
    file.refresh_from_db()
    return file


def states(file):
    return list(file.rows.order_by("number").values_list("state", flat=True))


def says(file):
    return list(file.rows.order_by("number").values_list("says", flat=True))


def test_new_orders_are_shown_then_written(world):
    file = read(world, table(row(), row(item="C", quantity="20"), row(order="X2", quantity="5", price="17.5")))
    assert states(file) == ["new"] * 3 and not PurchaseOrder.objects.exists()
    assert says(file)[2] == "5 pc of A at 17.50 USD per pc"
    take(world, file)
    found = list(PurchaseOrder.objects.order_by("number").values_list("number", "reference", "incoterm", "ours_from"))
    assert found == [("KLN-00001", "X1", "FOB", "on_board"), ("KLN-00002", "X2", "FOB", "on_board")]
    lines = OrderLine.objects.order_by("order_id", "number").values_list("item__code", "quantity", "pack_price")
    assert list(lines) == [("A", 10, D("18.40")), ("C", 20, D("1.07")), ("A", 5, D("17.5"))]
    assert states(file) == ["taken"] * 3 and file.state == "taken"
    assert Matter.objects.filter(kind="order").count() == 2
    told = HistoryEntry.objects.filter(action="write_order")
    assert told.count() == 2 and told[0].text.endswith("from the file orders.csv")


def test_the_same_file_again_changes_nothing(world):
    take(world, read(world, table(row(), row(item="C"))))
    again = read(world, table(row(), row(item="C")))
    assert states(again) == ["same", "same"]
    take(world, again)
    assert PurchaseOrder.objects.count() == 1


def test_taking_twice_writes_once(world):
    file = read(world, table(row()))
    take(world, file)
    take(world, file)
    assert PurchaseOrder.objects.count() == 1


def test_a_worker_that_was_killed_goes_on_where_it_was(world, monkeypatch):
    monkeypatch.setattr(import_file, "LOT", 2)
    file = read(world, table(*[row(order=f"X{n}") for n in range(6)]))

    def die(done, total):
        if done == 4:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        import_file.take_file(world.act("expediter"), file, die)
    assert PurchaseOrder.objects.count() == 4
    take(world, file)
    assert sorted(PurchaseOrder.objects.values_list("reference", flat=True)) == [f"X{n}" for n in range(6)]
    assert PurchaseOrder.objects.values("number").distinct().count() == 6


def test_orders_are_not_divided_by_lots(world, monkeypatch):
    monkeypatch.setattr(import_file, "LOT", 2)
    rows = [row(order=f"X{n % 2}", quantity=str(n + 1)) for n in range(9)]
    take(world, read(world, table(*rows)))
    assert [order.lines.count() for order in PurchaseOrder.objects.order_by("reference")] == [5, 4]


@pytest.mark.parametrize(
    ("changes", "what"),
    [
        ({"item": "NOPE"}, "no item with the code or GTIN 'NOPE'"),
        ({"item": ""}, "item: is empty"),
        ({"quantity": "0"}, "above 0"),
        ({"quantity": "1.5"}, "more decimals"),
        ({"quantity": "1e3"}, "is no number with a decimal point"),
        ({"quantity": "=1+1"}, "is no number"),
        ({"price": "-1"}, "must not be negative"),
        ({"price": "18,40".replace(",", ".") + "x"}, "is no number"),
        ({"need_by": "10/02/2027"}, "is no day like"),
        ({"need_by": "1970-01-01"}, "not a plausible day"),
        ({"need_by": (TODAY - timedelta(days=1)).isoformat()}, "has passed"),
        ({"supplier": "NOPE"}, "there is none called 'NOPE'"),
        ({"company": "XYZ"}, "you may write no orders for 'XYZ'"),
        ({"site": "MEL"}, "KLN has none called 'MEL'"),
        ({"order": "x" * 61}, "longer than 60"),
    ],
)
def test_a_wrong_row_says_why_and_holds_its_order_back(world, changes, what):
    file = read(world, table(row(**changes), row(order="Y1"), row(order=changes.get("order", "X1"), item="C")))
    assert what in says(file)[0] and states(file)[0] == "wrong" and states(file)[1] == "new"
    take(world, file)
    assert PurchaseOrder.objects.count() == 1 or changes.get("order"), "the other order is taken"


def test_the_rest_of_a_wrong_order_waits(world):
    file = read(world, table(row(), row(item="NOPE"), row(item="C")))
    assert states(file) == ["waits", "wrong", "waits"]
    assert says(file)[0] == "Row 3 of this order is wrong."
    take(world, file)
    assert not PurchaseOrder.objects.exists() and states(file) == ["waits", "wrong", "waits"]


def test_rows_of_one_order_agree_on_its_head(world):
    file = read(world, table(row(), row(item="C", supplier="SEUR")))
    assert "supplier: 'SEUR' differs" in says(file)[1]


def test_a_draft_is_changed_and_an_unknown_line_added(world):
    take(world, read(world, table(row())))
    number = PurchaseOrder.objects.get().number
    file = read(world, table(row(order=number, quantity="12"), row(order=number, item="C", quantity="7")))
    assert states(file) == ["changes", "changes"]
    assert says(file)[0] == "quantity 10 → 12" and says(file)[1].startswith("New line: 7 pc of C")
    take(world, file)
    order = PurchaseOrder.objects.get()
    assert list(order.lines.values_list("item__code", "quantity")) == [("A", 12), ("C", 7)]
    assert (order.stage, states(file)) == ("draft", ["taken", "taken"])


def test_a_sent_order_is_revised_once(world):
    order = world.sent_order({"A": D(240), "C": D(900)})
    file = read(
        world, table(row(order=order.number, quantity="300"), row(order=order.number, item="C", quantity="900"))
    )
    assert states(file) == ["changes", "changes"] or states(file) == ["changes", "same"]
    take(world, file)
    assert Revision.objects.filter(order=order).count() == 2
    assert Instalment.objects.filter(line__item__code="A").count() == 2
    import_file.OrderFile.objects.filter(pk=file.pk).update(state="shown")
    file.rows.filter(number=2).update(state="changes")
    take(world, file)
    assert Revision.objects.filter(order=order).count() == 2


def test_what_changed_since_it_was_shown_is_left(world):
    file = read(world, table(row()))
    take(world, read(world, table(row(quantity="99"))))
    take(world, file)
    assert OrderLine.objects.get().quantity == 99
    assert states(file) == ["wrong"] and "has changed since" in says(file)[0]


def test_a_cancelled_order_is_not_changed(world):
    order = world.sent_order({"A": D(240)})
    cancel.cancel(world.act("expediter"), cancel.StopRequest(order.pk))
    file = read(world, table(row(order=order.number, quantity="300")))
    assert "is cancelled" in says(file)[0] and states(file) == ["wrong"]


def test_an_order_of_the_other_company_is_not_there(world):
    order = world.sent_order({"A": D(240)})
    file = read(world, table(row(order=order.number, company="KLA", site="MEL")), who="stranger")
    assert states(file) == ["wrong"] and "not an order you may change" in says(file)[0]


def test_who_may_write_no_orders_sends_no_file(world):
    with pytest.raises(NotAllowed):
        read(world, table(row()), who="dock")


def test_company_and_site_may_be_left_out_where_there_is_one(world):
    Grant.objects.filter(person=world.people["expediter"], company=world.au).delete()
    file = read(world, table(f"SUSD,A,5,{DAY}", header="supplier,item,quantity,need_by"))
    assert states(file) == ["new"]


def test_packs_and_prices_per_pack(world):
    Pack.objects.create(item=world.items["A"], name="carton", factor=6, gtin="10012345678902")
    header = "order,company,supplier,item,quantity,pack,price,need_by"
    rows = [f"X1,KLN,SUSD,A,2,carton,100.00,{DAY}", f"X2,KLN,SUSD,10012345678902,3,,,{DAY}"]
    take(world, read(world, table(*rows, header=header)))
    found = OrderLine.objects.order_by("order_id").values_list("quantity", "pack", "pack_price")
    assert list(found) == [(12, "carton", D(100)), (18, "carton", D("110.4"))]
    again = read(world, table(f"X1,KLN,SUSD,A,18,,20.00,{DAY}", header=header))
    assert says(again) == ["quantity 12 → 18, price 100.00 → 120.00"]


def test_a_workbook_and_a_ubl_order(world):
    rows = [HEADER.split(","), ["X1", "KLN", "SUSD", "TRG", "A", 10, 18.4, TODAY + timedelta(days=90)]]
    file = read(world, workbook(rows))
    assert states(file) == ["new"] and "XLSX" in file.said
    order = world.sent_order({"A": D(240)})
    content = Revision.objects.get(order=order).content
    same = read(world, order_xml(content, 1, TODAY))
    assert states(same) == ["same"] and same.said == "a UBL Order"
    more = content | {"lines": [content["lines"][0] | {"quantity": "250"}]}
    assert says(read(world, order_xml(more, 1, TODAY))) == ["quantity 240 → 250"]


def test_a_ubl_order_in_another_currency_is_refused(world):
    order = world.sent_order({"A": D(240)})
    content = Revision.objects.get(order=order).content | {"number": "THEIRS-1", "currency": "CHF"}
    file = read(world, order_xml(content, 1, TODAY))
    assert "the file is in CHF; Supplier USD sells in USD" in says(file)[0]


@pytest.mark.parametrize(
    ("content", "what"),
    [
        (b"order,item\nX,A\n", "lacks the columns supplier, quantity, need_by"),
        (HEADER.encode(), "no rows below its header"),
        (HEADER.encode() + b",item\n", "is there twice"),
        (b"", "empty"),
        (BOMB + b"<Order/>", "document type"),
        (b"<?xml version='1.0'?><Invoice/>", "not a UBL Order"),
        (b"<" + b"<a>" * 10_000, "not readable XML"),
    ],
)
def test_a_file_that_is_none_says_so(world, client, content, what):
    client.force_login(world.people["expediter"])
    file = SimpleUploadedFile("orders.csv", content)
    answer = client.post(reverse("order-files"), {"key": "k", "file": file}, follow=True)
    assert what in answer.content.decode() or "empty" in what
    assert not OrderFile.objects.filter(state="shown").exists()


def test_the_pages(world, client, settings):
    client.force_login(world.people["expediter"])
    content = table(row(), row(order="Y", item="NOPE"), row(order="Z", item="=cmd"))
    page = client.post(
        reverse("order-files"), {"key": "k", "file": SimpleUploadedFile("orders.csv", content)}, follow=True
    )
    assert b"Take 1 row" in page.content and b"2 rows that cannot be taken" in page.content
    file = OrderFile.objects.get()
    back = b"".join(client.get(reverse("wrong-rows", args=[file.pk])).streaming_content).decode()
    assert "NOPE" in back and "reason" in back.splitlines()[0] and "'=cmd" in back
    done = client.post(reverse("take-order-file", args=[file.pk]), follow=True)
    assert b"KLN-00001" in done.content
    client.post(reverse("take-order-file", args=[file.pk]))
    assert PurchaseOrder.objects.count() == 1
    assert client.get(reverse("order-file", args=[file.pk]), {"state": "wrong"}).status_code == 200
    again = client.post(
        reverse("order-files"), {"key": "l", "file": SimpleUploadedFile("other.csv", content)}, follow=True
    )
    assert b"The same file was taken before" in again.content
    client.force_login(world.people["approver"])
    for name in ("order-file", "wrong-rows"):
        assert client.get(reverse(name, args=[file.pk])).status_code == 404
    example = client.get(reverse("order-file-example")).content
    assert b"KET-17" in example and Path(settings.FILES, "orders", file.sha256).exists()


@pytest.mark.parametrize(
    ("changes", "what"),
    [({"supplier": "SEUR"}, "is to Supplier USD"), ({"company": "KLA"}, "is Test NZ's"), ({"company": ""}, "")],
)
def test_whom_an_order_is_to_does_not_change(world, changes, what):
    order = world.sent_order({"A": D(240)})
    need_by = order.need_by.isoformat()
    file = read(world, table(row(**({"order": order.number, "quantity": "300", "need_by": need_by} | changes))))
    assert what in says(file)[0] and states(file) == (["wrong"] if what else ["changes"])


def test_what_a_file_leaves_out_stays(world):
    """A file without a discount takes none away."""
    header = "order,company,supplier,item,quantity,discount,need_by"
    take(world, read(world, table(f"X1,KLN,SUSD,A,10,5 %,{DAY}", header=header)))
    again = read(world, table(row(order="X1", quantity="12")))
    assert says(again) == ["quantity 10 → 12"]
    take(world, again)
    assert OrderLine.objects.get().discount == D("0.05")


def test_a_scanned_pack_counts_in_packs_on_a_line_that_is_there(world):
    Pack.objects.create(item=world.items["A"], name="carton", factor=6, gtin="10012345678902")
    take(world, read(world, table(row())))
    assert says(read(world, table(row(item="10012345678902", quantity="3")))) == ["quantity 10 → 18"]


def test_a_form_sent_twice_reads_one_file(world, client):
    client.force_login(world.people["expediter"])
    for _ in range(2):
        file = SimpleUploadedFile("orders.csv", table(row()))
        assert client.post(reverse("order-files"), {"key": "k", "file": file}).status_code == 302
    assert OrderFile.objects.count() == 1


def test_a_file_says_what_the_whole_order_comes_to(world):
    header = "order,supplier,item,quantity,need_by,order_discount,surcharge,tax,deliver_to,company"
    file = read(world, table(f"X1,SUSD,A,10,{DAY},2.5,1 %,15,Dock 9,KLN", header=header))
    assert says(file) == ["10 pc of A at 18.40 USD per pc"]
    take(world, file)
    order = PurchaseOrder.objects.get()
    assert (order.discount, order.surcharge, order.tax_rate) == (D("0.025"), D("0.01"), D("0.15"))
    assert order.deliver_to == "Dock 9" and order.lines.get().net_share == D("0.98475")
    file = read(world, table(f"{order.number},SUSD,A,10,{DAY},3,,,,KLN", header=header))
    assert says(file) == ["discount 2.5 % → 3 %"]
    take(world, file)
    assert order.lines.get().net_share == D("0.97970")
    wrong = (f"X2,SUSD,A,10,{DAY},101,,,,KLN", f"{order.number},SUSD,A,10,{DAY},200,,,,KLN")
    file = read(world, table(*wrong, header=header))
    assert ["below 100 %" in words for words in says(file)] == [True, True]
