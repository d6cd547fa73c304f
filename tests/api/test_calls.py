"""The calls of the API: what they give and do, for whom, and how they say what is wrong."""

from collections import defaultdict
from datetime import timedelta
from decimal import Decimal as D

import pytest
import time_machine
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from northing.access.models import SCOPES, ApiToken
from northing.actions.access import tokens
from northing.actions.confirmations import answers
from northing.activity.models import HistoryEntry
from northing.api.main import api
from northing.confirmations.models import Answer
from northing.masterdata.models import Agreement
from northing.orders.models import Instalment, PurchaseOrder
from tests.api.conftest import Program
from tests.worlds import NOW, TODAY

NEED_BY = (TODAY + timedelta(days=90)).isoformat()
NEW = {
    "company": "KLN",
    "site": "TRG",
    "supplier": "SUSD",
    "need_by": NEED_BY,
    "lines": [{"item": "A", "quantity": "240"}, {"item": "C", "quantity": "900", "price": "1.10"}],
}


def test_an_order_is_written_changed_sent_and_cancelled(world, program):
    made = program.send("post", "/orders", NEW)
    assert made.status_code == 201, made.content
    order = made.json()
    assert (order["number"], order["stage"], order["currency"]) == ("KLN-00001", "draft", "USD")
    assert [(line["item"], line["quantity"], line["price"]) for line in order["lines"]] == [
        ("A", "240", "18.4"),
        ("C", "900", "1.1"),
    ]
    key = order["id"]
    change = {"version": order["version"], "remark": "Pack dry", "lines": [{"number": 1, "quantity": "250"}]}
    changed = program.send("patch", f"/orders/{key}", change).json()
    assert (changed["remark"], changed["lines"][0]["quantity"]) == ("Pack dry", "250")
    assert program.send("post", f"/orders/{key}/check").json()["stage"] == "waiting for approval"
    assert Program(world, "approver").send("post", f"/orders/{key}/approve").status_code == 200
    sent = program.send("post", f"/orders/{key}/send").json()
    assert sent["stage"] == "sent" and sent["lines"][0]["instalments"][0]["position"]["with_supplier"] == "250"
    assert program.send("post", f"/orders/{key}/cancel").json()["stage"] == "cancelled"
    assert {entry.channel for entry in HistoryEntry.objects.all()} >= {"api"}


def test_the_same_key_does_an_action_once(world, program):
    for _ in range(2):
        answer = program.send("post", "/orders", NEW, idempotency_key="one")
        assert answer.status_code == 201 and answer.json()["number"] == "KLN-00001"
    other = program.send("post", "/orders", NEW | {"remark": "x"}, idempotency_key="one")
    assert other.status_code == 409 and PurchaseOrder.objects.count() == 1


def test_a_key_is_never_cut(world, program):
    """Two keys that begin alike are two keys; one that is too long is refused."""
    for end in "ab":
        assert program.send("post", "/orders", NEW, idempotency_key="k" * 254 + end).status_code == 201
    assert PurchaseOrder.objects.count() == 2
    answer = program.send("post", "/orders", NEW, idempotency_key="k" * 256)
    assert answer.status_code == 422 and "at most 255" in answer.content.decode()
    assert PurchaseOrder.objects.count() == 2


def test_the_second_of_two_is_told_what_the_first_did(world, program):
    order = program.send("post", "/orders", NEW).json()
    change = {"version": order["version"], "lines": [{"number": 1, "quantity": "250"}]}
    assert program.send("patch", f"/orders/{order['id']}", change).status_code == 200
    late = program.send("patch", f"/orders/{order['id']}", change | {"remark": "mine"})
    assert late.status_code == 409 and "240 → 250" in late.json()["detail"]
    assert late["Content-Type"] == "application/problem+json"


@pytest.mark.parametrize(
    ("change", "where"),
    [
        ({"company": "NOPE"}, "company"),
        ({"site": "MEL"}, "site"),
        ({"supplier": "FWD"}, "supplier"),
        ({"incoterm": "XXX"}, "incoterm"),
        ({"need_by": "2020-01-01"}, "lines-0-need_by"),
        ({"lines": [{"item": "NOPE", "quantity": "1"}]}, "lines-0-item"),
        ({"lines": [{"item": "A", "quantity": "0"}]}, "lines-0-packs"),
        ({"lines": []}, "body.asked.lines"),
        ({"lines": [{"item": "A", "quantity": "NaN"}]}, "body.asked.lines.0.quantity"),
        ({"lines": [{"item": "A\x00", "quantity": "1"}]}, "body.asked.lines.0.item"),
        ({"remarks": "typo"}, "body.asked.remarks"),
    ],
)
def test_what_is_wrong_is_said_where(world, program, change, where):
    answer = program.send("post", "/orders", NEW | change)
    assert answer.status_code == 422, answer.content
    problem = answer.json()
    assert problem["status"] == 422 and where in [one["where"] for one in problem["problems"]]
    assert not PurchaseOrder.objects.exists()


def test_lines_are_filtered_by_the_sentence_and_paged(world, program, monkeypatch):
    world.sent_order({"A": D(240), "C": D(900)})
    world.sent_order({"B": D(50)}, agreed=False)
    monkeypatch.setattr("northing.reports.line_book.rows.PAGE", 2)
    first = program.get("/lines", where="open").json()
    assert len(first["items"]) == 2 and first["items"][0]["position"]["with_supplier"] == "240"
    rest = program.get("/lines", where="open", after=first["next"]).json()
    assert [line["item"] for line in first["items"] + rest["items"]] == ["A", "C", "B"] and rest["next"] is None
    named = program.get("/lines", where="not agreed, from SEUR").json()
    assert [line["item"] for line in named["items"]] == ["B"]
    assert program.get("/lines", where="of nothing like it").json()["items"] == []


def test_answers_are_recorded_and_decided(world, program):
    order = world.sent_order({"A": D(240)}, agreed=False)
    part = Instalment.objects.get()
    later = (part.asked_on + timedelta(days=9)).isoformat()
    row = {"instalment": part.pk, "quantity": "240", "ready_on": later, "price": "18.40"}
    body = {"order": order.pk, "answered_on": TODAY.isoformat(), "rows": [row]}
    assert program.send("post", "/confirmations", body).status_code == 201
    waiting = program.get("/confirmations", outcome="open").json()["items"]
    assert [one["ready_on"] for one in waiting] == [later]
    decided = program.send("post", f"/confirmations/{waiting[0]['id']}/decision", {"decision": "accept"}).json()
    assert decided["outcome"] == "accepted" and Instalment.objects.get().promise.isoformat() == later


def test_prices_are_agreed(world, program):
    body = {"supplier": world.parties["USD"].pk, "item": "A", "price": "17.00", "valid_from": TODAY.isoformat()}
    answer = program.send("put", "/agreements", body | {"from_quantity": "500"})
    assert answer.json()["price"] == "17" and Agreement.objects.filter(from_quantity=500).count() == 1
    assert len(program.get("/agreements", supplier="SUSD").json()["items"]) == 3


def test_documents(world, program):
    order = world.sent_order({"A": D(240)})
    file = SimpleUploadedFile("paper.pdf", b"%PDF-1.7 x")
    made = program.client.post(f"/api/v1/orders/{order.pk}/documents", {"file": file})
    assert made.status_code == 201 and made.json()["media_type"] == "application/pdf"
    got = program.get(f"/documents/{made.json()['id']}")
    assert b"".join(got.streaming_content) == b"%PDF-1.7 x"
    bad = program.client.post(f"/api/v1/orders/{order.pk}/documents", {"file": SimpleUploadedFile("x.exe", b"")})
    assert bad.status_code == 422
    assert Program(world, "stranger").get(f"/documents/{made.json()['id']}").status_code == 404


def test_changes_since_a_cursor(world, program):
    world.sent_order({"A": D(240)})
    with time_machine.travel(NOW + timedelta(minutes=1)):
        first = program.get("/changes", limit=2).json()
        assert len(first["items"]) == 2 and any(record.startswith("order/") for record in first["items"][1]["records"])
        rest = program.get("/changes", after=first["next"]).json()
        assert rest["items"] and not {one["id"] for one in first["items"]} & {one["id"] for one in rest["items"]}
        end = program.get("/changes", after=rest["next"]).json()
        assert end == {"items": [], "next": rest["next"]}


def test_a_list_is_paged_to_its_end(world, program):
    for _ in range(5):
        world.sent_order({"A": D(1)})
    seen, after = [], ""
    while after is not None:
        answer = program.get("/orders", limit=2, after=after).json()
        seen += [order["number"] for order in answer["items"]]
        after = answer["next"]
    assert seen == [f"KLN-0000{n}" for n in (5, 4, 3, 2, 1)]


@pytest.mark.parametrize("after", ["x", "////", "e", "LTE", "w7Y", "9" * 200])
def test_a_cursor_that_is_none(world, program, after):
    assert program.get("/orders", after=after).status_code == 422


def calls():
    """(method, path) of every call, with ids of nothing."""
    for path, methods in api.get_openapi_schema()["paths"].items():
        for method in methods:
            yield method, path.removeprefix("/api/v1")


SCOPE_OF = {"orders": "orders", "confirmations": "confirmations", "documents": "documents"}
SCOPE_OF |= dict.fromkeys(("agreements", "suppliers", "items"), "suppliers")
SCOPE_OF |= dict.fromkeys(("events", "shipments", "voyages"), "passage") | dict.fromkeys(
    ("receipts", "questions", "stock"), "dock"
)
SCOPE_OF |= dict.fromkeys(("bills", "payments"), "bills")


def test_every_call_asks_for_a_token_and_for_its_scope(world):
    for role in ("shipping", "dock", "accounts"):
        world.people["expediter"].grants.get_or_create(company=world.nz, role=role)
    nobody, others = Client(), {scope: Program(world, scopes=[scope]) for scope in SCOPES}
    seen = 0
    for method, path in calls():
        url = path.format_map(defaultdict(lambda: 1))
        assert getattr(nobody, method)(f"/api/v1{url}").status_code == 401, (method, path)
        wanted = "read" if method == "get" else SCOPE_OF[path.strip("/").split("/")[-1 if "documents" in path else 0]]
        for scope, other in others.items():
            body = BODIES.get((method, path), {})
            if path.endswith("/documents") and method == "post":
                answer = other.client.post(f"/api/v1{url}", {"file": SimpleUploadedFile("a.csv", b"a")})
            elif method == "get":
                answer = other.get(url)
            else:
                answer = other.send(method, url, body)
            assert (answer.status_code == 403) == (scope != wanted), (method, path, scope, answer.content)
            seen += 1
    assert seen >= 80


MOVES = {"site": "TRG", "rows": [{"layer": 1, "bin": "DOCK", "quantity": "1", "to": "STORE"}]}
BILL = {"company": "KLN", "supplier": "USD", "number": "B", "day": "2026-11-24", "currency": "USD"}
PAYMENT = {"company": "KLN", "party": "USD", "day": "2026-11-24", "currency": "USD"}
BODIES = {
    ("post", "/bills"): BILL | {"lines": [{"order": "KLN-00001", "line": "1", "quantity": "1", "price": "1"}]},
    ("post", "/payments"): PAYMENT | {"parts": [{"bill": 1, "amount": "1"}]},
    ("post", "/shipments"): {"containers": []},
    ("put", "/shipments/{shipment_id}/load"): {"containers": []},
    ("post", "/voyages"): {
        "vessel": "V",
        "imo": "9074729",
        "number": "9",
        "carrier": "FWD",
        "calls": [{"port": "CNNGB"}, {"port": "NZTRG"}],
    },
    ("post", "/events"): {"source": "V", "events": []},
    ("put", "/suppliers"): {"code": "Q"},
    ("put", "/items"): {"code": "Q"},
    ("put", "/agreements"): {"supplier": 1, "item": "NOPE", "price": "1", "valid_from": NEED_BY},
    ("post", "/orders"): NEW | {"company": "NOPE"},
    ("patch", "/orders/{order_id}"): {"version": 0},
    ("post", "/confirmations"): {
        "order": 1,
        "answered_on": TODAY.isoformat(),
        "rows": [{"instalment": 1, "quantity": "1", "ready_on": NEED_BY, "price": "1"}],
    },
    ("post", "/confirmations/{answer_id}/decision"): {"decision": "accept"},
    ("post", "/receipts/{receipt_id}/tie"): {"order_line": 1, "occurred_on": TODAY.isoformat()},
    ("post", "/questions/{question_id}/answer"): {"no_more": True},
    ("post", "/stock/putaway"): MOVES,
    ("post", "/stock/moves"): MOVES,
    ("post", "/stock/moves/{move_id}/undo"): {"reason": "x"},
    ("post", "/stock/transfers"): {
        "site": "TRG",
        "to": "TRG",
        "sent_on": TODAY.isoformat(),
        "rows": [{"layer": 1, "bin": "STORE", "quantity": "1"}],
    },
    ("post", "/stock/transfers/{transfer_id}/arrivals"): {"rows": [{"line": 1, "quantity": "1"}]},
    ("post", "/stock/counts"): {
        "site": "TRG",
        "bin": "STORE",
        "item": "A",
        "counted": "1",
        "reason": "x",
        "occurred_on": TODAY.isoformat(),
    },
    ("post", "/receipts"): {
        "site": "TRG",
        "delivery_note": "DN",
        "received_on": TODAY.isoformat(),
        "rows": [{"instalment": 2**40, "quantity": "1"}],
    },
}


def test_every_call_is_blind_for_the_other_company(world):
    order = world.sent_order({"A": D(240)}, agreed=False)
    part = Instalment.objects.get()
    row = answers.AnswerRow(part.pk, D(240), part.asked_on + timedelta(days=1), part.pack_price)
    answers.record_answers(world.act("expediter"), answers.AnswersRequest(order.pk, "R", TODAY, (row,)))
    stranger, answer = Program(world, "stranger"), Answer.objects.get()
    shipment = world.shipment([order]).pk
    for method, path in calls():
        ids = {"order_id": order.pk, "answer_id": answer.pk, "shipment_id": shipment}
        url = path.format_map(defaultdict(lambda: 1, ids))
        body = BODIES.get((method, path), {}) | ({"order": order.pk} if path == "/confirmations" else {})
        if method == "get":
            found = stranger.get(url)
            assert found.status_code == 404 or b"KLN-" not in found.content, path
        elif "{" in path and not path.endswith("/documents") or path == "/confirmations":
            assert stranger.send(method, url, body).status_code == 404, (method, path)


def test_rights_of_the_person_hold(world):
    order = world.sent_order({"A": D(240)})
    dock = Program(world, "dock")
    assert dock.get(f"/orders/{order.pk}").status_code == 200
    assert dock.send("post", f"/orders/{order.pk}/cancel").status_code == 403
    assert dock.send("post", "/orders", NEW).status_code == 403


def test_a_token_ends(world, program):
    assert program.get("/orders").status_code == 200
    token = ApiToken.objects.get()
    assert program.token not in str(ApiToken.objects.values()) and token.used_at
    tokens.end_token(world.act("expediter"), token.pk)
    assert program.get("/orders").status_code == 401
    other = Program(world)
    with time_machine.travel(NOW + timedelta(days=31)):
        assert other.get("/orders").status_code == 401
    world.people["expediter"].__class__.objects.filter(username="expediter").update(is_active=False)
    assert Program(world).get("/orders").status_code == 401


def test_the_document_is_openapi(program):
    schema = Client().get("/api/v1/openapi.json").json()
    assert schema["openapi"].startswith("3.1") and "/api/v1/lines" in schema["paths"]
    order = schema["paths"]["/api/v1/orders"]["post"]
    assert "application/problem+json" in order["responses"]["422"]["content"]
    assert {"name": "Idempotency-Key", "in": "header"}.items() <= order["parameters"][0].items()
