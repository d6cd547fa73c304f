"""Shipments, what is in them, voyages and positions over the API."""

from datetime import timedelta

import pytest

from northing.orders.models import Instalment
from northing.shipping.models import Shipment
from tests.api.conftest import Program
from tests.worlds import CONTAINERS, TODAY, D

DAY = timedelta(days=1)
CALLS = [
    {"port": "cnngb", "departure": (TODAY + 3 * DAY).isoformat()},
    {"port": "NZTRG", "arrival": (TODAY + 28 * DAY).isoformat()},
]
VOYAGE = {"vessel": "Heron", "imo": "9074729", "number": "1S", "carrier": "fwd", "calls": CALLS}


@pytest.fixture
def shipping(world):
    """A program of the shipping coordinator's, and the instalments of an order that waits to be loaded."""
    order = world.sent_order({"A": D(100), "C": D(300)})
    world.parts = list(Instalment.objects.filter(line__order=order).order_by("pk"))
    return Program(world, "shipping")


def box(*rows, **more):
    held = [{"instalment": part.pk, "quantity": quantity} for part, quantity in rows]
    return {"number": CONTAINERS[0], "size_type": "22G1", "rows": held} | more


def test_a_shipment_is_built_and_changed(world, shipping):
    kettles, infusers = world.parts
    sails = shipping.send("post", "/voyages", VOYAGE).json()["id"]
    asked = {"containers": [box((kettles, "60"))], "route": "Ningbo to TRG", "voyages": [sails], "document": "BL 1"}
    late = shipping.send("post", "/shipments", asked)
    assert late.status_code == 422 and "after their collection ends" in late.json()["problems"][0]["what"]
    asked["accept"] = True
    made = shipping.send("post", "/shipments", asked, idempotency_key="k")
    assert made.status_code == 201
    key = made.json()["id"]
    assert shipping.send("post", "/shipments", asked, idempotency_key="k").json() == made.json()
    assert Shipment.objects.count() == 1
    whole = shipping.get(f"/shipments/{key}").json()
    assert (whole["document"], whole["voyage"], len(whole["legs"])) == ("BL 1", sails, 3)
    [held] = whole["lines"]
    assert (held["item"], held["quantity"], held["accounted"]) == ("A", "60", "0")
    there = whole["containers"][0]["id"]
    change = {"containers": [box((kettles, "0"), (infusers, "310"), id=there)]}
    refused = shipping.send("put", f"/shipments/{key}/load", change)
    assert refused.status_code == 422
    assert refused.json()["problems"][0]["where"] == f"cell-{infusers.pk}-0"
    change = {"containers": [box((kettles, "0"), (infusers, "300"), id=there)], "accept": True}
    loaded = shipping.send("put", f"/shipments/{key}/load", change).json()
    assert loaded["id"] == key and "after their collection ends" in loaded["warnings"][0]
    places = {one["item"]: one["places"] for one in shipping.get("/positions").json()["items"]}
    assert (places["A"]["with_supplier"], places["C"]["packed"]) == ("100", "300")
    page = shipping.get("/shipments", under_way=True, limit=1).json()
    assert [one["id"] for one in page["items"]] == [key]
    assert page["next"] is None


EVENT = {
    "eventType": "EQUIPMENT",
    "equipmentEventTypeCode": "DISC",
    "eventClassifierCode": "ACT",
    "eventDateTime": "2026-11-20T08:00:00+13:00",
    "eventCreatedDateTime": "2026-11-20T09:00:00+13:00",
    "equipmentReference": "QXNU1000015",
}


def test_voyages(world, shipping):
    key = shipping.send("post", "/voyages", VOYAGE).json()["id"]
    [one] = shipping.get("/voyages").json()["items"]
    assert (one["id"], one["carrier"], one["called_off"]) == (key, "FWD", False)
    assert [(call["port"], call["expected_departure"]) for call in one["calls"]] == [
        ("CNNGB", "2026-11-27"), ("NZTRG", None),
    ]  # fmt: skip
    for wrong, words in (
        ({"carrier": "NOBODY"}, "not the code of a service provider"),
        ({"calls": [CALLS[0], {"port": "XXXXX"}]}, "not a port that we know"),
        ({"imo": "9074728"}, "check digit"),
        ({}, "known already"),
    ):
        answer = shipping.send("post", "/voyages", VOYAGE | wrong)
        assert answer.status_code == 422
        assert words in answer.json()["detail"]


def test_others_goods_are_not_seen_nor_touched(world, shipping):
    built = shipping.send("post", "/shipments", {"containers": [box((world.parts[0], "60"))]}).json()["id"]
    stranger = Program(world, "stranger")
    assert stranger.get(f"/shipments/{built}").status_code == 404
    assert stranger.get("/shipments").json()["items"] == []
    assert stranger.get("/positions").json()["items"] == []
    assert stranger.send("put", f"/shipments/{built}/load", {"containers": []}).status_code == 404
    assert stranger.send("post", "/shipments", {"containers": []}).status_code == 403
    only_reads = Program(world, "shipping", ("read",))
    assert only_reads.send("post", "/shipments", {"containers": []}).status_code == 403
    assert only_reads.get(f"/shipments/{built}").status_code == 200


def test_events_are_read_with_what_became_of_them(world, shipping):
    sent = [{"eventID": f"e{number}", **EVENT} for number in range(3)]
    heard = shipping.send("post", "/events", {"source": "Vantara", "events": sent}).json()
    assert (heard["new"], heard["waits"]) == (3, 3)
    first = shipping.get("/events?limit=2&state=waits").json()
    assert [one["event_id"] for one in first["items"]] == ["e2", "e1"]
    assert (first["items"][0]["container"], first["items"][0]["retracted"]) == ("QXNU1000015", False)
    assert "was under way on that day" in first["items"][0]["says"]
    rest = shipping.get(f"/events?limit=2&after={first['next']}").json()
    assert [one["event_id"] for one in rest["items"]] == ["e0"] and rest["next"] is None
    assert shipping.get("/events?state=tied").json()["items"] == []
