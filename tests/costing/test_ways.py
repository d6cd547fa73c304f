"""Wait, fly or fly a part: what each costs more, and when it is there."""

from datetime import timedelta

import pytest
from django.urls import reverse

from northing.access.models import Person
from northing.masterdata.models import RateCard
from northing.orders.models import Instalment, OrderLine
from northing.reports.line_ways import ways_of
from tests.costing.test_cost_sheet import carded  # noqa: F401
from tests.worlds import TODAY, D


@pytest.fixture
def flying(carded):  # noqa: F811
    """Air freight costs 4.85 dollars per chargeable kg."""
    facts = {"code": "AIR", "provider": carded.parties["provider"], "kind": "freight", "per": "chargeable kg"}
    RateCard.objects.create(**facts, price=D("4.85"), currency="USD", mode="air", valid_from=TODAY)
    RateCard.objects.filter(code="F20").update(mode="sea")
    carded.items["A"].delay_cost = D("20.00")
    carded.items["A"].save()
    return carded


def line_of(world, **items):
    order = world.sent_order({code: D(units) for code, units in items.items()})
    found = OrderLine.objects.select_related("item", "order__company", "order__supplier", "order__site")
    return found.prefetch_related("instalments__position").get(order=order)


def test_what_flying_costs_more(flying):
    line = line_of(flying, A=240)
    wait, part, everything = ways_of(line, D(60), TODAY)
    assert [way.flown for way in (wait, part, everything)] == [D(0), D(60), D(240)]
    assert wait.unit == D("33.4562") and wait.more == 0
    # 684 kg chargeable, 5,447.17 for 336.94; and a whole haulage of 420.00 for a part of one, 61.56.
    assert everything.more == D("5468.67")
    assert 0 < part.more < everything.more
    # By plan: 7 days from ready by air, the supplier's passage by sea; both flown in part wait for the sea.
    passage = line.order.supplier.passage_days
    assert (wait.likely - everything.likely).days == passage - 7 and part.likely == wait.likely
    assert wait.chances == ((D(240), None),) and part.chances == ((D(60), None), (D(180), None))


def test_delay_costs_by_the_days_after_need_by(flying):
    line = line_of(flying, A=240)
    line.need_by = ways_of(line, D(0), TODAY)[0].likely - timedelta(days=3)
    wait, part, everything = ways_of(line, D(60), TODAY)
    assert wait.delay == D("60.00") and everything.delay == 0 and everything.whole == everything.more
    # Three quarters of the line wait.
    assert part.delay == D("45.00")


def test_the_page_divides_the_line(flying, client):
    line = line_of(flying, A=240)
    client.force_login(Person.objects.get(username="buyer"))
    address = reverse("line-ways", args=[line.pk])
    page = client.get(address).content.decode()
    assert "Fly a part <small>120</small>" in page and "5,468.67" in page and "no route by air is kept" in page
    for said in ("x", "-5", "1e9", "%00", "9" * 40):
        assert client.get(f"{address}?fly={said}").status_code == 200
    done = client.post(address, {"key": "k", "fly": "60"})
    assert done.status_code == 302
    parts = Instalment.objects.filter(line=line, position__with_supplier__gt=0).order_by("pk")
    assert [part.position.with_supplier for part in parts] == [D(180), D(60)]
    again = client.post(address, {"key": "k", "fly": "60"})
    # The line is another one now: pressed twice, it is not divided twice.
    assert again.status_code == 422 and Instalment.objects.filter(line=line).count() == 2
    client.force_login(Person.objects.get(username="dock"))
    assert client.post(address, {"key": "l", "fly": "30"}).status_code == 403
    assert Instalment.objects.filter(line=line).count() == 2
    client.force_login(Person.objects.get(username="stranger"))
    assert client.get(address).status_code == 404


def test_nothing_is_left_to_fly(flying, client):
    line = line_of(flying, A=240)
    flying.shipment([line.order])
    client.force_login(Person.objects.get(username="buyer"))
    assert (
        "Nothing of the line is with the supplier" in client.get(reverse("line-ways", args=[line.pk])).content.decode()
    )
