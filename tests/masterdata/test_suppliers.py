"""Agreements: their steps in orders, what is warned of, and that every change is told."""

from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.actions.masterdata import suppliers
from northing.actions.orders import send, write
from northing.actions.worklist.proof import move_faults
from northing.activity.models import HistoryEntry
from northing.core.problems import NotAllowed, Refused
from northing.masterdata.models import Agreement, Party
from northing.orders.models import OrderLine, PurchaseOrder
from northing.worklist.models import Matter
from tests.worlds import TODAY

DAY = timedelta(days=1)


def agree(world, item="A", price="17.00", who="expediter", **more):
    asked = suppliers.AgreementRequest(
        world.parties["USD"].pk, item, D(price), more.pop("valid_from", TODAY - DAY), **more
    )
    return suppliers.set_agreement(world.act(who), asked)


def order(world, *lines, need_by=TODAY + 200 * DAY):
    asked = tuple(write.LineRequest(*line) for line in lines)
    supplier = world.parties["USD"].pk
    request = write.OrderRequest(world.nz.pk, supplier, world.site.pk, "FOB", "on_board", need_by, asked)
    return write.write_order(world.act("expediter"), request)


def test_the_step_of_the_quantity_gives_the_price(world):
    agree(world, price="17.00")
    agree(world, price="15.50", from_quantity=D(500))
    agree(world, price="9.99", valid_from=TODAY + DAY)
    order(world, ("A", "", D(499)), ("A", "", D(500)))
    prices = OrderLine.objects.order_by("number").values_list("pack_price", "agreed_pack_price")
    assert list(prices) == [(D("17.00"), D("17.00")), (D("15.50"), D("15.50"))]


def test_one_order_reads_agreements_once_however_many_lines(world, django_assert_max_num_queries):
    with django_assert_max_num_queries(40):
        order(world, *[("A", "", D(n + 1)) for n in range(60)])


def test_a_draft_is_warned_of_what_does_not_fit_and_may_pass(world):
    agree(world, minimum=D(100), multiple=D(12), lead_days=30)
    world.parties["USD"].__class__.objects.update(passage_days=40)
    key = order(world, ("A", "", D(50), D(18)), need_by=TODAY + 60 * DAY)
    record = PurchaseOrder.objects.get(pk=key)
    found = [str(problem) for problem in send.checks(record, list(record.lines.all()), TODAY)[record.lines.get().pk]]
    assert [words.split(": ")[1].split(" ")[0:4] for words in found] == [
        ["50", "is", "below", "the"],
        ["50", "is", "no", "multiple"],
        ["The", "price", "is", "above"],
        ["Need", "by", "2", "Feb"] if (TODAY + 60 * DAY).month == 2 else ["Need", "by", "23", "Jan"],
    ]
    send.check_order(world.act("expediter"), send.OrderAct(key))
    assert "passed: Line 1: 50 is below" in HistoryEntry.objects.get(action="check_order").text


def test_a_price_within_the_tolerance_is_not_warned_of(world):
    agree(world, price="20.00")
    Party.objects.filter(pk=world.parties["USD"].pk).update(price_tolerance=D(5))
    key = order(world, ("A", "", D(1), D(21)), ("A", "", D(1), D("21.01")))
    record = PurchaseOrder.objects.get(pk=key)
    assert [len(found) for found in send.checks(record, list(record.lines.all()), TODAY).values()] == [0, 1]


def test_agreements_in_another_currency_than_the_suppliers_do_not_stand(world):
    Agreement.objects.filter(item__code="A").update(currency="EUR")
    with pytest.raises(Refused, match="no agreed price"):
        order(world, ("A", "", D(1)))


def test_a_step_is_replaced_and_both_are_told(world):
    agree(world, price="17.00", supplier_code="QX-1")
    agree(world, price="16.00", supplier_code="QX-1")
    agree(world, price="16.00", supplier_code="QX-1")
    assert Agreement.objects.filter(item__code="A", valid_from=TODAY - DAY).count() == 1
    told = list(HistoryEntry.objects.filter(action="set_agreement").order_by("id"))
    assert len(told) == 2, "what changes nothing is no news"
    assert told[1].changes == [{"field": "price", "old": "17", "new": "16"}]


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ({"price": "-1"}, "from 0 to"),
        ({"minimum": D("0.5")}, "decimals"),
        ({"multiple": D(-1)}, "from 0 to"),
        ({"lead_days": 1000}, "999"),
        ({"item": "NOPE"}, "no item"),
    ],
)
def test_what_makes_no_sense_is_refused(world, more, says):
    with pytest.raises(Refused, match=says):
        agree(world, **more)


def test_only_who_keeps_suppliers_may(world):
    with pytest.raises(NotAllowed):
        agree(world, who="dock")
    with pytest.raises(NotAllowed):
        suppliers.keep_supplier(world.act("accounts"), suppliers.SupplierRequest(world.parties["USD"].pk, ()))
    with pytest.raises(Refused, match="no such supplier"):
        suppliers.keep_supplier(world.act("expediter"), suppliers.SupplierRequest(world.parties["customs"].pk, ()))


def test_how_we_agree_is_told(world):
    asked = suppliers.SupplierRequest(world.parties["USD"].pk, (("accept_days", 3), ("owes", ["despatch"])))
    suppliers.keep_supplier(world.act("expediter"), asked)
    told = HistoryEntry.objects.get(action="keep_supplier")
    assert [(row["field"], row["new"]) for row in told.changes] == [
        ("accept by rule up to days later", "3"),
        ("it owes us", "despatch"),
    ]


def test_the_pages(world, client):
    client.force_login(world.people["expediter"])
    url = reverse("agree", args=[world.parties["USD"].pk])
    typed = {"key": "k", "item": "A", "price": "17.5", "valid_from": TODAY.isoformat(), "lead_days": "20"}
    assert client.post(url, typed).status_code == 302
    assert client.post(url, typed | {"key": "l", "price": "x"}).status_code == 422
    assert client.post(url, typed | {"key": "m", "item": "\x00"}).status_code == 422
    page = client.get(reverse("supplier-record", args=[world.parties["USD"].pk]), {"item": "A"})
    assert b"17.50" in page.content


def test_the_quote_gives_the_step_and_its_warnings(world, client):
    agree(world, minimum=D(100))
    agree(world, price="15.00", from_quantity=D(500))
    client.force_login(world.people["expediter"])
    asked = {"item": "a", "supplier": world.parties["USD"].pk, "packs": "500"}
    assert client.get(reverse("quote"), asked).json()["price"] == "15.00"
    few = client.get(reverse("quote"), asked | {"packs": "20"}).json()
    assert few["price"] == "17.00" and "below the agreed minimum" in few["warns"][0]
    for odd in ({"packs": "x"}, {"need_by": "0000"}, {"supplier": "-1"}, {"pack": "\x00"}, {"packs": "9" * 30}):
        assert client.get(reverse("quote"), asked | odd).status_code == 200, odd


def test_items_are_found_by_words(world, client):
    client.force_login(world.people["expediter"])
    assert [row["code"] for row in client.get(reverse("items"), {"q": "kett"}).json()["items"]] == ["A"]
    assert client.get(reverse("items"), {"q": "kett xyz"}).json()["items"] == []
    assert client.get(reverse("items"), {"q": "\x00%"}).json()["items"] == []


def test_a_days_delay_weighs_on_the_watch(world, client):
    order(world, ("C", "", D(1)))
    world.sent_order({"A": D(10)}, agreed=False)
    client.force_login(world.people["expediter"])
    url = reverse("delay-cost", args=[world.items["A"].pk])
    client.post(url, {"key": "k", "cost": "250.00"})
    assert set(Matter.objects.filter(kind="instalment").values_list("per_day", flat=True)) == {D(250)}
    assert move_faults() == []
    for wrong in ("x", "-1", "1.001", "9" * 14):
        client.post(url, {"key": f"k{wrong}", "cost": wrong})
    told = HistoryEntry.objects.get(action="set_delay_cost")
    assert told.changes == [{"field": "cost of a day's delay", "old": "0", "new": "250"}]
