"""What a paper on the table may be for: by its number, its delivery note, its item or its total."""

from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.reports.fitting_bills import fitting_bills


@pytest.fixture
def orders(world):
    """Kettles for 184.00 and cups for 10.70 dollars, both ours and afloat."""
    found = [world.sent_order({"A": D(10)}), world.sent_order({"C": D(10)})]
    world.say(world.shipment(found), "departure")
    return found


@pytest.mark.parametrize(
    ("said", "first", "why"),
    [
        ("kln-00002", "Order KLN-00002", "named on the paper"),
        ("184", "Order KLN-00001", "the very amount"),
        ("194.70", "Shipment", "the very amount"),
        ("190.00", "Order KLN-00001", "near the amount"),
        ("a", "Order KLN-00001", "named on the paper"),
    ],
)
def test_the_best_comes_first_and_says_why(world, orders, said, first, why):
    found = fitting_bills(said, [world.nz.pk])
    assert any(one.words.startswith(first) and one.why == why for one in found[:2]), found


def test_nothing_fits_nothing_and_nobody_sees_another_company(world, orders):
    assert fitting_bills(" ", [world.nz.pk]) == fitting_bills("zzz\x00", [world.nz.pk]) == []
    assert fitting_bills("184", [world.au.pk]) == []


def test_the_page_finds_and_opens_the_bill(world, orders, signed_in):
    page = signed_in("costs")
    shown = page.get(reverse("supplier-bill") + "?find=184.00").content.decode()
    assert "the very amount" in shown and f"?order={orders[0].pk}" in shown
