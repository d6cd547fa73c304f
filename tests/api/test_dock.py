"""The dock by program: scans, held goods, what is short, stock and its movements, counts."""

import pytest

from northing.masterdata.models import Bin, Company, Pack, Site
from northing.receiving.models import ShortQuestion
from tests.api.conftest import Program
from tests.inventory.goods import at_dock, lies
from tests.worlds import TODAY, D

GTIN = "09521000000001"
DAY = TODAY.isoformat()


@pytest.fixture
def dock(world):
    """A program of the dock; cartons of six of A have a GTIN, and pallets get numbers of ours."""
    Pack.objects.create(item=world.items["A"], name="carton", factor=6, gtin=GTIN)
    Company.objects.filter(pk=world.nz.pk).update(gs1_prefix="9521000", under_tolerance=D(3))
    world.dock = Program(world, "dock")
    return world


def receipt(**more):
    return {"site": "TRG", "delivery_note": "DN-1", "received_on": DAY} | more


def test_pallets_by_scan_once_held_then_tied(dock):
    scans = [{"scan": f"(01){GTIN}(10)L1(37)1", "times": 2}]
    asked = receipt(supplier="susd", reason="by telephone", scans=scans)
    made, again = (dock.dock.send("post", "/receipts", asked, idempotency_key="k").json() for _ in range(2))
    assert made == again and made["sscc"] == ["095210000000000018", "095210000000000025"]
    (one, other) = dock.dock.get("/stock", item="a").json()["items"]
    assert (one["status"], one["quantity"], one["lot"], one["bin"]) == ("held", "6", "L1", "QUARANTINE")
    assert other["layer"] != one["layer"] and not dock.dock.get("/stock", site="MEL").json()["items"]
    line = dock.sent_order({"A": D(12)}).lines.get().pk
    body = {"order_line": line, "occurred_on": DAY, "quantity": "6"}
    assert dock.dock.send("post", f"/receipts/{made['id']}/tie", body).status_code == 403
    tied = Program(dock, "expediter").send("post", f"/receipts/{made['id']}/tie", body)
    assert tied.status_code == 201 and tied.json()["sscc"] == ["095210000000000018"]
    moved = dock.dock.get("/stock/movements", item="A", limit=2).json()
    assert [(one["action"], one["source"], one["target"]) for one in moved["items"]] == [
        ("tie", None, "TRG QUARANTINE"),
        ("tie", "TRG QUARANTINE", None),
    ]
    assert moved["next"]


def test_short_beyond_tolerance_is_answered(dock):
    order = dock.sent_order({"A": D(100)})
    asked = receipt(order=order.pk, scans=[{"scan": f"(01){GTIN}(37)10"}], scans_rest="no more")
    assert dock.dock.send("post", "/receipts", asked).status_code == 201
    question = ShortQuestion.objects.get()
    assert (question.quantity, question.short) == (40, 40)
    answer = Program(dock, "expediter").send("post", f"/questions/{question.pk}/answer", {"no_more": True})
    assert answer.status_code == 200 and answer.json()["number"].endswith("00002")


def test_what_is_wrong_is_named(dock):
    order = dock.sent_order({"A": D(10)})
    part = order.lines.get().instalments.get().pk
    for more, where in (
        ({"order": order.pk, "scans": [{"scan": "(01)09521000000002"}]}, ["scans-0"]),
        ({"rows": [{"instalment": part, "item": "A", "quantity": "1"}]}, ["rows-0"]),
        ({"rows": [{"instalment": part, "quantity": "1", "serials": ["K-2..K-1"]}]}, ["rows-0-serials"]),
        ({"rows": [{"instalment": part, "quantity": "12"}]}, [f"row-i{part}"]),
        ({}, ["rows"]),
    ):
        answer = dock.dock.send("post", "/receipts", receipt(**more))
        assert answer.status_code == 422
        assert [one["where"] for one in answer.json()["problems"]] == where
    assert dock.dock.send("post", "/receipts", receipt(supplier="NOPE", rows=[])).status_code == 404
    assert dock.dock.send("post", "/receipts", receipt(order=2**40)).status_code == 404


def test_a_count_by_program(dock):
    part = dock.sent_order({"A": D(10)}).lines.get().instalments.get().pk
    dock.dock.send("post", "/receipts", receipt(rows=[{"instalment": part, "quantity": "10"}]))
    asked = {"site": "TRG", "bin": "store", "item": "A", "counted": "9", "reason": "stock take", "occurred_on": DAY}
    assert dock.dock.send("post", "/stock/counts", asked).status_code == 201
    assert [one["quantity"] for one in dock.dock.get("/stock", item="A").json()["items"]] == ["9"]
    assert dock.dock.send("post", "/stock/counts", asked | {"bin": "NOPE"}).status_code == 404
    assert dock.dock.send("post", "/stock/counts", asked).json()["problems"][0]["where"] == "counted"


def test_goods_are_put_away_sent_on_and_undone(dock):
    layer, north = at_dock(dock, 12), Site.objects.create(company=dock.nz, code="NTH", name="North")
    Bin.objects.create(site=north, code="N-1", purpose="dock")
    Bin.objects.create(site=dock.site, code="S-2", purpose="store", home_of=dock.items["A"])
    waiting = dock.dock.get("/stock/putaway", site="trg").json()
    (task,) = waiting["items"]
    assert waiting["waiting"] == 1 and (task["item"], task["quantity"], task["receipt"]) == ("A", "12", "KLN-R00001")
    assert task["proposed"] == [{"bin": "S-2", "quantity": "12", "why": "it is the place of A"}]
    row = {"layer": layer.pk, "bin": "DOCK", "quantity": "12", "to": "STORE"}
    asked = {"site": "TRG", "rows": [row]}
    refused = dock.dock.send("post", "/stock/putaway", asked).json()["problems"]
    assert [one["where"] for one in refused] == ["reason-0"]
    wrong = dock.dock.send("post", "/stock/putaway", {"site": "TRG", "rows": [row | {"to": "NOPE"}]}).json()
    assert wrong["problems"][0]["where"] == "rows-0-to"
    made = dock.dock.send("post", "/stock/putaway", {"site": "TRG", "rows": [row | {"reason": "full"}]}).json()
    undone = dock.dock.send("post", f"/stock/moves/{made['id']}/undo", {"reason": "no"})
    assert undone.status_code == 200 and lies(layer) == {("DOCK", "in_store"): 12}
    assert dock.dock.send("post", "/stock/moves", {"site": "TRG", "rows": [row | {"quantity": "5"}]}).status_code == 201
    sent = {"site": "TRG", "to": "NTH", "sent_on": DAY, "rows": [{"layer": layer.pk, "bin": "STORE", "quantity": "5"}]}
    transfer = dock.dock.send("post", "/stock/transfers", sent).json()["id"]
    (line,) = dock.dock.get("/stock/transfers").json()["items"]
    assert (line["source"], line["target"], line["on_way"]) == ("TRG", "NTH", "5")
    came = {"rows": [{"line": line["id"], "quantity": "5", "bin": "N-1"}]}
    assert dock.dock.send("post", f"/stock/transfers/{transfer}/arrivals", came).status_code == 201
    assert lies(layer) == {("DOCK", "in_store"): 7, ("N-1", "in_store"): 5}
    assert not dock.dock.get("/stock/transfers").json()["items"]


def test_the_labels_of_pallets_are_a_document(dock):
    asked = receipt(supplier="susd", reason="by telephone", scans=[{"scan": f"(01){GTIN}(37)1"}])
    made = dock.dock.send("post", "/receipts", asked).json()
    answer = dock.dock.get(f"/receipts/{made['id']}/labels", copies=2)
    assert answer["Content-Type"] == "application/pdf" and answer.content.startswith(b"%PDF")
    assert dock.dock.get(f"/receipts/{made['id']}/labels", copies=99).status_code == 422
    for path in (f"/items/{dock.items['A'].pk}/labels", "/sites/trg/bin-labels"):
        assert dock.dock.get(path).content.startswith(b"%PDF")
    assert dock.dock.get("/sites/nowhere/bin-labels").status_code == 404
