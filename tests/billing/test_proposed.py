"""A provider's bill over several kinds and shipments: its estimates stand there, and are checked and not typed."""

import re

from django.urls import reverse

from northing.access.models import Person
from northing.actions.costing import charges
from northing.billing.models import Bill
from northing.costing.models import Charge
from tests.worlds import CONTAINERS, TODAY, D


def estimated(world, shipment, kind, amount, currency="USD"):
    payee = world.parties["provider"].pk
    asked = charges.ChargeRequest(world.nz.pk, payee, kind, "value", currency, D(amount), TODAY, (shipment.pk,))
    return charges.enter_estimate(world.act("costs"), asked)


def rows_of(page):
    """The amounts that stand in the rows."""
    found = re.findall(r'<input[^>]*name="amount-line-\d+"[^>]*>', page)
    return [re.search(r'value="([^"]*)"', one).group(1) if "value=" in one else "" for one in found]


def test_three_kinds_over_two_shipments_are_booked_as_they_were_estimated(world, client):
    first = world.shipment([world.sent_order({"A": D(10)})])
    second = world.shipment([world.sent_order({"C": D(90)})], CONTAINERS[1])
    keys = [
        estimated(world, first, "freight", "1200.00"),
        estimated(world, first, "handling", "80.00"),
        estimated(world, second, "haulage", "310.50"),
        estimated(world, second, "storage", "40.00", "NZD"),
    ]
    client.force_login(Person.objects.get(username="costs"))
    payee = world.parties["provider"].pk
    page = client.get(reverse("new-bill")).content.decode()
    assert f"?payee={payee}" in page
    page = client.get(reverse("new-bill") + f"?payee={payee}").content.decode()
    # What is estimated in another currency is of another paper.
    assert rows_of(page) == ["1,200.00", "80.00", "310.50"]
    assert (
        rows_of(client.get(reverse("new-bill") + f"?payee={payee}&shipment={second.pk}").content.decode())[0]
        == "310.50"
    )
    rows = {f"charge-line-{place}": key for place, key in enumerate(keys[:3])}
    rows |= {f"amount-line-{place}": amount for place, amount in enumerate(("1,200.00", "80.00", "310.50"))}
    facts = {"key": "k", "act": "book", "rows": 3, "kind": "bill", "company": world.nz.pk, "payee": payee}
    facts |= {"bill_number": "F-1", "day": str(TODAY), "currency": "USD", "total": "1590.51"} | rows
    off = client.post(reverse("new-bill"), facts)
    assert off.status_code == 422 and not Bill.objects.exists()
    booked = client.post(reverse("new-bill"), facts | {"total": "1590.50"})
    assert booked.status_code == 302 and Charge.objects.filter(closed_on=None).get().pk == keys[3]
    again = client.post(reverse("new-bill"), facts | {"total": "1590.50", "key": "l"})
    assert again.status_code == 422 and Bill.objects.count() == 1


def test_nothing_is_proposed_of_other_companies_and_nonsense_does_no_harm(world, client):
    estimated(world, world.shipment([world.sent_order({"A": D(10)})]), "freight", "1200.00")
    payee = world.parties["provider"].pk
    stranger = Person.objects.get(username="stranger")
    stranger.grants.create(company=world.au, role="costs")
    client.force_login(stranger)
    assert "1,200.00" not in client.get(reverse("new-bill") + f"?payee={payee}").content.decode()
    for said in ("x", "0", "9" * 30, "%00", "1&shipment=x"):
        assert client.get(reverse("new-bill") + f"?payee={said}").status_code == 200
