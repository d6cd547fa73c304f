"""What inspectors note: figures against limits, defects of the house's list, papers that must be there, pictures."""

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from northing.actions.masterdata.records import RecordRequest, keep_record
from northing.actions.quality.findings import NotesRequest
from northing.actions.quality.inspect import InspectRequest, inspect
from northing.activity.models import Document
from northing.claims.models import Claim
from northing.core.problems import Refused
from northing.inventory.models import OnHand
from northing.ledger.models import CostLayer
from northing.masterdata.inspections import characteristics_of
from northing.masterdata.models import Characteristic, Defect, InspectionRule
from northing.quality.models import FoundDefect, Inspection, Measure, SeenPaper
from northing.quality.queries import sample_places
from tests.worlds import TODAY, D

PICTURE = b"\x89PNG\r\n\x1a\n" + b"0" * 50


@pytest.fixture
def held(world):
    """Twenty kettles held, of which a sample is taken: weight and lid are looked at, and a paper must be there."""
    kettle = world.items["A"]
    InspectionRule.objects.create(item=kettle, how="sampling", level="II", aql=D(10), papers="Certificate of the lot")
    world.weight = Characteristic.objects.create(
        item=kettle, name="Weight", unit="kg", least=D("1.2"), most=D("1.3"), severity="major"
    )
    world.lid = Characteristic.objects.create(group=kettle.group, name="Lid fits", severity="minor")
    world.dent = Defect.objects.create(code="DENT", name="Dented", severity="major")
    world.spark = Defect.objects.create(code="SPARK", name="Sparks", severity="critical")
    order = world.sent_order({"A": D(20)})
    shipment = world.shipment([order])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(20)})
    world.layer = CostLayer.objects.get(item=kettle, kind="stock")
    return world


def page_of(held, **more):
    asked = {"occurred_on": TODAY.isoformat(), "sample": "5", "paper-0": "C-77", "key": "k"}
    return asked | more


def test_the_verdict_follows_from_what_is_noted(held, signed_in):
    page, address = signed_in("inspector"), reverse("inspect", args=[held.layer.pk])
    shown = page.get(address).content.decode()
    assert "1.2 to 1.3 kg" in shown and "Certificate of the lot" in shown and "Take <strong>5</strong> of 20" in shown
    figures = {f"values-{held.weight.pk}": "1.25 1.35, 1.1 1.2 1.3", f"wrong-{held.lid.pk}": "1"}
    told = {"words": "lids rattle", "pictures": [SimpleUploadedFile("a.png", PICTURE)]}
    answer = page.post(address, page_of(held, **figures, **told))
    found = Inspection.objects.get()
    # Two weigh wrong: more than the one that lets the lot be accepted.
    assert (found.major, found.minor, found.accepted, found.failed) == (2, 1, False, 20)
    assert found.reason == "Weight" and answer.url == reverse("case", args=[found.case.pk])
    assert Measure.objects.filter(name="Weight").count() == 5 and Measure.objects.filter(right=False).count() == 3
    assert FoundDefect.objects.get().name == "Lid fits" and SeenPaper.objects.get().number == "C-77"
    assert Document.objects.get(kind="case", record=found.case.pk).name == "a.png"
    assert b"lids rattle" in page.get(answer.url).content
    assert page.get(reverse("certificate", args=[found.pk])).content[:5] == b"%PDF-"


def test_an_accepted_lot_fails_what_was_found_and_names_it(held, signed_in):
    page, address = signed_in("inspector"), reverse("inspect", args=[held.layer.pk])
    page.post(address, page_of(held, **{f"defect-{held.dent.pk}": "1"}))
    found = Inspection.objects.get()
    assert (found.passed, found.failed, found.reason, found.accepted) == (19, 1, "Dented", True)
    assert Claim.objects.get().reason == "Dented"


def test_a_figure_typed_beside_what_is_noted_counts(held, signed_in):
    page, address = signed_in("inspector"), reverse("inspect", args=[held.layer.pk])
    page.post(address, page_of(held, major="0", **{f"defect-{held.dent.pk}": "1"}))
    assert Inspection.objects.get().major == 0


def test_what_is_called_the_same_is_counted_together(held, signed_in):
    twin = Defect.objects.create(code="D-2", name=held.dent.name, severity="major")
    address = reverse("inspect", args=[held.layer.pk])
    said = {f"defect-{held.dent.pk}": "1", f"defect-{twin.pk}": "1"}
    signed_in("inspector").post(address, page_of(held, **said))
    assert FoundDefect.objects.get().units == 2


def test_one_critical_defect_rejects(held, signed_in):
    address = reverse("inspect", args=[held.layer.pk])
    signed_in("inspector").post(address, page_of(held, **{f"defect-{held.spark.pk}": "1"}))
    found = Inspection.objects.get()
    assert (found.critical, found.accepted, found.passed) == (1, False, 0)


def test_pictures_of_what_passed_stay_with_the_receipt(held, signed_in):
    address = reverse("inspect", args=[held.layer.pk])
    pictures = [SimpleUploadedFile(f"{one}.png", PICTURE + bytes([one])) for one in range(2)]
    signed_in("inspector").post(address, page_of(held, pictures=pictures))
    assert Document.objects.filter(kind="receipt").count() == 2


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"paper-0": ""}, b"Certificate of the lot is not here"),
        ({"values": "1.2 1.2 1.2 1.2 1.2 1.2"}, b"6 figures of 5 units"),
        ({"values": "heavy"}, b"figures with a decimal point"),
        ({"values": "1e99"}, b"figures with a decimal point"),
        ({"values": "9999999999"}, b"at most four decimals"),
        ({"values": "1.23456"}, b"at most four decimals"),
        ({"wrong": "6"}, b"6 of 5 units"),
        ({"defect": "6"}, b"6 of 5 units"),
        ({"defect": "-1"}, b"greater than or equal to 0"),
        ({"pictures": 11}, b"At most 10 pictures"),
    ],
)
def test_notes_that_cannot_be_are_refused_and_nothing_is_kept(held, signed_in, change, words):
    names = {"values": f"values-{held.weight.pk}", "wrong": f"wrong-{held.lid.pk}", "defect": f"defect-{held.dent.pk}"}
    said = {names.get(name, name): value for name, value in change.items()}
    if "pictures" in said:
        said["pictures"] = [SimpleUploadedFile(f"{one}.png", PICTURE) for one in range(said["pictures"])]
    answer = signed_in("inspector").post(reverse("inspect", args=[held.layer.pk]), page_of(held, **said))
    assert answer.status_code == 422 and words in answer.content
    assert not Inspection.objects.exists() and not Measure.objects.exists()


def test_a_paper_is_not_needed_where_nothing_passes(held):
    request = InspectRequest(held.layer.pk, D(0), D(20), "wet", TODAY)
    inspect(held.act("inspector"), request)
    assert Claim.objects.get().quantity == 20


def test_a_paper_is_needed_whoever_says_the_verdict(held):
    with pytest.raises(Refused, match="Certificate of the lot is not here"):
        inspect(held.act("inspector"), InspectRequest(held.layer.pk, D(20), D(0), "", TODAY))
    notes = NotesRequest(papers=(("Certificate of the lot", "C-1"),), defects=((999_999, 3),), wrong=((999_999, 1),))
    inspect(held.act("inspector"), InspectRequest(held.layer.pk, D(20), D(0), "", TODAY, notes=notes))
    assert not FoundDefect.objects.exists()


def test_a_sample_is_taken_from_every_bin(held):
    row = OnHand.objects.get(layer=held.layer, status="held")
    other = row.bin.site.bins.exclude(pk=row.bin_id).first()
    OnHand.objects.filter(pk=row.pk).update(quantity=15)
    OnHand.objects.create(layer=held.layer, bin=other, status="held", quantity=5)
    assert sorted((one.there, one.take) for one in sample_places(held.layer, 5)) == [(5, 2), (15, 3)]
    OnHand.objects.filter(bin=other).delete()
    OnHand.objects.filter(pk=row.pk).update(quantity=20)


def test_an_items_own_characteristic_goes_before_that_of_its_group(held):
    own = Characteristic.objects.create(item=held.items["A"], name="lid FITS", severity="critical")
    assert {one.pk for one in characteristics_of(held.items["A"])} == {held.weight.pk, own.pk}


def test_the_house_keeps_its_lists(world):
    act = world.act("administrator")
    facts = {
        "item": "A",
        "group": "",
        "name": "Height",
        "unit": "mm",
        "least": "100",
        "most": "90",
        "severity": "major",
    }
    with pytest.raises(Refused):
        keep_record(act, RecordRequest("trait", None, tuple(facts.items())))
    keep_record(act, RecordRequest("trait", None, tuple((facts | {"most": "110"}).items())))
    assert Characteristic.objects.get(unit="mm", item__isnull=False).limits == "100 to 110 mm"
    keep_record(act, RecordRequest("defect", None, (("code", "D1"), ("name", "Dented"), ("severity", "minor"))))
    assert str(Defect.objects.get(code="D1")) == "Dented"
