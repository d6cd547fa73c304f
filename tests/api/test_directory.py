"""Suppliers and items kept by programs."""

from decimal import Decimal as D

import pytest

from northing.activity.models import HistoryEntry
from northing.masterdata.models import Item, Party
from tests.api.conftest import Program

SUPPLIER = {"code": "NEW", "name": "New Works", "currency": "USD", "country": "CN", "tax_rate": "0.15"}
ITEM = {"code": "TRAY", "description": "Tray", "hs_code": "441990", "origin": "VN", "duty_rate": "0.05"}


def test_a_supplier_is_made_and_then_changed_by_what_is_said(world, program):
    made = program.send("put", "/suppliers", SUPPLIER).json()
    assert (made["code"], made["tax_rate"], made["passage_days"]) == ("NEW", "0.15", 40)
    changed = program.send("put", "/suppliers", {"code": "new", "city": "Ningbo"}).json()
    assert changed["id"] == made["id"] and (changed["city"], changed["name"]) == ("Ningbo", "New Works")
    assert [entry.channel for entry in HistoryEntry.objects.filter(action="keep_record")] == ["api", "api"]


def test_an_item_is_kept_with_its_packs(world, program):
    packs = [{"name": "carton", "factor": "12", "gtin": "09521000000124"}]
    made = program.send("put", "/items", ITEM | {"packs": packs, "inspected": True}).json()
    assert made["duty_rate"] == "0.05" and made["inspected"] is True
    assert made["packs"] == [{"name": "carton", "factor": "12", "gtin": "09521000000124"}]
    program.send("put", "/items", {"code": "TRAY", "packs": [packs[0] | {"factor": "10"}]})
    assert Item.objects.get(code="TRAY").packs.get().factor == D(10)


def test_an_item_whose_packs_are_wrong_is_not_half_kept(world, program):
    answer = program.send("put", "/items", ITEM | {"packs": [{"name": "carton", "factor": "0"}]})
    assert answer.status_code == 422 and "Units in it" in answer.json()["detail"]
    assert not Item.objects.filter(code="TRAY").exists()


@pytest.mark.parametrize(
    ("path", "body", "where"),
    [
        ("/items", ITEM | {"hs_code": "1"}, "hs_code"),
        ("/items", {"code": "Q"}, "description"),
        ("/suppliers", SUPPLIER | {"port": "NOPE"}, "port"),
        ("/suppliers", SUPPLIER | {"email": "x"}, "email"),
        ("/suppliers", {"code": "SUSD", "currency": "XXX"}, "currency"),
    ],
)
def test_what_is_wrong_is_said_where(world, program, path, body, where):
    answer = program.send("put", path, body)
    assert answer.status_code == 422 and where in [one["where"] for one in answer.json()["problems"]]
    assert not Party.objects.filter(code="NEW").exists()


def test_a_token_without_the_scope_keeps_nothing(world):
    reader = Program(world, scopes=("read", "orders"))
    assert reader.send("put", "/items", ITEM).status_code == 403
    dock = Program(world, "dock")
    assert dock.send("put", "/items", ITEM).status_code == 403


def test_events_are_pushed(world):
    pusher = Program(world, "shipping", scopes=("passage",))
    answer = pusher.send("post", "/events", {"source": "Vantara", "events": [{"eventID": "x"}]})
    assert answer.status_code == 200 and answer.json()["new"] == 0
    assert answer.json()["wrong"] == ["Event 1: eventType '' is none of TRANSPORT, EQUIPMENT, SHIPMENT."]
    viewer = Program(world, "viewer", scopes=("passage",))
    assert viewer.send("post", "/events", {"source": "V", "events": []}).status_code == 403


def test_more_than_one_call_takes_is_said(world):
    pusher = Program(world, "shipping", scopes=("passage",))
    answer = pusher.send("post", "/events", {"source": "V", "events": [{"eventID": "x" * 3_000_000}]})
    assert answer.status_code == 413 and answer["Content-Type"] == "application/problem+json"
