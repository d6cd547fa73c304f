"""The loading list and the loading surface as pages: filters, groups, what is typed and refused, proposals."""

import json
from decimal import Decimal as D

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from northing.access.models import Person
from northing.formats.identifiers import with_container_check_digit
from northing.masterdata.models import Party
from northing.orders.models import Instalment
from northing.shipping.models import Container, Shipment, ShipmentLine
from tests.stages import staged
from tests.worlds import CONTAINERS

BOX = {"box-0-id": "", "box-0-number": CONTAINERS[0], "box-0-type": "22G1", "box-0-seal": "S1", "box-0-gone": ""}


def wait_for_loading(world):
    """Two agreed lines and one that is not."""
    Party.objects.filter(code="SUSD").update(port="CNNGB")
    world.sent_order({"A": D(100), "C": D(300)})
    world.sent_order({"B": D(50)}, agreed=False)


to_load = staged("to_load", wait_for_loading)


@pytest.fixture
def desk(to_load, client):
    """The shipping coordinator, before them."""
    client.force_login(Person.objects.get(username="shipping"))
    return client


def shown(answer):
    return [part.line.item.code for part in answer.context["parts"]]


@pytest.mark.parametrize(
    ("query", "codes"),
    [
        ("", ["A", "B", "C"]),
        ("?port=CNNGB", ["A", "C"]),
        ("?supplier=SEUR", ["B"]),
        ("?site=TRG&agreed=1", ["A", "C"]),
        ("?q=kettl", ["A"]),
        ("?by=2026-01-01", []),
        ("?by=never&port=%00&group=what", ["A", "B", "C"]),
        ("?group=supplier", ["A", "B", "C"]),
    ],
)
def test_the_list_and_its_filters(desk, query, codes):
    assert sorted(shown(desk.get(reverse("loading-list") + query))) == codes


@pytest.mark.parametrize("group", ["port", "supplier", "site", "order", "week"])
def test_groups_add_up_to_all_that_is_shown(desk, group):
    context = desk.get(f"{reverse('loading-list')}?group={group}").context
    assert sum(row["lines"] for row in context["groups"]) == context["totals"]["lines"] == 3
    assert sum(row["cubic"] for row in context["groups"]) == context["totals"]["cubic"] == D("2.748")


def test_what_is_picked_stands_on_the_surface(desk):
    parts = Instalment.objects.order_by("pk")
    picked = desk.get(reverse("load-new"), {"part": [parts[0].pk, "x", 10**20]})
    assert [row.part.pk for row in picked.context["rows"]] == [parts[0].pk]
    every = desk.get(reverse("load-new"), {"all": "1", "agreed": "1"})
    assert [row.part.line.item.code for row in every.context["rows"]] == ["A", "C"]


def test_a_load_is_kept_and_changed(desk):
    kettles, infusers, _ = Instalment.objects.order_by("pk")
    cells = {f"cell-{kettles.pk}-0": "1,00", f"cell-{infusers.pk}-0": "200"}
    done = desk.post(reverse("load-new"), {"key": "k", **BOX, **cells})
    made = Shipment.objects.get()
    assert done.headers["Location"] == reverse("shipment", args=[made.pk])
    page = desk.get(reverse("load", args=[made.pk]))
    assert [(row.cells[0].typed, int(row.rest)) for row in page.context["rows"]] == [("100", 0), ("200", 100)]
    box = BOX | {"box-0-id": Container.objects.get().pk, "seen": page.context["form"]["seen"].value()}
    assert desk.post(page.request["PATH_INFO"], {"key": "k2", **box, f"cell-{infusers.pk}-0": ""}).status_code == 302
    assert ShipmentLine.objects.get().quantity == 100
    # The page was made before that: it is refused, and what was typed stands there still.
    late = desk.post(page.request["PATH_INFO"], {"key": "k3", **box, f"cell-{infusers.pk}-0": "7", "part": infusers.pk})
    assert late.status_code == 422
    assert "changed this shipment meanwhile" in late.content.decode()
    assert [row.cells[0].typed for row in late.context["rows"]] == ["100", "7"]


@pytest.mark.parametrize("value", ["x", "1.5", "-3", "9" * 40, "1e3", "\x00"])
def test_bad_figures_are_said_at_their_cell(desk, value):
    part = Instalment.objects.order_by("pk").first()
    answer = desk.post(reverse("load-new"), {"key": "k", **BOX, f"cell-{part.pk}-0": value, "part": part.pk})
    assert answer.status_code == 422
    [row] = answer.context["rows"]
    assert row.cells[0].says
    assert row.cells[0].typed == value[:24]
    assert not Shipment.objects.exists()


@pytest.mark.parametrize("odd", ["cell-1", "cell-x-0", "cell-1-999999", f"cell-{9**30}-0", "box-0-id"])
def test_odd_names_do_nothing(desk, odd):
    assert desk.post(reverse("load-new"), {"key": "k", **BOX, odd: "5"}).status_code in (302, 422)


def propose(desk, rows):
    return desk.post(reverse("propose-loading"), json.dumps({"rows": rows}), content_type="application/json")


def test_a_proposal_is_of_what_is_there(desk):
    kettles, infusers, cups = Instalment.objects.order_by("pk")
    answer = propose(desk, {kettles.pk: "100", infusers.pk: "9999", 10**9: "1"}).json()
    assert answer == {"boxes": [{"type": "22G1", "rows": [[kettles.pk, "100"], [infusers.pk, "300"]]}]}
    cups.line.item.volume_m3 = D(100)
    cups.line.item.save()
    assert "larger than every container type" in propose(desk, {cups.pk: "1"}).json()["says"]


@pytest.mark.parametrize("rows", [None, [], {"x": "1"}, {"1": "NaN"}, {"1": "-1"}, {"1": "1e99"}, {str(9**40): "1"}])
def test_a_proposal_for_nonsense_is_a_sentence(desk, rows):
    answer = propose(desk, rows)
    assert answer.status_code == 422
    assert answer.json()["says"]


def test_a_shipment_that_has_departed_is_loaded_no_more(desk, world):
    shipment = world.shipment([world.sent_order({"A": D(5)})])
    world.say(shipment, "departure")
    answer = desk.get(reverse("load", args=[shipment.pk]), follow=True)
    assert "what is aboard stays" in answer.content.decode()


def test_queries_of_the_surface_do_not_grow(desk, world):
    counted = []
    for count in (2, 40):
        numbers = [with_container_check_digit(f"QXNU{count:03d}{n:03d}") for n in range(count // 2)]
        boxes = {f"box-{n}-{name}": value for n, number in enumerate(numbers) for name, value in named(number)}
        parts = Instalment.objects.filter(line__order=world.sent_order({"A": D(200)}))
        cells = {f"cell-{parts[0].pk}-{n}": "5" for n in range(len(numbers))}
        desk.post(reverse("load-new"), {"key": f"k{count}", **boxes, **cells})
        url = reverse("load", args=[Shipment.objects.latest("pk").pk])
        desk.get(url)
        with CaptureQueriesContext(connection) as queries:
            assert desk.get(url).status_code == 200
        counted.append(len(queries))
    assert counted[0] == counted[1] <= 20


def named(number):
    return (("id", ""), ("number", number), ("type", "22G1"), ("seal", ""), ("gone", ""))
