"""The pages of putaway, of a bin, and of goods between sites: as they are, and as somebody gets them wrong."""

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.inventory.models import BinMove, OnHand, Transfer
from northing.masterdata.models import Bin, Item, Site
from tests.inventory.goods import at_dock, bin_of, lies
from tests.worlds import CONTAINERS, TODAY, D

pytestmark = pytest.mark.django_db


@pytest.fixture
def queue(world):
    """Sixty of A lie at the dock; their place holds forty."""
    world.layer = at_dock(world, 60)
    Bin.objects.create(site=world.site, code="S-2", purpose="store", home_of=world.items["A"], most_units=D(40))
    return world


def sent(page, **changed):
    """The form of a page as a browser sends it."""
    form = page.context["form"]
    said = {name: form[name].value() or "" for name in form.fields}
    return said | {"key": "k", "end": [row.end for row in form.rows]} | changed


def test_what_is_proposed_is_put_away_by_one_button_and_undone(queue, signed_in):
    dock = signed_in("dock")
    page = dock.get(reverse("putaway"))
    key = OnHand.objects.get(layer=queue.layer).pk
    assert [row.end for row in page.context["form"].rows] == [str(key), f"{key}-2"]
    assert b"it is the place of A" in page.content and b"1 to put away" in page.content
    told = dock.post(reverse("putaway"), sent(page), follow=True)
    assert lies(queue.layer) == {("S-2", "in_store"): 40, ("STORE", "in_store"): 20}
    assert b"Nothing waits at the dock" in told.content
    undo = reverse("undo-move", args=[BinMove.objects.get().pk])
    assert dock.post(undo, {"key": "u", "reason": "wrong"}).status_code == 302
    assert lies(queue.layer) == {("DOCK", "in_store"): 60}
    assert dock.post(undo, {"key": "u2", "reason": "wrong"}).status_code == 404


def test_goods_are_put_away_at_the_site_whose_page_was_sent(queue, signed_in):
    """Meanwhile more waits at another site, which would be shown first now."""
    dock = signed_in("dock")
    page = dock.get(reverse("putaway"))
    layers = [at_dock(queue, 1), at_dock(queue, 1)]
    north = Site.objects.create(company=queue.nz, code="NTH", name="North")
    there = Bin.objects.create(site=north, code="N-1", purpose="dock")
    for layer in layers:
        OnHand.objects.filter(layer=layer).update(bin=there)
    assert dock.get(reverse("putaway")).context["site"] == north
    assert dock.post(reverse("putaway"), sent(page, at=queue.site.code)).status_code == 302
    assert ("S-2", "in_store") in lies(queue.layer)
    OnHand.objects.filter(bin=there).update(bin=bin_of("DOCK"))


def test_one_row_a_further_bin_and_a_reason(queue, signed_in):
    dock = signed_in("dock")
    page = dock.get(reverse("putaway"))
    key = OnHand.objects.get(layer=queue.layer).pk
    more = dock.post(reverse("putaway"), sent(page, split=str(key)))
    assert [row.end for row in more.context["form"].rows] == [str(key), f"{key}-2", f"{key}-3"]
    elsewhere = {f"target-{key}": "quarantine", "only": str(key)}
    refused = dock.post(reverse("putaway"), sent(page, **elsewhere))
    assert refused.status_code == 422 and b"is best put into S-2" in refused.content
    told = {f"reason-{key}": "wet", "key": "k2", **elsewhere}
    assert dock.post(reverse("putaway"), sent(page, **told)).status_code == 302
    assert lies(queue.layer) == {("QUARANTINE", "in_store"): 40, ("DOCK", "in_store"): 20}


@pytest.mark.parametrize(
    ("name", "value", "words"),
    [
        ("target", "NOPE", "TRG has no bin NOPE."),
        ("target", "", "No bin is entered."),
        ("quantity", "x", "Write a plain number"),
        ("quantity", "-1", "The quantity must be above 0."),
        ("quantity", "1e9", "Write a plain number"),
        ("quantity", "99999999", "Only 60 pc lie in DOCK."),
        ("target", "A" * 200, "at most 16 characters"),
    ],
)
def test_nonsense_on_the_page_is_said_and_kept(queue, signed_in, name, value, words):
    dock = signed_in("dock")
    page = dock.get(reverse("putaway"))
    key = OnHand.objects.get(layer=queue.layer).pk
    answer = dock.post(reverse("putaway"), sent(page, only=str(key), **{f"{name}-{key}": value}))
    assert answer.status_code == 422 and words.encode() in answer.content
    assert lies(queue.layer) == {("DOCK", "in_store"): 60}


@pytest.mark.parametrize("ends", [[], ["x"], ["9" * 11], ["-"], ["1-2-3"], ["%00"]])
def test_rows_that_are_none_are_left_out(queue, signed_in, ends):
    answer = signed_in("dock").post(reverse("putaway"), {"key": "k", "end": ends, "only": "1"})
    assert answer.status_code == 422


def test_a_bin_shows_what_lies_there_and_sends_it_to_another_site(queue, signed_in):
    dock, north = signed_in("dock"), Site.objects.create(company=queue.nz, code="NTH", name="North")
    Bin.objects.create(site=north, code="N-1", purpose="dock")
    page = dock.get(reverse("bin", args=[bin_of("DOCK").pk]))
    key = OnHand.objects.get(layer=queue.layer).pk
    assert dock.post(page.request["PATH_INFO"], sent(page, **{f"target-{key}": "nth"})).status_code == 302
    transfer = Transfer.objects.get()
    assert lies(queue.layer) == {("N-1", "on_way"): 60}
    there = dock.get(reverse("dock"))
    assert b"From other sites" in there.content
    page = dock.get(reverse("transfer", args=[transfer.pk]))
    line = transfer.lines.get().pk
    asked = {"key": "a", f"quantity-{line}": "61", f"bin-{line}": ""}
    assert b"Only 60 pc of A are on their way." in dock.post(page.request["PATH_INFO"], asked).content
    asked[f"quantity-{line}"] = "60"
    assert dock.post(page.request["PATH_INFO"], asked).status_code == 302
    assert lies(queue.layer) == {("N-1", "in_store"): 60}
    assert b"ended" in dock.get(reverse("transfers")).content


def test_a_scan_means_a_bin_or_goods_of_this_site(queue, signed_in):
    dock, key = signed_in("dock"), OnHand.objects.get(layer=queue.layer).pk
    asked = lambda said: dock.get(reverse("stock-scan"), {"site": queue.site.pk, "scan": said})  # noqa: E731
    assert asked("s-2").json()["bin"] == "S-2"
    assert asked("a").json()["rows"] == [key]
    assert asked("nonsense").status_code == 422 and "is no bin and no goods" in asked("nonsense").json()["wrong"]
    assert "check digit" in asked("(00)106141412345678900").json()["wrong"]
    assert signed_in("stranger").get(reverse("stock-scan"), {"site": queue.site.pk}).status_code == 404


def test_stock_is_shown_by_where_it_is_and_opens_its_lines(queue, signed_in):
    dock = signed_in("dock")
    queue.sent_order({"A": D(7)})
    floats = queue.shipment([queue.sent_order({"A": D(5)})])
    queue.say(floats, "departure")
    later = queue.sent_order({"A": D(4)}, ours_from="receipt")
    queue.say(queue.shipment([later], CONTAINERS[1]), "departure")
    row = next(one for one in dock.get(reverse("stock")).context["rows"] if one["code"] == "A")
    units = {name: int(count) for name, count, _ in row["places"] if count}
    assert units == {
        "with the supplier": 7,
        "under way, not ours yet": 4,
        "under way, ours": 5,
        "in store": 60,
    }
    for name, count, address in row["places"]:
        page = dock.get(address)
        assert page.status_code == 200
        if name == "with the supplier":
            assert b"7 <small" in page.content and count == 7


@pytest.mark.parametrize(
    ("asked", "found"),
    [
        ({}, 1),
        ({"q": "kettles"}, 1),
        ({"q": "L-1"}, 1),
        ({"q": "nothing"}, 0),
        ({"bin": "dock"}, 1),
        ({"bin": "STORE"}, 0),
        ({"status": "held"}, 0),
        ({"status": "nonsense"}, 1),
        ({"site": "x"}, 1),
        ({"q": "\x00"}, 1),
    ],
)
def test_what_lies_where_is_narrowed(world, signed_in, asked, found):
    at_dock(world, 6, lot="L-1")
    answer = signed_in("dock").get(reverse("lying"), asked)
    assert (answer.status_code in (200, 422)) and len(answer.context["rows"]) == found
    assert not signed_in("stranger").get(reverse("lying"), asked).context["rows"]


def test_the_queue_reads_in_as_many_statements_for_ten_rows_as_for_a_hundred(world, signed_in):
    dock, seen, supplier = signed_in("dock"), [], world.parties["USD"].pk
    Bin.objects.bulk_create(Bin(site=world.site, code=f"E-{number}", purpose="store") for number in range(150))
    dock.get(reverse("putaway"))  # the first page of a session notes when it was used
    for count in (10, 90):
        items = Item.objects.bulk_create(
            Item(code=f"N{count}-{number}", description="x", hs_code="", origin="CN") for number in range(count)
        )
        rows = tuple(ReceiveRow(None, D(1), item=item.pk, bin=bin_of("DOCK").pk) for item in items)
        asked = ReceiveRequest(None, world.site.pk, f"DN-{count}", TODAY, rows, supplier=supplier, reason="phone")
        receive(world.act("dock"), asked)
        OnHand.objects.filter(layer__item__in=items[: count // 2]).update(status="in_store")
        with CaptureQueriesContext(connection) as found:
            assert dock.get(reverse("putaway")).status_code == 200
        OnHand.objects.filter(layer__item__in=items).update(status="held")
        seen.append(len(found))
    assert seen[0] == seen[1] < 25
