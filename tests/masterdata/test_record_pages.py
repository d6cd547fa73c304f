"""The records of the house on their pages: made, changed, brought in, taken out; and by whom."""

import re

import pytest
from bench.bulk import fill
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from northing.access.models import Person
from northing.masterdata.kinds import KINDS
from northing.masterdata.models import Item, Party, Site
from tests.worlds import small_world


@pytest.fixture
def desk(world, client, settings, tmp_path):
    settings.FILES = tmp_path
    client.world = world
    client.force_login(Person.objects.get(username="administrator"))
    return client


def send(desk, name, text):
    sent = SimpleUploadedFile("rows.csv", text.encode())
    return desk.post(reverse("records-file", args=[name]), {"key": "f", "file": sent})


@pytest.mark.parametrize("name", KINDS)
def test_every_kind_has_its_pages(desk, name):
    for page in ("records", "new-record", "records-file", "records-csv"):
        assert desk.get(reverse(page, args=[name])).status_code == 200
    first = KINDS[name].rows().first()
    answer = desk.get(reverse("record", args=[name, first.pk]))
    assert answer.status_code == 200
    for fact in KINDS[name].facts:
        assert fact.words in answer.content.decode() or fact.words.replace("'", "&#x27;") in answer.content.decode()


@pytest.mark.parametrize("name", KINDS)
def test_a_record_is_kept_as_it_is_shown(desk, name):
    """Opening a record and pressing Keep changes nothing."""
    first = KINDS[name].rows().first()
    url = reverse("record", args=[name, first.pk])
    before = KINDS[name].texts(first)
    form = desk.get(url).context["form"]
    entered = {field.html_name: field.value() or "" for field in form} | {"key": "k"}
    assert desk.post(url, entered).status_code == 302, name
    assert KINDS[name].texts(KINDS[name].rows().get(pk=first.pk)) == before


@pytest.mark.parametrize("kept", ["", "DAP"])
def test_a_choice_that_is_left_alone_stays_what_it_was(desk, kept):
    """A browser sends the first choice where none is marked as chosen."""
    supplier = Party.objects.filter(kind="supplier").first()
    Party.objects.filter(pk=supplier.pk).update(incoterm=kept)
    for name, args, expected in (("record", ["supplier", supplier.pk], kept), ("new-record", ["supplier"], "")):
        field = str(desk.get(reverse(name, args=args)).context["form"]["incoterm"])
        first, marked = re.search(r'<option value="([^"]*)"', field)[1], re.findall(r'value="([^"]*)" selected', field)
        assert (marked or [first])[0] == expected


def test_what_is_wrong_stands_at_its_field_and_what_was_typed_is_kept(desk):
    answer = desk.post(reverse("new-record", args=["item"]), {"key": "k", "code": "Q", "hs_code": "12", "origin": "NZ"})
    assert answer.status_code == 422
    page = answer.content.decode()
    assert "HS code: &#x27;12&#x27; is not an HS code" in page and 'value="Q"' in page
    assert not Item.objects.filter(code="Q").exists()


def test_a_file_is_shown_and_then_kept(desk):
    answer = send(desk, "item", "code,description,hs_code,origin\nN1,Tray,441990,NZ\nA,Kettle anew,851610,CN\n")
    page = answer.content.decode()
    assert "1 new, 1 changed, 0 as they are, 0 wrong" in page and not Item.objects.filter(code="N1").exists()
    taken = desk.post(
        reverse("records-file", args=["item"]), {"key": "t", "sha256": answer.context["sha256"]}, follow=True
    )
    assert taken.status_code == 200 and Item.objects.get(code="N1").description == "Tray"
    assert Item.objects.get(code="A").description == "Kettle anew"


def test_a_wrong_file_says_where_and_cannot_be_kept(desk):
    page = send(desk, "item", "code,description,hs_code,origin\nN1,Tray,441990,Nowhere\n").content.decode()
    assert "1 wrong" in page and "Keep 1" not in page
    assert "has a column" in send(desk, "item", "code,colour\nA,red\n").content.decode()
    assert "lacks the column code" in send(desk, "item", "description\nx\n").content.decode()
    assert "no rows below" in send(desk, "item", "code\n").content.decode()
    bad = desk.post(reverse("records-file", args=["item"]), {"key": "t", "sha256": "../../etc/passwd"})
    assert bad.status_code == 422 and "not here any more" in bad.content.decode()


def test_a_wrong_file_that_is_sent_all_the_same_keeps_nothing(desk):
    answer = send(desk, "item", "code,description,hs_code,origin\nN1,Tray,441990,NZ\nN2,Tray,1,NZ\n")
    job = desk.post(
        reverse("records-file", args=["item"]), {"key": "t", "sha256": answer.context["sha256"]}, follow=True
    )
    assert "Row 3: HS code" in job.content.decode() and not Item.objects.filter(code="N1").exists()


def test_the_table_goes_out_and_comes_in_the_same(desk):
    Item.objects.filter(code="A").update(description="=1+1")
    table = b"".join(desk.get(reverse("records-csv", args=["item"])).streaming_content).decode("utf-8-sig")
    assert "'=1+1" in table
    page = send(desk, "item", table).content.decode()
    assert f"0 new, 0 changed, {Item.objects.count()} as they are, 0 wrong" in page


def test_who_may_not_keep_sees_and_keeps_nothing(desk):
    desk.force_login(Person.objects.get(username="dock"))
    site = desk.world.site
    page = desk.get(reverse("record", args=["site", site.pk])).content.decode()
    assert site.name in page and "Keep</button>" not in page
    answer = desk.post(reverse("record", args=["site", site.pk]), {"key": "k", "name": "Mine"})
    assert answer.status_code == 403 and "You may not" in answer.content.decode()
    assert send(desk, "site", "code,name,company\nX,X,KLN\n").status_code == 403
    desk.force_login(Person.objects.get(username="expediter"))
    assert desk.get(reverse("new-record", args=["site"])).status_code == 403, "items, but not sites"
    assert desk.get(reverse("new-record", args=["item"])).status_code == 200
    assert not Site.objects.filter(code="X").exists()


def test_a_record_that_is_not_there(desk):
    for key in ("0", "x", "99999999", "9" * 30):
        assert desk.get(reverse("record", args=["item", key])).status_code == 404
    assert desk.get("/masterdata/records/nothing/").status_code == 404


def test_ten_thousand_items_take_no_more_queries_than_ten(db, client, django_assert_max_num_queries):
    world = small_world()
    client.force_login(Person.objects.get(username="administrator"))
    fill(world, 10)
    Item.objects.bulk_create(Item(code=f"Z{n}", description="z", hs_code="851610", origin="NZ") for n in range(10_000))
    with django_assert_max_num_queries(12):
        assert client.get("/masterdata/records/item/").status_code == 200
    assert "Z9999" in client.get("/masterdata/records/item/?q=z9999").content.decode()
