"""Legs as they are typed: their days from the voyage, and errors that name their leg."""

from datetime import timedelta

from django.urls import reverse

from northing.actions.shipping import pack
from northing.masterdata.models import Port
from northing.shipping.models import Leg
from northing.shipping.operations import CallPlan
from tests.worlds import TODAY, D

LATER = TODAY + timedelta(days=20)


def test_a_leg_between_ports_of_the_voyage_has_its_days_and_a_wrong_one_is_named(world, signed_in):
    Port.objects.filter(code="CNNGB").update(name="Ningbo")
    calls = (CallPlan("CNNGB", None, TODAY), CallPlan("NZTRG", LATER, None))
    asked = pack.VoyageRequest("Tern", "9074729", "7S", world.parties["provider"].pk, calls)
    voyage = pack.create_voyage(world.act("shipping"), asked)
    world.sent_order({"A": D(10)})
    shipment = pack.create_shipment(world.act("shipping"), pack.ShipmentRequest())
    url = reverse("plan", args=[shipment])
    page = signed_in("shipping")
    said = {"key": "k", "voyage": voyage, "legs-TOTAL_FORMS": "2", "legs-INITIAL_FORMS": "0"}
    said |= {"legs-0-mode": "sea", "legs-0-origin": "ningbo", "legs-0-destination": "NZTRG"}
    said |= {"legs-1-mode": "road", "legs-1-origin": "NZTRG", "legs-1-destination": "the dock"}
    missing = page.post(url, said)
    assert missing.status_code == 422 and b"Fill in from, to, start and end" in missing.content
    said |= {"legs-1-start": TODAY.isoformat(), "legs-1-end": LATER.isoformat()}
    early = page.post(url, said)
    assert b"The leg from NZTRG to the dock starts before the one above it ends." in early.content
    assert page.post(url, said | {"legs-1-start": LATER.isoformat(), "voyage": "x"}).status_code == 422
    assert page.post(url, said | {"legs-1-start": LATER.isoformat()}).status_code == 302
    sea = Leg.objects.get(shipment=shipment, number=1)
    assert (sea.planned_start, sea.planned_end, sea.load_call.voyage_id) == (TODAY, LATER, voyage)
