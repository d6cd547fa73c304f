"""Tariffs in the application: which rule counts, what is declared, what a proof saves, and what is refused."""

from datetime import timedelta

import pytest
from django.urls import reverse

from northing.actions.customs import entries, proofs
from northing.actions.customs.covers import Covers, covered
from northing.actions.masterdata.records import RecordRequest, keep_record
from northing.actions.reversal import ReverseRequest
from northing.core.problems import NotAllowed, Refused
from northing.customs.models import CustomsEntry, OriginProof
from northing.masterdata.models import CountryGroup, Item, TariffRule, Territory
from northing.reports.book_proof import book_faults
from tests.worlds import TODAY, D

RULE = {"territory": "NZ", "valid_from": TODAY - timedelta(days=90)}


@pytest.fixture
def sailed(world):
    """Ten of A (from China, by Supplier USD) sailed; its heading has a duty, an extra duty and a preference."""
    world.order = world.sent_order({"A": D(10)})
    world.sailed = world.shipment([world.order])
    world.say(world.sailed, "departure")
    world.company = world.order.company
    Item.objects.filter(code="A").update(hs_code="851610", origin="CN", weight_kg=D(2), duty_rate=D("0.5"))
    TariffRule.objects.create(hs="8516", ad_valorem=D("0.1"), amount=D(3), currency="NZD", combine="higher", **RULE)
    TariffRule.objects.create(kind="extra", hs="85", name="levy", ad_valorem=D("0.02"), **RULE)
    east = CountryGroup.objects.create(code="EAST", name="East", countries="CN VN")
    world.preference = TariffRule.objects.create(
        kind="preference", hs="851610", group=east, name="treaty", proof="certificate", **RULE
    )
    return world


def declared(world, day=TODAY):
    return entries.declare(covered(Covers((world.sailed.pk,)), world.company), world.company, day)


def prove(world, who="costs", **change):
    facts = {"name": "certificate", "number": "C-1", "dated": TODAY} | change
    asked = proofs.ProofRequest(world.company.pk, **facts, shipments=(world.sailed.pk,))
    return proofs.add_proof(world.act(who), asked)


def book(world, number, corrects=None):
    asked = (Covers((world.sailed.pk,)), world.company.pk, world.parties["customs"].pk, number, TODAY, corrects)
    entries.book_customs_entry(world.act("costs"), entries.EntryRequest(*asked))
    return CustomsEntry.objects.latest("pk")


def test_import_tax_of_a_code_is_what_its_rule_says(sailed, signed_in):
    usual = declared(sailed).sheet
    TariffRule.objects.create(kind="import tax", hs="8516", ad_valorem=D("0.05"), **RULE)
    found = declared(sailed)
    [(_, _, _, reasons)] = found.told()
    assert found.sheet.tax == round(found.sheet.tax_base * D("0.05"), 2) and found.sheet.tax_base == usual.tax_base
    assert "import tax 5 %: HS 8516, any origin" in reasons and found.tax_words == "5 %"
    page = signed_in("costs").get(reverse("customs", args=[sailed.sailed.pk, sailed.company.pk])).content.decode()
    assert "Import tax, 5 % of" in page


def test_the_tariff_goes_before_the_items_own_rate_and_a_proof_saves(sailed):
    found = declared(sailed)
    [(_, cost, words, reasons)] = found.told()
    value = cost.customs_value
    # Ten of two kg at 3.00 are more than a tenth of the value, or they are not.
    duty = max(D("60.00"), round(value / 10, 2))
    assert cost.duties == {"duty": duty, "levy": round(value * D("0.02"), 2)}
    assert words == "the higher of 10 % and NZD 3 per kg + levy 2 %"
    assert reasons[0] == "HS 8516, any origin" and reasons[-1] == "free with certificate, which is not there"
    assert found.missing_proofs == ["certificate"] and found.saved == duty
    prove(sailed)
    again = declared(sailed)
    assert again.sheet.duty == cost.duties["levy"] and (again.missing_proofs, again.saved) == ([], 0)


def test_duties_per_kg_count_the_net_weight_where_it_is_known(sailed):
    # Ten per cent of the value is less than 3.00 a kg of ten units, whatever their packing weighs.
    Item.objects.update(weight_kg=D(50), net_weight_kg=D(40))
    assert declared(sailed).sheet.lines[0].duties["duty"] == D("1200.00")
    Item.objects.update(net_weight_kg=None)
    assert declared(sailed).sheet.lines[0].duties["duty"] == D("1500.00")


def test_a_proof_counts_from_its_day_through_its_last(sailed):
    made = prove(sailed, dated=TODAY - timedelta(days=5), valid_until=TODAY - timedelta(days=1))
    assert declared(sailed).missing_proofs and not declared(sailed, TODAY - timedelta(days=1)).missing_proofs
    assert declared(sailed, TODAY - timedelta(days=6)).missing_proofs
    proofs.withdraw_proof(sailed.act("costs"), ReverseRequest(made, "of other goods"))
    assert declared(sailed, TODAY - timedelta(days=1)).missing_proofs
    with pytest.raises(Refused, match="withdrawn already"):
        proofs.withdraw_proof(sailed.act("costs"), ReverseRequest(made, "again"))


def test_an_entry_keeps_what_it_was_reckoned_by_and_its_correction_takes_the_proof(sailed):
    first = book(sailed, "E-1")
    [line] = first.lines.all()
    assert line.words == "the higher of 10 % and NZD 3 per kg" and D(line.extra["levy"]) > 0
    assert first.duty == line.duty and book_faults() == []
    prove(sailed)
    second = book(sailed, "E-2", first.pk)
    assert second.duty == D(second.lines.get().extra["levy"]) < first.duty
    TariffRule.objects.update(ad_valorem=D("0.9"))
    assert CustomsEntry.objects.get(pk=second.pk).duty == second.duty and book_faults() == []


def test_by_group_every_line_takes_its_share_and_freight_is_in_a_cif_value(sailed):
    before = declared(sailed).sheet.lines[0].customs_value
    sailed.charge(sailed.sailed, "freight", "100.00", "NZD", "weight")
    Territory.objects.create(code="NZ", basis="cif", per="group", unit=D(1), way="up")
    found = declared(sailed)
    [(group, words, lines)] = found.groups()
    assert group.customs_value == before + 100 and (group.hs, group.origin, lines) == ("851610", "CN", 1)
    assert all(amount % 1 == 0 for amount in group.duties.values()) and words.startswith("the higher")
    book(sailed, "E-1")
    assert book_faults() == []


def test_a_code_too_short_to_tell_is_said(sailed):
    TariffRule.objects.create(hs="85161099", ad_valorem=D("0.7"), **RULE)
    assert "too short to tell whether 85161099 applies" in declared(sailed).told()[0][3][-1]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"number": " "}, "has a number"), ({"name": " "}, "what paper"),
        ({"dated": TODAY + timedelta(days=1)}, "not come yet"),
        ({"valid_until": TODAY - timedelta(days=1)}, "before it begins"),
    ],
)  # fmt: skip
def test_a_proof_that_cannot_be(sailed, change, words):
    with pytest.raises(Refused, match=words):
        prove(sailed, **change)
    with pytest.raises(NotAllowed):
        prove(sailed, who="viewer")
    prove(sailed)
    with pytest.raises(Refused, match="there already"):
        prove(sailed)
    assert OriginProof.objects.count() == 1


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"combine": "higher"}, "combine"), ({"amount": "1.20"}, "currency"), ({"currency": "NZD"}, "currency"),
        ({"kind": "extra"}, "name"), ({"kind": "preference"}, "origin"), ({"hs": "8"}, "hs"),
        ({"hs": "85161010101"}, "hs"), ({"kind": "import tax", "amount": "1", "currency": "NZD"}, "amount"),
        ({"origin": "CN", "group": "EAST"}, "group"), ({"valid_until": "2020-01-01"}, "valid_until"),
        ({"hs": "8516", "valid_from": str(RULE["valid_from"])}, "valid_from"), ({"territory": "ZZZ"}, "territory"),
    ],
)  # fmt: skip
def test_a_rule_that_cannot_be_is_refused_beside_its_field(sailed, change, field):
    facts = {"territory": "NZ", "hs": "44", "ad_valorem": "5", "valid_from": "2026-01-01"} | change
    with pytest.raises(Refused) as refused:
        keep_record(sailed.act("administrator"), RecordRequest("tariff", None, tuple(facts.items())))
    assert [problem.where for problem in refused.value.problems] == [field]


def test_the_page_says_why_and_takes_the_proof(sailed, signed_in):
    desk, address = signed_in("costs"), reverse("customs", args=[sailed.sailed.pk, sailed.company.pk])
    page = desk.get(address).content.decode()
    assert "HS 8516, any origin" in page and "would save" in page and 'value="certificate"' in page
    asked = {"act": "proof", "key": "k", "name": "certificate", "number": "", "dated": str(TODAY)}
    assert desk.post(address, asked).status_code == 422
    assert desk.post(address, asked | {"number": "C-7"}).status_code == 302
    proof = OriginProof.objects.get()
    page = desk.get(address).content.decode()
    assert "would save" not in page and "certificate C-7" in page
    gone = desk.post(reverse("withdraw-proof", args=[proof.pk]), {"key": "w", "reason": "of other goods"})
    assert gone.status_code == 302 and "would save" in desk.get(address).content.decode()
