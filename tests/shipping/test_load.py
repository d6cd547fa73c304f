"""Building a shipment in one action: its containers and what they hold, its route and voyages."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.db import transaction
from django.urls import reverse

from northing.actions.shipping import load as loading
from northing.actions.shipping import pack
from northing.actions.shipping import route as routing
from northing.actions.shipping.build import BuildRequest, NewVoyage, build
from northing.activity.models import HistoryEntry
from northing.core.problems import NotAllowed, Refused
from northing.formats.identifiers import with_container_check_digit, with_imo_check_digit
from northing.masterdata.models import Party
from northing.orders.models import Instalment
from northing.positions.models import Position
from northing.reports.proofs import position_faults
from northing.shipping.models import Container, Leg, Shipment, ShipmentLine, Voyage
from northing.shipping.operations import CallPlan
from northing.shipping.queries import packing_mark
from tests.worlds import CONTAINERS, TODAY

DAY = timedelta(days=1)
ONE, TWO = CONTAINERS


@pytest.fixture
def parts(world):
    """100 kettles and 300 infusers of one order, 50 kettles of another; agreed."""
    first, second = world.sent_order({"A": D(100), "C": D(300)}), world.sent_order({"A": D(50)})
    return list(Instalment.objects.filter(line__order__in=[first, second]).order_by("pk"))


@pytest.fixture
def shipment(world):
    return pack.create_shipment(world.act("shipping"), pack.ShipmentRequest())


def box(*rows, container=None, number=ONE, kind="22G1", **more):
    held = tuple((part.pk if hasattr(part, "pk") else part, D(quantity)) for part, quantity in rows)
    return loading.Box(container, number, kind, "", held, **more)


def load(world, shipment, *boxes, who="shipping", **more):
    return loading.load(world.act(who), loading.LoadRequest(shipment, boxes, **more))


def refused(world, shipment, *boxes, **more):
    before = stowed(), Container.objects.count()
    with pytest.raises(Refused) as error, transaction.atomic():
        load(world, shipment, *boxes, **more)
    assert (stowed(), Container.objects.count()) == before, "nothing is half done"
    return error.value.problems


def stowed():
    """(container, item, quantity) of all that is stowed."""
    rows = ShipmentLine.objects.values_list("container__number", "instalment__line__item__code", "quantity")
    return sorted((number, item, int(quantity)) for number, item, quantity in rows)


def places(part):
    """Where an instalment's units are: with the supplier, packed, and beyond the order."""
    position = Position.objects.get(pk=part.pk)
    return int(position.with_supplier), int(position.packed), int(position.excess)


def test_several_containers_in_one_pass_and_changed_again(world, parts, shipment):
    kettles, infusers, more = parts
    load(world, shipment, box((kettles, 60), (infusers, 300)), box((kettles, 40), (more, 20), number=TWO))
    assert stowed() == [(ONE, "A", 60), (ONE, "C", 300), (TWO, "A", 20), (TWO, "A", 40)]
    assert (places(kettles), places(more)) == ((0, 100, 0), (30, 20, 0))
    first, second = Container.objects.order_by("pk")
    # Split, moved and taken out at once: what is not named stays as it is.
    again = [
        box((kettles, 10), container=first.pk),
        box((kettles, 80), (more, 0), container=second.pk, number=TWO),
    ]
    load(world, shipment, *again)
    assert stowed() == [(ONE, "A", 10), (ONE, "C", 300), (TWO, "A", 80)]
    assert (places(kettles), places(more)) == ((10, 90, 0), (50, 0, 0))
    assert position_faults() == []
    told = HistoryEntry.objects.filter(action="stow").latest("pk").text
    assert told == f"Packed 1 part into {TWO}; Took out 2 parts of {ONE}, {TWO} of {Shipment.objects.get()}"
    # Said again it changes nothing, and is not told.
    count = HistoryEntry.objects.count()
    load(world, shipment, *again)
    assert HistoryEntry.objects.count() == count


def test_a_container_gets_another_number_or_leaves(world, parts, shipment):
    load(world, shipment, box((parts[0], 60)))
    there = Container.objects.get()
    load(world, shipment, box(container=there.pk, number=TWO, kind="45G1"))
    there.refresh_from_db()
    assert (there.number, there.size_type) == (TWO, "45G1")
    assert "still holds goods" in str(refused(world, shipment, box(container=there.pk, gone=True))[0])
    load(world, shipment, box((parts[0], 0), container=there.pk, gone=True))
    assert not Container.objects.exists()
    assert places(parts[0]) == (100, 0, 0)


@pytest.mark.parametrize(
    ("row", "more", "words", "where"),
    [
        ((0, "100.5"), {}, "counted in whole pc", "cell-{}-0"),
        ((0, "-1"), {}, "above 0", "cell-{}-0"),
        ((0, "101"), {}, "Only 100 pc of A are still with the supplier. Pack at most 100", "cell-{}-0"),
        ((None, "1"), {}, "does not exist", "cell-{}-0"),
        ((0, "1"), {"number": "QXNU1000011"}, "check digit", "box-0-number"),
        ((0, "1"), {"kind": "XXXX"}, "no type of container", "box-0-type"),
        ((0, "1"), {"container": 10**9}, "not in the shipment any more", "box-0"),
        ((0, "1"), {"number": "", "kind": "LOOS"}, "need a mark", "box-0-number"),
    ],
)
def test_what_is_refused_and_where(world, parts, shipment, row, more, words, where):
    key = 10**9 if row[0] is None else parts[row[0]].pk
    found = refused(world, shipment, box((key, row[1]), **more))
    assert words in str(found[0])
    assert found[0].where == where.format(key)
    assert not ShipmentLine.objects.exists()


def test_containers_that_were_added_and_not_used_are_left_out(world, parts, shipment):
    """Added and removed again, or of which nothing is said and nothing is in: neither is refused, however many."""
    unused = [box(number="", gone=True), box(number=""), box(number=" ", gone=True)]
    load(world, shipment, *unused, box((parts[0], 60)), box(number="", kind="LOOS"))
    assert stowed() == [(ONE, "A", 60)]
    assert Container.objects.count() == 1
    # What is in it needs its number, and the place of what is wrong is the one where it stands.
    assert refused(world, shipment, *unused, box((parts[1], 1), number=""))[0].where == "box-3-number"


def test_the_same_container_twice_and_too_many(world, parts, shipment):
    assert "in the shipment already" in str(refused(world, shipment, box((parts[0], 1)), box((parts[0], 1)))[0])
    assert "More than 60" in str(refused(world, shipment, *[box()] * 61)[0])
    assert "no such shipment" in str(refused(world, 10**9, box())[0])


def test_more_than_ordered_within_tolerance_passes_beyond_it_a_buyer_decides(world, parts, shipment):
    Party.objects.filter(code="SUSD").update(over_tolerance=D(5))
    done = load(world, shipment, box((parts[0], 103)))
    assert done["warnings"] == ["3 pc of A more than KLN-00001/1 orders are packed."]
    assert places(parts[0]) == (0, 103, 3)
    there = Container.objects.get().pk
    found = refused(world, shipment, box((parts[0], 106), container=there))
    assert (str(found[0].strength), "at most 2" in str(found[0])) == ("ask", True)
    # Who packs may not decide it; who buys and packs may.
    assert refused(world, shipment, box((parts[0], 106), container=there), beyond=True)
    world.people["shipping"].grants.create(company=world.nz, role="buyer")
    load(world, shipment, box((parts[0], 106), container=there), beyond=True)
    assert places(parts[0]) == (0, 106, 6)
    # What was beyond the order goes first.
    load(world, shipment, box((parts[0], 95), container=there))
    assert places(parts[0]) == (5, 95, 0)
    assert position_faults() == []


def test_too_full_and_too_heavy_warn_and_let_pass(world, parts, shipment):
    world.items["A"].volume_m3, world.items["A"].weight_kg = D("0.5"), D(400)
    world.items["A"].save()
    done = load(world, shipment, box((parts[0], 60)))
    assert [text.split(" ", 1)[1] for text in done["warnings"]] == [
        "holds 30 of 28 m3. Move something into another container.",
        "weighs 24000 kg, above its payload of 21700 kg. Move something into another container.",
    ]
    # A container may say its own limits; loose packages have none.
    Container.objects.update(volume_m3=D(40), payload_kg=D(30000))
    assert load(world, shipment)["warnings"] == []
    assert load(world, shipment, box((parts[0], 40), number="pallets 1-4", kind="LOOS"))["warnings"] == []


def test_somebody_else_changed_it_meanwhile(world, parts, shipment):
    companies = {world.nz.pk, world.au.pk}
    seen = packing_mark(shipment, companies)
    load(world, shipment, box((parts[0], 10)), seen=seen)
    assert "changed this shipment meanwhile" in str(refused(world, shipment, box((parts[1], 5)), seen=seen)[0])
    there = Container.objects.get().pk
    load(world, shipment, box((parts[1], 5), container=there), seen=packing_mark(shipment, companies))
    assert stowed() == [(ONE, "A", 10), (ONE, "C", 5)]


def test_what_has_departed_or_is_ours_or_billed_stays(world, parts, shipment):
    load(world, shipment, box((parts[0], 10)))
    there = Container.objects.get().pk
    ShipmentLine.objects.update(ours_on=TODAY)
    assert "received or ours already" in str(refused(world, shipment, box((parts[0], 5), container=there))[0])
    # More of it is stowed beside it, as goods that are not ours yet.
    load(world, shipment, box((parts[0], 15), container=there))
    assert sorted(int(row.quantity) for row in ShipmentLine.objects.all()) == [5, 10]
    Shipment.objects.update(departed_on=TODAY)
    assert "has departed" in str(refused(world, shipment, box((parts[0], 5), container=there))[0])


def test_goods_of_another_company_are_not_touched(world, parts, shipment):
    act = world.act("shipping")
    world.people["shipping"].grants.filter(company=world.nz).delete()
    with pytest.raises(NotAllowed):
        loading.load(act, loading.LoadRequest(shipment, (box((parts[0], 10)),)))
    assert not Container.objects.exists()


def voyage(world, number, *calls):
    days = tuple(
        CallPlan(port, arrival and TODAY + arrival * DAY, departure and TODAY + departure * DAY)
        for port, arrival, departure in calls
    )
    imo = with_imo_check_digit(f"90747{number:02d}"[:6])
    request = pack.VoyageRequest("Heron", imo, str(number), world.parties["provider"].pk, days)
    return pack.create_voyage(world.act("shipping"), request)


def test_a_shipment_built_in_one_act(world, parts):
    """Three containers, part lines, a route and a voyage: all dates follow; or nothing is kept."""
    sails = voyage(world, 31, ("AUMEL", None, 1), ("CNNGB", 3, 5), ("NZTRG", 30, None))
    boxes = (
        box((parts[0], 60)),
        box((parts[0], 40), (parts[1], 100), number=TWO),
        box((parts[2], 50), number=with_container_check_digit("QXNU100009")),
    )
    asked = BuildRequest(loading.LoadRequest(0, boxes), pack.ShipmentRequest("B/L 1"), "Ningbo to TRG", (sails,))
    with pytest.raises(Refused, match="to be ready on .* after their collection ends on 27 Nov 2026"):
        build(world.act("shipping"), asked)
    asked = replace(asked, load=replace(asked.load, accept=True))
    done = build(world.act("shipping", "k1"), asked)
    assert build(world.act("shipping", "k1"), asked) == done
    made = Shipment.objects.get()
    days = made.legs.values_list("mode", "planned_start", "planned_end", "main")
    legs = [(mode, (start - TODAY).days, (end - TODAY).days, main) for mode, start, end, main in days]
    # The 24th of November is a Tuesday. The vessel leaves on Sunday the 29th: two days before it is Friday the 27th,
    # which is Founders' day in NZ and none in China. It lands on the 24th of December; the 25th and, for the Saturday,
    # the 28th are public holidays in NZ: two working days later is the 30th, and the way takes until the 31st.
    assert legs == [("road", 2, 3, False), ("sea", 5, 30, True), ("road", 36, 37, False)]
    assert (made.voyage_id, made.discharge_port_id) == (sails, "NZTRG")
    assert made.planned_dock == TODAY + 37 * DAY
    assert stowed()[0] == (ONE, "A", 60)
    wrong = BuildRequest(loading.LoadRequest(0, (box((parts[0], 999)),)), pack.ShipmentRequest(), "Ningbo to TRG")
    with pytest.raises(Refused):
        build(world.act("shipping"), wrong)
    assert Shipment.objects.count() == 1


def test_a_route_that_fits_no_voyage(world, shipment):
    back = voyage(world, 32, ("NZTRG", None, 1), ("CNNGB", 20, None))
    for route, voyages, words in (
        ("nowhere", (), "no such route"),
        ("Ningbo to TRG", (back,), "sails no leg of this route"),
    ):
        with pytest.raises(Refused, match=words):
            routing.plan_by_route(world.act("shipping"), routing.RouteRequest(shipment, route, voyages))
    routing.plan_by_route(world.act("shipping"), routing.RouteRequest(shipment, "Ningbo to TRG", (), TODAY))
    assert Leg.objects.get(number=1).planned_start == TODAY
    assert not Shipment.objects.get().voyage_id


def test_a_voyage_without_a_route_sails_the_shipment(world, parts):
    """From where the goods' supplier loads to where their site discharges; two vessels meet at a port of both."""
    Party.objects.filter(kind="supplier").update(port="CNNGB")
    first = voyage(world, 41, ("AUMEL", None, 1), ("CNNGB", 3, 5), ("NZTRG", 30, 31), ("AUMEL", 40, None))
    key = built(world, parts, first)
    assert legs_of(key) == [("CNNGB", "NZTRG", 5, 30, True)]
    assert Shipment.objects.get(pk=key).voyage_id == first
    feeder = voyage(world, 42, ("CNNGB", None, 2), ("AUMEL", 12, None))
    onward = voyage(world, 43, ("AUMEL", None, 15), ("NZTRG", 20, None))
    assert legs_of(built(world, parts, feeder, onward)) == [
        ("CNNGB", "AUMEL", 2, 12, False),
        ("AUMEL", "NZTRG", 15, 20, True),
    ]
    with pytest.raises(Refused, match="meet at no port"):
        built(world, parts, onward, feeder)


def built(world, parts, *voyages):
    Container.objects.filter(number=ONE).update(number=TWO)
    load = loading.LoadRequest(0, (box((parts[0], 10)),), accept=True)
    request = BuildRequest(load, pack.ShipmentRequest(), voyages=voyages)
    return build(world.act("shipping"), request)["shipment"]


def legs_of(shipment):
    rows = Leg.objects.filter(shipment=shipment).order_by("number")
    days = rows.values_list("origin", "destination", "planned_start", "planned_end", "main")
    return [(origin, to, (start - TODAY).days, (end - TODAY).days, main) for origin, to, start, end, main in days]


def new_voyage(**more):
    facts = {"vessel": "Petrel", "imo": "9074729", "number": "9W", "leaves": TODAY + 40 * DAY} | more
    return facts | {"arrives": more.get("arrives", TODAY + 60 * DAY)}


def test_a_voyage_that_nobody_entered_is_entered_with_the_load(world, parts):
    """From the port of the goods' supplier to that of their site, in the same act."""
    Container.objects.filter(number=ONE).update(number=TWO)
    load = loading.LoadRequest(0, (box((parts[0], 10)),), accept=True)
    sails = NewVoyage(**new_voyage(carrier=world.parties["provider"].pk))
    asked = BuildRequest(load, pack.ShipmentRequest(), new_voyage=sails)
    with pytest.raises(Refused, match="not known. Enter the voyage with its port calls first"):
        build(world.act("shipping"), asked)
    assert not Voyage.objects.filter(vessel="Petrel").exists()
    Party.objects.filter(kind="supplier").update(port="CNNGB")
    key = build(world.act("shipping"), asked)["shipment"]
    assert legs_of(key) == [("CNNGB", "NZTRG", 40, 60, True)]
    assert Shipment.objects.get(pk=key).voyage.vessel == "Petrel"


def test_a_fifth_port_and_a_new_voyage_on_the_page(world, parts, signed_in):
    client = signed_in("shipping")
    Party.objects.filter(kind="supplier").update(port="CNNGB")
    page = client.get(reverse("new-voyage")).content.decode()
    assert "calls-3-port" in page and "calls-4-port" not in page
    sent = {"key": "k", "calls-TOTAL_FORMS": "4", "calls-INITIAL_FORMS": "0", "more": "", "vessel": "Heron"}
    more = client.post(reverse("new-voyage"), sent).content.decode()
    assert "calls-4-port" in more and 'value="Heron"' in more and "it is needed" not in more
    cells = {"box-0-number": with_container_check_digit("QXNU100123"), "box-0-type": "22G1", "key": "k2"}
    facts = new_voyage() | {"carrier": "", f"cell-{parts[0].pk}-0": "10", "part": parts[0].pk, "accept": ""}
    wrong = client.post(reverse("load-new"), cells | facts)
    assert wrong.status_code == 422 and b"A new voyage needs it." in wrong.content
    made = client.post(reverse("load-new"), cells | facts | {"carrier": world.parties["provider"].pk}, follow=True)
    assert b"The shipment is loaded" in made.content and b"Petrel" in made.content
