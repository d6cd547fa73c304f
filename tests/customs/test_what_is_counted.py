"""What customs counts: duties by litre, freight that is in the price, proofs of goods that came unpacked."""

from datetime import timedelta

import pytest
from django.urls import reverse

from northing.actions.customs import entries, proofs
from northing.actions.customs.covers import Covers, covered
from northing.actions.customs.included import Included
from northing.actions.masterdata.records import RecordRequest, keep_record
from northing.actions.reversal import ReverseRequest
from northing.core.problems import Refused
from northing.customs.models import CustomsEntry, OriginProof
from northing.masterdata.models import ExchangeRate, Item, TariffRule, Territory
from northing.orders.models import PurchaseOrder
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from northing.reports.item_duty import item_duties
from tests.customs.test_parts import book, come_unpacked, in_two_boxes
from tests.worlds import TODAY, D

SINCE = TODAY - timedelta(days=90)


@pytest.fixture
def boxes(world):
    """Ten of A and twenty of C have landed, under one HS code."""
    in_two_boxes(world)
    Item.objects.filter(code__in="AC").update(hs_code="220421", origin="CN")
    return world


def declared(world, included=()):
    company = world.order.company
    return entries.declare(covered(Covers((world.landed.pk,)), company), company, TODAY, included)


def per_litre(**facts):
    TariffRule.objects.create(territory="NZ", hs="2204", valid_from=SINCE, currency="NZD", per="l", **facts)


def test_a_duty_per_litre_counts_the_litres_that_items_keep(boxes):
    Territory.objects.create(code="NZ", per="group", unit=D(1), way="down")
    per_litre(amount=D("1.35"))
    Item.objects.filter(code="A").update(duty_unit="l", duty_units=D("0.75"))
    Item.objects.filter(code="C").update(unit="L")
    found = declared(boxes)
    # Ten of 0.75 litres and twenty that are counted in litres: 27.5 litres are 37.125, rounded down once.
    [(group, words, lines)] = found.groups()
    assert (group.duties, words, lines) == ({"duty": D(37)}, "NZD 1.35 per l", 2)
    shares = [cost.duty for cost in found.sheet.lines]
    assert sum(shares) == 37 and sorted(shares)[0] == round(37 * D("7.5") / D("27.5"), 2)


def test_without_its_litres_nothing_is_declared_and_it_is_said(boxes, signed_in):
    per_litre(amount=D("1.35"), ad_valorem=D("0.05"))
    Item.objects.filter(code="C").update(unit="l")
    with pytest.raises(Refused, match="it does not say how many l are in one"):
        declared(boxes)
    item, company = Item.objects.get(code="A"), boxes.order.company
    assert "does not say how many l" in item_duties(item, [company.pk], TODAY)[0].why[-1]
    desk = signed_in("costs")
    address = reverse("customs", args=[boxes.landed.pk, company.pk])
    assert "as its other unit of duties" in desk.get(address).content.decode()
    sent = {"key": "k", "office": boxes.parties["customs"].pk, "number": "E-1", "day": str(TODAY)}
    assert desk.post(address, sent).status_code == 422 and not CustomsEntry.objects.exists()
    # What is expected of such goods leaves their duty open.
    assert desk.get(reverse("line-costs", args=[boxes.order.lines.get().pk])).status_code == 200
    facts = (("duty_unit", "L"), ("duty_units", "0.7"))
    keep_record(boxes.act("administrator"), RecordRequest("item", item.pk, facts))
    assert len(declared(boxes).sheet.lines) == 2


@pytest.mark.parametrize(
    ("kind", "facts", "field"),
    [
        ("item", {"duty_unit": "l"}, "duty_units"), ("item", {"duty_units": "2"}, "duty_units"),
        ("item", {"duty_unit": "kg", "duty_units": "2"}, "duty_unit"), ("tariff", {"per": "a whole cask"}, "per"),
        ("tariff", {"per": "1e999"}, "per"), ("item", {"duty_unit": "<l>", "duty_units": "2"}, "duty_unit"),
    ],
)  # fmt: skip
def test_a_unit_of_duties_that_cannot_be(world, kind, facts, field):
    usual = {
        "item": {"code": "W", "description": "Wine", "hs_code": "220421", "origin": "FR"},
        "tariff": {"territory": "NZ", "amount": "1", "currency": "NZD", "valid_from": "2026-01-01"},
    }[kind]
    with pytest.raises(Refused) as refused:
        keep_record(world.act("administrator"), RecordRequest(kind, None, tuple((usual | facts).items())))
    assert [problem.where for problem in refused.value.problems] == [field]


@pytest.fixture
def carried(boxes):
    """The goods of both orders are bought with their carriage, in a country that leaves it out."""
    Territory.objects.create(code="NZ", basis="fob")
    PurchaseOrder.objects.update(incoterm="CFR")
    return boxes


def test_freight_in_the_price_is_deducted_where_the_country_leaves_it_out(carried):
    first, second = PurchaseOrder.objects.order_by("pk")
    usual = [cost.customs_value for cost in declared(carried).sheet.lines]
    said = (Included(first.pk, freight=D("12.00")), Included(second.pk))
    found = declared(carried, said)
    less = [before - cost.customs_value for before, cost in zip(usual, found.sheet.lines, strict=True)]
    assert less[1] == 0 < less[0] == found.sheet.lines[0].deducted["freight"]
    made = book(carried, Covers((carried.landed.pk,)), "E-1", included=said)
    assert made.customs_value == sum(usual) - less[0] and book_faults() == []
    assert made.included == [{"order": first.pk, "freight": "12"}]


@pytest.mark.parametrize(
    ("said", "words"),
    [
        ({"insurance": D(1)}, "does not include insurance"), ({"freight": D("-1")}, "no amount in USD"),
        ({"freight": D("0.001")}, "no amount in USD"), ({"freight": D(10**9)}, "would be below 0"),
        ({"order": 10**9, "freight": D(1)}, "No freight or insurance is deducted"),
    ],
)  # fmt: skip
def test_what_a_price_cannot_include(carried, said, words):
    with pytest.raises(Refused, match=words):
        declared(carried, [Included(**({"order": carried.order.pk} | said))])
    Territory.objects.update(basis="price")
    with pytest.raises(Refused, match="is deducted from these goods"):
        declared(carried, [Included(carried.order.pk, D(1))])


def test_the_page_asks_what_is_in_the_price_and_its_correction_says_it_again(carried, signed_in):
    desk, order = signed_in("costs"), carried.order
    address = reverse("customs", args=[carried.landed.pk, order.company_id])
    field = f"in-freight-{order.pk}"
    page = desk.get(address)
    value = page.context["declared"].sheet.lines[0].customs_value
    assert f"Freight in the price of {order}, USD" in page.content.decode()
    sent = {"key": "k", "office": carried.parties["customs"].pk, "number": "E-1", "day": str(TODAY), field: "12"}
    shown = desk.post(address, sent | {"act": "reckon", "number": ""})
    assert shown.status_code == 200 and not CustomsEntry.objects.exists()
    lower = shown.context["declared"].sheet.lines[0].customs_value
    assert lower < value and f'name="{field}" value="12"' in shown.content.decode()
    for wrong in ("-5", "x" * 500, "1.234"):
        assert desk.post(address, sent | {field: wrong}).status_code == 422
    shown = desk.post(address, sent | {field: "x", "act": "reckon", "number": ""})
    assert shown.status_code == 200 and list(shown.context["form"].errors) == [field]
    assert desk.post(address, sent).status_code == 302
    page = desk.get(address)
    assert page.context["declared"].sheet.lines[0].customs_value == lower and 'value="12"' in page.content.decode()
    # Where the country does not deduct it any more, the correction does not either.
    Territory.objects.update(basis="price")
    assert desk.get(address).context["declared"].sheet.lines[0].customs_value == value


def test_the_office_may_reckon_at_its_own_rate(boxes, signed_in):
    desk, order, office = signed_in("costs"), boxes.order, boxes.parties["customs"].pk
    address = reverse("customs", args=[boxes.landed.pk, order.company_id])
    page = desk.get(address)
    ours = [cost.customs_value for cost in page.context["declared"].sheet.lines]
    assert "Their rate for USD" in page.content.decode() and "ours is 1.6" in page.content.decode()
    sent = {"key": "k", "office": office, "number": "E-1", "day": str(TODAY), "rate-USD": "2"}
    shown = desk.post(address, sent | {"act": "reckon"})
    theirs = [cost.customs_value for cost in shown.context["declared"].sheet.lines]
    assert all(amount > before for amount, before in zip(theirs, ours, strict=True))
    for wrong in ("-1", "0", "1.23456789012", "10000000", "x"):
        assert desk.post(address, sent | {"rate-USD": wrong}).status_code == 422
    assert not CustomsEntry.objects.exists() and desk.post(address, sent).status_code == 302
    made = CustomsEntry.objects.get()
    assert (made.customs_value, made.rates) == (sum(theirs), {"USD": "2"}) and book_faults() == []
    assert "USD at 2 as the office says" in made.entry.text
    page = desk.get(address)
    assert page.context["declared"].sheet.lines[0].customs_value == theirs[0] and 'value="2"' in page.content.decode()
    ExchangeRate.objects.filter(currency="USD").delete()
    assert desk.get(address).context["declared"].sheet.lines[0].customs_value == theirs[0]
    for odd in ({"QQQ": D(2)}, {"NZD": D(2)}):
        with pytest.raises(Refused, match="needs no customs rate"):
            entries.declare(boxes_lines(boxes), order.company, TODAY, (), odd)


def boxes_lines(world):
    return covered(Covers(), world.order.company, CustomsEntry.objects.get().pk)


def test_a_proof_of_what_came_unpacked_counts(world, signed_in):
    come_unpacked(world)
    Item.objects.filter(code="A").update(hs_code="220421", origin="CN")
    common = {"territory": "NZ", "hs": "2204", "valid_from": SINCE}
    TariffRule.objects.create(**common, ad_valorem=D("0.1"))
    TariffRule.objects.create(**common, kind="preference", origin="CN", name="treaty", proof="certificate")
    receipt, desk = Receipt.objects.get(), signed_in("costs")
    address = reverse("customs-unpacked", args=[receipt.pk])
    asked = {"act": "proof", "key": "p", "name": "certificate", "number": "C-1", "dated": str(TODAY)}
    assert "would save" in desk.get(address).content.decode()
    assert desk.post(address, asked).status_code == 302
    page = desk.get(address)
    assert page.context["declared"].sheet.duty == 0 and "certificate C-1" in page.content.decode()
    again = desk.post(address, asked | {"key": "q"})
    assert again.status_code == 422 and "there already" in again.content.decode()
    proof = OriginProof.objects.get()
    withdraw = reverse("withdraw-proof", args=[proof.pk])
    assert desk.post(withdraw, {"key": "w", "reason": "of other goods"}).url == address
    assert "would save" in desk.get(address).content.decode()
    with pytest.raises(Refused, match="no goods that it could be of"):
        facts = ("certificate", "C-2", TODAY)
        proofs.add_proof(world.act("costs"), proofs.ProofRequest(world.order.company_id, *facts, receipts=(10**9,)))
    with pytest.raises(Refused, match="withdrawn already"):
        proofs.withdraw_proof(world.act("costs"), ReverseRequest(proof.pk, "again"))
