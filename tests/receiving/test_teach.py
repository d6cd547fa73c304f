"""A GTIN that nobody knows is taught to an item on the spot, and the same scan is read then."""

import pytest
from django.urls import reverse

from northing.masterdata.models import Pack

pytestmark = pytest.mark.django_db
GTIN = "09521000000001"


@pytest.fixture
def dock(world, signed_in):
    """A dock whose receiver may keep items as well."""
    world.people["dock"].grants.create(company=world.nz, role="expediter")
    world.page = signed_in("dock")
    return world


def scanned(dock, said=f"(01){GTIN}"):
    return dock.page.post(reverse("scan"), {"site": dock.site.pk, "scan": said}).json()


def taught(page, **said):
    return page.post(reverse("teach"), {"gtin": GTIN, "item": "a", "units": "6"} | said)


def test_it_is_known_from_then_on(dock):
    assert scanned(dock)["gtin"] == GTIN
    assert taught(dock.page).json()["words"] == f"{GTIN} is 6 pc of A from now on."
    assert scanned(dock)["words"].startswith("6 pc kettles")
    assert Pack.objects.get(gtin=GTIN).factor == 6


def test_a_pack_of_that_many_units_without_a_gtin_gets_it(dock):
    Pack.objects.create(item=dock.items["A"], name="carton", factor=6)
    taught(dock.page)
    assert Pack.objects.get(gtin=GTIN).name == "carton"


@pytest.mark.parametrize(
    ("said", "words"),
    [
        ({"item": "NOPE"}, "No item has the code NOPE."),
        ({"item": ""}, "No item has the code"),
        ({"units": "0"}, "is not from 0.000001"),
        ({"units": "x"}, "number"),
        ({"gtin": "09521000000002"}, "is no GTIN"),
        ({"gtin": ""}, "is no GTIN"),
        ({"item": "\x00"}, "No item has the code"),
    ],
)
def test_what_makes_no_sense_is_said(dock, said, words):
    answer = taught(dock.page, **said)
    assert answer.status_code == 422 and words in answer.json()["wrong"]
    assert not Pack.objects.filter(gtin__startswith="0952").exists()


def test_one_that_is_of_another_item_stays_there(dock):
    Pack.objects.create(item=dock.items["B"], name="carton", factor=4, gtin=GTIN)
    assert taught(dock.page).status_code == 422 and Pack.objects.get(gtin=GTIN).item == dock.items["B"]


def test_who_may_not_is_not_offered_it(world, signed_in):
    page = signed_in("dock")
    answer = page.post(reverse("scan"), {"site": world.site.pk, "scan": f"(01){GTIN}"}).json()
    assert answer["gtin"] == "" and "not known" in answer["wrong"]
    assert taught(page).status_code == 403 and not Pack.objects.filter(gtin=GTIN).exists()
