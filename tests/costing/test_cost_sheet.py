"""What goods are expected to cost from the order on, and what takes the place of it, kind by kind."""

from datetime import timedelta

import pytest
from django.urls import reverse

from northing.access.models import Person
from northing.actions.billing.bills import book_bill
from northing.actions.billing.request import of_one
from northing.actions.costing import charges
from northing.actions.costing.from_cards import CardsRequest, take_cards
from northing.actions.masterdata.records import RecordRequest, RowsRequest, judge_rows, keep_record, keep_rows
from northing.core.problems import Refused
from northing.costing.models import Charge
from northing.masterdata.models import ExchangeRate, RateCard, RouteLeg, Territory
from northing.reports.cost_pieces import parts_of_shipments
from northing.reports.cost_sheet import cost_sheet, order_sheet
from tests.worlds import TODAY, D


@pytest.fixture
def carded(world):
    """Cards for freight, insurance and haulage of goods that come by 20 foot container from Ningbo."""
    supplier, payee = world.parties["USD"], world.parties["provider"]
    supplier.port_id = "CNNGB"
    supplier.save()
    RouteLeg.objects.filter(mode="sea").update(size_type="22G1")
    cards = (
        ("F20", "freight", "container", "1400", "USD", {"origin": "CNNGB", "destination": "TRG", "size_type": "22G1"}),
        ("INS", "insurance", "value", "0.25", "NZD", {"minimum": D(10)}),
        ("HAUL", "haulage", "shipment", "420", "NZD", {"destination": "NZ"}),
    )
    for code, kind, per, price, currency, more in cards:
        facts = {"code": code, "provider": payee, "kind": kind, "per": per, "price": D(price), "currency": currency}
        RateCard.objects.create(**facts, **more, valid_from=TODAY - timedelta(days=9))
    return world


def sheet_of_order(world, order):
    lines = order.lines.select_related("item").prefetch_related("instalments__position")
    return order_sheet(order, list(lines), TODAY)


def sheet_of(world, shipment):
    (sheet,) = cost_sheet(shipment, parts_of_shipments([shipment.pk]), {world.nz.pk}, TODAY)
    return sheet


def told(sheet):
    return {column.kind: (column.total.state, column.total.amount) for column in sheet.columns}


EXPECTED = {
    # 4.104 of 28 m3 of a 20 foot container: 205.20 dollars at 1.6420.
    "freight": ("expected", D("336.94")),
    "insurance": ("expected", D("18.13")),
    # The same part of a shipment.
    "haulage": ("expected", D("61.56")),
    # 4,416.00 dollars at the customs rate of 1.6385.
    "duty": ("expected", D("361.78")),
}


@pytest.mark.parametrize("sent", [False, True])
def test_a_line_has_its_expected_cost_from_the_order_on(carded, sent):
    order = carded.sent_order({"A": D(240)})
    if not sent:
        for line in order.lines.all():
            line.instalments.all()
    sheet = sheet_of_order(carded, order)
    assert told(sheet) == EXPECTED
    (row,) = sheet.rows
    assert (row.goods, row.landed, row.unit) == (D("7251.07"), D("8029.48"), D("33.4562"))
    assert sheet.known == 0 and row.part.source == "not packed"


def test_packing_a_card_an_estimate_and_a_bill_take_each_others_place(carded):
    order = carded.sent_order({"A": D(240)})
    shipment = carded.shipment([order])
    # The whole container, and all of the shipment.
    assert told(sheet_of(carded, shipment))["freight"] == ("expected", D("2298.80"))
    assert told(sheet_of(carded, shipment))["haulage"] == ("expected", D("420.00"))
    estimate = charges.ChargeRequest(
        carded.nz.pk, carded.parties["provider"].pk, "freight", "volume", "USD", D("1200.00"), TODAY, (shipment.pk,)
    )
    charge = charges.enter_estimate(carded.act("costs"), estimate)
    sheet = sheet_of(carded, shipment)
    assert told(sheet)["freight"] == ("estimated", D("1970.40"))
    assert told(sheet_of_order(carded, order)) == told(sheet)
    bill = of_one(charges.request_of(Charge.objects.get(pk=charge)), "F-1", charge)
    line = bill.lines[0]
    book_bill(carded.act("costs"), bill.__class__(**bill.__dict__ | {"lines": (line.__class__(D(1300), charge),)}))
    sheet = sheet_of(carded, shipment)
    freight = sheet.columns[0].total
    assert (freight.state, freight.amount) == ("billed", D("2134.60"))
    assert (freight.estimated, freight.difference) == (D("1970.40"), D("164.20"))
    # 2,134.60 of 2,934.51.
    assert sheet.known == 73
    (row,) = sheet.rows
    assert row.unit_billed < row.unit and row.landed == D("7251.07") + sheet.costs.amount


def test_an_estimate_that_ends_asks_no_card_again(carded):
    shipment = carded.shipment([carded.sent_order({"A": D(240)})])
    for key in take_cards(carded.act("costs"), CardsRequest(shipment.pk, carded.nz.pk)):
        if Charge.objects.get(pk=key).kind == "haulage":
            charges.end_estimate(carded.act("costs"), charges.EndRequest(key, "our own lorry"))
    found = told(sheet_of(carded, shipment))
    assert found["haulage"] == ("", D(0)) and found["freight"][0] == "estimated"


def test_cards_are_taken_as_estimates_once(carded):
    shipment = carded.shipment([carded.sent_order({"A": D(100), "C": D(900)})])
    before = sheet_of(carded, shipment)
    made = take_cards(carded.act("costs"), CardsRequest(shipment.pk, carded.nz.pk))
    after = sheet_of(carded, shipment)
    assert len(made) == 3 and {state for state, _ in told(after).values()} == {"estimated", "expected"}
    assert [row.cells["freight"].amount for row in after.rows] == [row.cells["freight"].amount for row in before.rows]
    assert after.landed == before.landed and not after.cards
    with pytest.raises(Refused, match="estimated or billed already"):
        take_cards(carded.act("costs"), CardsRequest(shipment.pk, carded.nz.pk))
    with pytest.raises(Refused, match="no goods"):
        take_cards(carded.act("costs"), CardsRequest(shipment.pk, carded.au.pk))


def test_freight_that_the_price_includes_is_not_expected(carded):
    order = carded.sent_order({"A": D(240)})
    order.incoterm = "CIF"
    order.save()
    assert set(told(sheet_of_order(carded, order))) == {"haulage", "duty"}


def test_duty_is_expected_on_freight_where_the_country_counts_it(carded):
    Territory.objects.create(code="NZ", basis="cif", per="line")
    found = told(sheet_of_order(carded, carded.sent_order({"A": D(240)})))
    # 7,235.62 and 336.94 and 18.13, of which a twentieth.
    assert found["duty"][1] == D("379.53")


def test_a_rate_that_is_missing_is_said(carded):
    order = carded.sent_order({"A": D(240)})
    ExchangeRate.objects.all().delete()
    sheet = sheet_of_order(carded, order)
    (row,) = sheet.rows
    assert sheet.missing == ["USD"] and row.goods is None and row.unit is None


def test_part_packed_is_part_of_each(carded):
    order = carded.sent_order({"A": D(240)})
    other = carded.sent_order({"C": D(900)})
    shipment = carded.shipment([other])
    sheet = sheet_of_order(carded, order)
    assert told(sheet) == EXPECTED
    assert sheet_of_order(carded, other).rows[0].cells["freight"].amount == D("2298.80")
    assert told(sheet_of(carded, shipment)) == told(sheet_of_order(carded, other))


def card_facts(**said):
    facts = {"code": "F20-B", "provider": "FWD", "kind": "freight", "per": "container", "price": "1500"}
    facts |= {
        "currency": "USD",
        "origin": "CNNGB",
        "destination": "TRG",
        "size_type": "22G1",
        "valid_from": "2026-12-01",
    }
    return tuple((facts | said).items())


@pytest.mark.parametrize(
    "said, words",
    [
        ({}, "overlaps F20, which stands from 15 Nov 2026 without an end"),
        ({"origin": "CNSHA"}, "No port is known by CNSHA"),
        ({"destination": "NOWHERE"}, "No port or site is known by NOWHERE"),
        ({"size_type": "99Z9"}, "is no container type"),
        ({"surcharges": "fuel"}, "is not surcharges such as"),
        ({"price": "-1"}, "Price"),
    ],
)
def test_a_card_that_cannot_be_is_refused_with_the_way_out(carded, said, words):
    with pytest.raises(Refused, match=words):
        keep_record(carded.act("costs"), RecordRequest("rate-card", None, card_facts(**said)))
    assert not RateCard.objects.filter(code="F20-B").exists()


def test_a_file_of_cards_is_judged_as_a_whole(carded):
    first = card_facts(code="X1", destination="MEL", valid_until="2026-12-31")
    rows = ((2, first), (3, card_facts(code="X2", destination="MEL", valid_from="2026-12-31")))
    states = [one.state for one in judge_rows(carded.act("costs"), RowsRequest("rate-card", rows))]
    assert states == ["wrong", "wrong"]
    rows = ((2, first), (3, card_facts(code="X2", destination="MEL", valid_from="2027-01-01", surcharges="fuel 12 %")))
    assert keep_rows(carded.act("costs"), RowsRequest("rate-card", rows)) == 2
    assert RateCard.objects.get(code="X2").surcharges == "fuel 12%"


def test_the_pages_say_it_and_the_button_takes_it(carded, client):
    order = carded.sent_order({"A": D(240)})
    client.force_login(Person.objects.get(username="costs"))
    page = client.get(reverse("order", args=[order.pk])).content.decode()
    assert "33.4562" in page and "card F20: 20 foot dry, CNNGB to TRG" in page and "0 % of the costs" in page
    shipment = carded.shipment([order])
    page = client.get(reverse("shipment", args=[shipment.pk])).content.decode()
    assert "2,298.80" in page and "Take what the cards say" in page
    address = reverse("take-cards", args=[shipment.pk, carded.nz.pk])
    assert client.post(address, {"key": "k"}, follow=True).content.decode().count("3 estimates stand") == 1
    assert client.post(address, {"key": "k"}).status_code == 302 and Charge.objects.count() == 3
    again = client.post(address, {"key": "l"}, follow=True).content.decode()
    assert "estimated or billed already" in again


def typed(world, **said):
    facts = {"supplier": world.parties["USD"].pk, "site": world.site.pk, "lines-TOTAL_FORMS": 2}
    facts |= {"lines-INITIAL_FORMS": 0, "need_by": "", "lines-0-item": "A", "lines-0-packs": "240"}
    return facts | said


def test_a_new_order_says_what_it_will_cost_while_it_is_typed(carded, client):
    client.force_login(Person.objects.get(username="buyer"))
    address = reverse("landed")
    found = client.post(address, typed(carded)).json()
    assert found["lines"]["lines-0"]["unit"] == "33.4562" and found["total"] == "8029.48"
    assert any("card F20" in said for said in found["lines"]["lines-0"]["why"])
    # At a price of one's own, by another mode, under another rule.
    dearer = client.post(address, typed(carded, **{"lines-0-pack_price": "20"})).json()
    assert D(dearer["lines"]["lines-0"]["unit"]) > D("33.4562")
    assert "freight" not in str(client.post(address, typed(carded, incoterm="CFR")).json())
    assert "freight" not in str(client.post(address, typed(carded, mode="air")).json())
    # After the end of the card.
    RateCard.objects.filter(code="F20").update(valid_until=TODAY + timedelta(days=100))
    later = str(TODAY + timedelta(days=300))
    assert "freight" not in str(client.post(address, typed(carded, need_by=later)).json())
    nonsense = {"lines-0-packs": "1e9", "lines-1-item": "NONE", "lines-0-discount": "x", "supplier": "\x00"}
    for name, value in nonsense.items():
        assert client.post(address, typed(carded, **{name: value})).status_code == 200
    huge = client.post(address, typed(carded, **{"lines-0-packs": "9" * 15, "lines-0-pack_price": "9" * 15}))
    assert huge.status_code == 200


def test_dated_parts_say_what_they_would_cost(carded, client):
    client.force_login(Person.objects.get(username="buyer"))
    line = carded.sent_order({"A": D(240)}).lines.get()
    part = line.instalments.get()
    address = reverse("landed-parts", args=[line.pk])
    facts = {f"quantity-{part.pk}": "240", f"asked-{part.pk}": str(TODAY + timedelta(days=20))}
    same = client.post(address, facts).json()["lines"]
    assert same == {str(part.pk): same[str(part.pk)]} and same[str(part.pk)]["unit"] == same[str(part.pk)]["was"]
    # After the end of the card a part of it has no freight.
    RateCard.objects.filter(code="F20").update(valid_until=TODAY + timedelta(days=100))
    facts |= {f"quantity-{part.pk}": "140", "quantity-new": "100", "asked-new": str(TODAY + timedelta(days=300))}
    found = client.post(address, facts).json()["lines"]
    assert any("card F20" in said for said in found[str(part.pk)]["why"])
    assert "freight" not in str(found["new"]["why"]) and found["new"]["was"] == ""
    # What is estimated of the line is divided among them.
    head = (carded.nz.pk, carded.parties["provider"].pk, "freight", "value", "NZD", D("240.00"), TODAY)
    charges.enter_estimate(carded.act("costs"), charges.ChargeRequest(*head, lines=(line.pk,)))
    found = client.post(address, facts).json()["lines"]
    assert "freight 140.00, by" in str(found[str(part.pk)]) and "freight 100.00, by" in str(found["new"])
    nonsense = {"quantity-new": "1e99", "asked-new": "yesterday", f"quantity-{part.pk}": "\x00"}
    assert client.post(address, facts | nonsense).json()["lines"] == {}
    client.force_login(Person.objects.get(username="stranger"))
    assert client.post(address, facts).status_code in (403, 404)


def test_the_sheet_of_a_line_says_how_one_unit_comes_to_its_cost(carded, client):
    order = carded.sent_order({"A": D(240), "C": D(40)})
    shipment = carded.shipment([order])
    line = order.lines.get(item__code="A")
    charge = carded.charge(shipment, "insurance", "60.00", "NZD", "quantity")
    client.force_login(Person.objects.get(username="costs"))
    address = reverse("line-costs", args=[line.pk])
    page = client.get(address)
    sheet = page.context["sheet"]
    assert {row.part.line.pk for row in sheet.rows} == {line.pk} and charge
    assert sheet.unit == sheet.rows[0].unit and sum(amount for _, amount, _ in sheet.steps) == sheet.unit
    billed = {words: expected for words, _, expected in sheet.steps}
    assert billed["Insurance"] is False and billed["Freight"] is True and '<svg class="trail"' in page.content.decode()
    assert address in client.get(reverse("line", args=[line.pk])).content.decode()
    client.force_login(Person.objects.get(username="stranger"))
    assert client.get(address).status_code == 404


def test_a_change_says_what_it_cost_before(carded, client):
    client.force_login(Person.objects.get(username="buyer"))
    order = carded.sent_order({"A": D(240)})
    line = order.lines.get()
    address = reverse("landed-change", args=[order.pk])
    facts = {"lines-TOTAL_FORMS": 0, "lines-INITIAL_FORMS": 0}
    same = client.post(address, facts).json()["lines"][f"line-{line.pk}"]
    assert same["unit"] == same["was"] == "33.4562"
    facts |= {f"line-{line.pk}-quantity": "480", f"line-{line.pk}-pack_price": "18.00"}
    changed = client.post(address, facts).json()["lines"][f"line-{line.pk}"]
    assert changed["was"] == "33.4562" and D(changed["unit"]) < D("33.4562")
    # What is estimated over the line stands in the place of its card.
    head = (carded.nz.pk, carded.parties["provider"].pk, "freight", "value", "NZD", D("240.00"), TODAY)
    charges.enter_estimate(carded.act("costs"), charges.ChargeRequest(*head, lines=(line.pk,)))
    same = client.post(address, {"lines-TOTAL_FORMS": 0, "lines-INITIAL_FORMS": 0}).json()["lines"][f"line-{line.pk}"]
    assert "freight 240.00, by what is estimated or billed" in same["why"] and D(same["was"]) < D("33.4562")
    # Another person's order is not there.
    client.force_login(Person.objects.get(username="stranger"))
    assert client.post(address, facts).status_code in (403, 404)
