"""The story of a record: what it names, and to whom."""

from datetime import timedelta
from decimal import Decimal as D

from django.urls import reverse

from northing.access.models import Grant
from northing.actions.orders import amend
from tests.worlds import TODAY


def test_the_story_names_the_lines_it_is_about_of_ones_own_companies_only(world, signed_in):
    ours, theirs = world.sent_order({"A": D(20), "C": D(10)}), world.sent_order({"C": D(40)}, company=world.au)
    shipment = world.shipment([ours, theirs])
    world.say(shipment, "departure")
    line = ours.lines.get(item__code="C")
    amend.set_need_by(world.act("expediter"), amend.NeedByRequest(line.pk, TODAY + timedelta(days=99)))
    page = signed_in("expediter").get(reverse("order", args=[ours.pk])).content.decode()
    assert "line 2 C" in page.split('class="story"')[1]
    assert f"{theirs.number}/1" in signed_in("expediter").get(reverse("shipment", args=[shipment.pk])).content.decode()
    Grant.objects.filter(person=world.people["viewer"], company=world.au).delete()
    seen = signed_in("viewer").get(reverse("shipment", args=[shipment.pk])).content.decode()
    assert theirs.number not in seen and ours.number in seen
