"""What a cost is for, by the names on paper: shipments, containers, voyages, orders, lines."""

import pytest

from northing.actions.costing.named import NoSuchName, named_scope
from northing.shipping.models import Container, Shipment, Voyage
from tests.worlds import CONTAINERS, D


@pytest.fixture
def aboard(world):
    """Two shipments on one voyage, and a voyage of that number on another vessel."""
    world.both = [
        world.shipment([world.sent_order({"A": D(10)})]),
        world.shipment([world.sent_order({"C": D(20)})], CONTAINERS[1]),
    ]
    said = {"number": "031E", "carrier": world.parties["provider"]}
    world.voyages = [Voyage.objects.create(vessel=name, imo=imo, **said) for name, imo in (("A", "1"), ("B", "2"))]
    Shipment.objects.update(voyage=world.voyages[0])
    return world


def test_a_voyage_means_the_shipments_aboard(aboard):
    keys = tuple(one.pk for one in aboard.both)
    assert named_scope(["031e"], aboard.people["costs"]).shipments == keys
    # Named twice they count once; containers stay containers.
    found = named_scope(["031E", aboard.both[0].reference, CONTAINERS[1]], aboard.people["costs"])
    assert found.shipments == keys and found.containers == (Container.objects.get(number=CONTAINERS[1]).pk,)


def test_a_number_that_several_vessels_have_is_not_guessed(aboard):
    Shipment.objects.filter(pk=aboard.both[1].pk).update(voyage=aboard.voyages[1])
    with pytest.raises(NoSuchName, match="Several vessels have a voyage 031E"):
        named_scope(["031E"], aboard.people["costs"])
    with pytest.raises(NoSuchName, match="no voyage of that number"):
        named_scope(["031E"], aboard.people["stranger"])
