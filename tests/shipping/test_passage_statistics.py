"""Covers what finished passages teach, and the range it gives to what is on its way."""

from datetime import timedelta

import pytest
from django.urls import reverse

from northing.actions.shipping import passage_statistics
from northing.actions.worklist.refresh import bring_along
from northing.masterdata.models import PastPassage
from northing.orders.models import Instalment, OrderLine
from northing.reports.ranges import Learnt, chances, part_ranges, shipment_range
from northing.shipping.models import LearntSpread, Shipment, ShipmentLine
from tests.shipping.test_reroute import heron, sailing, say  # noqa: F401
from tests.worlds import CONTAINERS, NOW, TODAY, D

DAY = timedelta(days=1)
PARTS = Instalment.objects.select_related("position", "line__order__supplier", "line__order__site")


def before(count=20, name="B", **late):
    """As many passages of the lane again: two days late to leave, two more at sea, one more inland; or later still."""
    past = PastPassage.objects.get(reference="BEFORE-1")
    for fact, days in late.items():
        setattr(past, fact, getattr(past, fact) + days * DAY)
    for number in range(count):
        past.pk, past.reference = None, f"{name}-{number}"
        past.save()


def ranged(shipment):
    found = shipment_range(Shipment.objects.get(pk=shipment.pk), Learnt(), TODAY)
    if found is None or found.likely is None:
        return None
    return [(found.likely - TODAY).days, (found.safe - TODAY).days, [(one.name, one.loses) for one in found.stretches]]


def test_nothing_is_learnt_of_few(world, heron):  # noqa: F811
    passage_statistics.learn_passages(NOW)
    assert LearntSpread.objects.get(key="sea|CNNGB|NZTRG|FWD").counts == {"2": 1}
    assert ranged(sailing(world, heron)) is None


def test_a_passage_from_the_factory_to_the_dock(world, heron):  # noqa: F811
    before()
    shipment = sailing(world, heron)
    passage_statistics.learn_passages(NOW)
    # Planned at the dock on day 31: two days are lost before it leaves, two at sea, one inland.
    assert ranged(shipment) == [36, 36, [("made ready", 2), ("at sea", 2), ("cleared and brought in", 1)]]
    # It left on its day: what it was to lose before is not lost.
    say(world, heron, "CNNGB", "departure", 0, "actual")
    assert ranged(shipment) == [31, 31, [("at sea", 2), ("cleared and brought in", 1)]]
    # Its carrier estimates the arrival ten days later: the spread around it is what remains of the sea.
    say(world, heron, "NZTRG", "arrival", 35)
    assert ranged(shipment) == [39, 39, [("at sea", 0), ("cleared and brought in", 1)]]


def test_the_chance_of_need_by_and_what_is_not_packed(world, heron):  # noqa: F811
    before(10)
    before(10, "LATE", received_on=1)
    passage_statistics.learn_passages(NOW)
    shipment = sailing(world, heron)
    say(world, heron, "CNNGB", "departure", 0, "actual")
    line = world.line("A")
    parts = list(PARTS.filter(line=line))
    shipment_lines = ShipmentLine.objects.select_related("container__shipment__voyage__carrier")
    [part] = part_ranges(shipment_lines, parts, TODAY + 31 * DAY, TODAY)
    assert (part.where, part.quantity) == (f"{CONTAINERS[0]} of {shipment}", D(100))
    # At the dock on day 28 by plan, two days are lost at sea; eleven of 21 lose one more inland, the others two.
    assert [(part.range.likely - TODAY).days, (part.range.safe - TODAY).days] == [31, 32]
    assert part.percent == round(100 * 11 / 21)
    waiting = PARTS.filter(line__order=world.sent_order({"C": D(10)}))
    [there] = part_ranges([], waiting, TODAY + 10 * DAY, TODAY)
    assert (there.where, there.percent) == ("with the supplier", 0)


def test_the_line_book_speaks_from_the_same_range(world, heron, client, django_assert_num_queries):  # noqa: F811
    before(10)
    before(10, "LATE", received_on=1)
    passage_statistics.learn_passages(NOW)
    sailing(world, heron)
    say(world, heron, "CNNGB", "departure", 0, "actual")
    packed, waiting = world.line("A"), world.sent_order({"C": D(10), "A": D(3)}).lines.all()
    needed = {packed.pk: TODAY + 31 * DAY} | {line.pk: TODAY + 300 * DAY for line in waiting}
    with django_assert_num_queries(7):
        assert chances(needed, TODAY) == {packed.pk: round(100 * 11 / 21)} | {line.pk: 100 for line in waiting}
    assert chances({}, TODAY) == {}
    client.force_login(world.people["expediter"])
    OrderLine.objects.filter(pk=packed.pk).update(need_by=TODAY)
    bring_along(dated=[one.pk for one in PARTS.filter(line=packed)])
    for url in (reverse("line", args=[packed.pk]), f"{reverse('lines')}?where=open"):
        assert "0 %" in client.get(url).content.decode()


def test_received_passages_teach_by_themselves(world, heron):  # noqa: F811
    shipment = sailing(world, heron)
    say(world, heron, "CNNGB", "departure", 0, "actual")
    say(world, heron, "NZTRG", "arrival", 0, "actual")
    world.receive(shipment, {"A": D(100)})
    passage_statistics.learn_passages(NOW)
    # It left three days early; was at sea 25 days less than planned; and received three days sooner than planned.
    assert LearntSpread.objects.get(key="ready|SUSD|CNNGB").counts == {"-3": 1, "2": 1}
    assert LearntSpread.objects.get(key="sea|CNNGB|NZTRG|FWD").counts == {"-25": 1, "2": 1}
    assert LearntSpread.objects.get(key="inland|NZTRG").counts == {"-3": 1, "1": 1}


@pytest.mark.parametrize("known", [True, False])
def test_the_pages_say_it_or_that_they_cannot(world, client, heron, known):  # noqa: F811
    if known:
        before()
        passage_statistics.learn_passages(NOW)
    shipment = sailing(world, heron)
    client.force_login(world.people["shipping"])
    words = "Likely at the dock" if known else "No range: fewer than five passages"
    for url in (reverse("shipment", args=[shipment.pk]), reverse("line", args=[world.line("A").pk])):
        assert words in client.get(url).content.decode()
