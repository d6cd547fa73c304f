"""The day of a dock: deliveries by day, their work, their urgency; found by whatever the paper shows."""

from datetime import timedelta

import pytest
from django.db import connection
from django.template.loader import render_to_string
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from northing.actions.activity.remarks import RemarkRequest, remark
from northing.actions.worklist.deliveries import refresh_every_delivery
from northing.masterdata.models import Agreement, Item, Pack, Site
from northing.receiving.models import Receipt
from northing.reports import dock_sheet
from northing.reports.dock_day import Delivery, counts, delivery_rows, expected
from northing.shipping.models import Container, HandlingContent, HandlingUnit, Shipment
from northing.web.receiving import jobs
from northing.web.receiving.views import dock
from northing.worklist.models import ExpectedDelivery, LineSummary
from tests.worlds import CONTAINERS, TODAY, D

DAY = timedelta(days=1)


@pytest.fixture
def day(world):
    """A container of two orders, of which one is inspected, and an order that comes unpacked."""
    Item.objects.filter(code="A").update(inspected=True, volume_m3=D("0.01"))
    world.first, world.second = world.sent_order({"A": D(240)}), world.sent_order({"C": D(10)})
    world.cargo = world.shipment([world.first, world.second])
    world.box = world.cargo.containers.get()
    world.loose = world.sent_order({"A": D(5), "C": D(7)})
    return world


def shown(page, query=""):
    return [str(row.record.container or row.record.order) for row in page.get(reverse("dock") + query).context["rows"]]


def test_what_comes_and_how_much_work_it_is(day):
    ExpectedDelivery.objects.update(expected_on=TODAY + 7 * DAY)
    assert [one.short for one in rows_of(day)] == [[], []], "it is not urgent yet"
    ExpectedDelivery.objects.update(expected_on=TODAY + 6 * DAY)
    rows = {str(one.record.container or one.record.order): one for one in rows_of(day)}
    box, loose = rows[day.box.number], rows[str(day.loose)]
    assert set(box.orders.values()) == {day.first.number, day.second.number} and box.record.lines == 2
    assert box.inspected and box.codes == ["A", "C"] and box.short == ["A", "C"]
    assert box.volume_m3 == D("2.4") + 10 * Item.objects.get(code="C").volume_m3
    assert loose.where == "with the supplier" and loose.units[day.loose.lines.get(item__code="C").pk] == 7
    refresh_every_delivery()
    day.receive(day.cargo, {"A": D(100)})
    ExpectedDelivery.objects.update(expected_on=TODAY)
    box = next(one for one in rows_of(day) if one.record.container)
    assert box.units[day.first.lines.get().pk] == 140 and box.short == ["A", "C"], "held is not in store"
    day.receive(day.cargo, {"A": D(140), "C": D(10)})
    assert [one.record.order for one in rows_of(day)] == [day.loose] and rows_of(day)[0].short == ["A"]
    refresh_every_delivery()


def rows_of(day):
    return delivery_rows(expected([day.site.pk]), TODAY, 0, 10)


def test_each_stands_in_the_window_of_its_day(day):
    for days, window in ((-1, "overdue"), (0, "today"), (1, "week"), (6, "week"), (7, "later"), (None, "unplanned")):
        ExpectedDelivery.objects.update(expected_on=None if days is None else TODAY + days * DAY)
        found = counts(expected([day.site.pk]), TODAY)
        assert found.pop(window) == 2 and set(found.values()) == {0}, days
    one = ExpectedDelivery(expected_on=TODAY + DAY, need_by=TODAY + DAY)
    assert not delivery(one).late and not delivery(one).overdue
    one.need_by = TODAY
    assert delivery(one).late
    one.expected_on, one.need_by = TODAY - DAY, TODAY - DAY
    assert delivery(one).late and delivery(one).overdue, "what has not come is not here before today"
    refresh_every_delivery()


def delivery(record):
    return Delivery(record, TODAY)


@pytest.mark.parametrize(
    "words",
    ["{order}", "sup-77", "our-9", "tea-a", "{gtin}", "{box}", "seal5", "{sscc}", "bl-1", "{shipment}", "usd kettles"],
)
def test_it_is_found_by_whatever_the_paper_shows(day, signed_in, words):
    item, order = Item.objects.get(code="A"), day.first
    order.supplier_reference, order.reference = "SUP-77", "OUR-9"
    order.save()
    Agreement.objects.filter(item=item).update(supplier_code="TEA-A")
    Pack.objects.create(item=item, name="case", factor=D(6), gtin="09521000000008")
    Container.objects.filter(pk=day.box.pk).update(seal="SEAL5")
    Shipment.objects.filter(pk=day.cargo.pk).update(document="BL-1")
    HandlingUnit.objects.create(container=day.box, sscc="095210000000000018")
    said = words.format(
        order=order.number, box=day.box.number, shipment=day.cargo, gtin="9521000000008", sscc="095210000000000018"
    )
    assert day.box.number in shown(signed_in("dock"), f"?q={said}")


def test_words_narrow_and_what_fits_nothing_says_so(day, signed_in):
    page = signed_in("dock")
    assert shown(page, f"?q={day.loose.number}") == [str(day.loose)]
    assert shown(page, f"?q={day.loose.number} {day.box.number}") == []
    assert set(shown(page, "?q=infusers")) == {day.box.number, str(day.loose)}
    for odd in ("nothing", "%", "a" * 300, "\x00", "é", "0" * 40, "' or 1=1"):
        assert page.get(reverse("dock"), {"q": odd, "when": odd, "site": odd, "page": odd}).status_code == 200
    assert "Nothing that is expected is called" in page.get(reverse("dock") + "?q=nothing").content.decode()


def test_receipts_are_found_by_note_goods_and_remark(day, signed_in):
    day.receive(day.cargo, {"A": D(240), "C": D(10)})
    receipt = Receipt.objects.get()
    remark(day.act("dock"), RemarkRequest(day.box.pk, "the third pallet was wet", "container"))
    page = signed_in("dock")
    for words in (receipt.delivery_note, day.box.number, "kettles", day.first.number, "pallet wet"):
        assert page.get(reverse("dock"), {"q": words}).context["receipts"].rows == [receipt], words
    assert page.get(reverse("dock"), {"q": "dry"}).context["receipts"].rows == []


def test_a_site_is_remembered_and_no_other_companys_is_shown(day, signed_in):
    second = Site.objects.create(company=day.nz, code="AKL", name="Auckland")
    page = signed_in("dock")
    assert len(shown(page)) == 2 and shown(page, f"?site={second.code}") == [] == shown(page)
    assert len(shown(page, f"?site={day.site.code}")) == 2 and len(shown(page)) == 2
    stranger = signed_in("stranger")
    assert shown(stranger) == [] == shown(stranger, f"?q={day.first.number}")
    assert shown(stranger, f"?site={day.site.code}") == []


def test_the_sheet_says_what_is_expected_line_by_line(day, monkeypatch):
    day.first.reference = "OUR-9"
    day.first.save()
    Agreement.objects.filter(item__code="A").update(supplier_code="TEA-A")
    day.receive(day.cargo, {"A": D(100)})
    LineSummary.objects.filter(order=day.loose).update(agreed=0)
    LineSummary.objects.filter(order=day.loose, item__code="C").update(agreed=2)
    said = dock_sheet.sheet_context(rows_of(day), "all", 2)
    lines = [(one, one.summary) for part in said["parts"] for one in part.lines]
    found = [
        (of.item.code, one.supplier_code, of.ordered, of.received, one.expected, one.answered) for one, of in lines
    ]
    assert sorted(found) == [
        ("A", "TEA-A", 5, 0, 5, "not answered"),
        ("A", "TEA-A", 240, 100, 140, "agreed"),
        ("C", "", 7, 0, 7, "agreed in part"),
        ("C", "", 10, 0, 10, "agreed"),
    ]
    paper = render_to_string("receiving/dock_sheet.html", said)
    assert "OUR-9" in paper and "2 more deliveries" in " ".join(paper.split()) and paper.count("<svg") == 4
    monkeypatch.setattr(dock_sheet, "MOST_LINES", 3)
    cut = dock_sheet.sheet_context(rows_of(day), "all", 0)
    assert (cut["lines"], cut["left"]) == (3, 1)


def made(page, **asked):
    """The sheet that the page answers with."""
    answer = page.post(reverse("dock-sheet"), asked, follow=True)
    assert answer.status_code == 200
    return b"".join(answer.streaming_content)


def test_the_sheet_is_made_of_what_is_asked_for(day, signed_in, monkeypatch):
    page, seen = signed_in("dock"), []
    monkeypatch.setattr(jobs, "dock_sheet", lambda *said: seen.append(said) or b"%PDF")
    loose = ExpectedDelivery.objects.get(order=day.loose)
    ExpectedDelivery.objects.update(expected_on=TODAY + DAY)
    ExpectedDelivery.objects.filter(pk=loose.pk).update(expected_on=TODAY + 9 * DAY)
    asked = (
        ({}, 2, "all days"),
        ({"when": "later"}, 1, "later"),
        ({"q": "nothing"}, 0, "“nothing”"),
        ({"until": (TODAY + DAY).isoformat()}, 1, "up to 25 Nov 2026"),
        ({"pick": [loose.pk]}, 1, "1 picked"),
        ({"q": "\x00", "when": "x", "until": "x", "pick": ["x", "9" * 30]}, 2, "all days"),
    )
    for words, rows, title in asked:
        assert made(page, **words) == b"%PDF"
        assert len(seen[-1][0]) == rows and title in seen[-1][1], words
    monkeypatch.setattr(dock, "AT_ONCE_LINES", 1)
    assert "/jobs/" in page.post(reverse("dock-sheet"), {}).url, "the worker makes it"
    assert made(signed_in("stranger"), pick=[loose.pk]) == b"%PDF" and not seen[-1][0]
    refresh_every_delivery()


def test_the_day_is_listed_by_shipments_orders_and_pallets(day, signed_in):
    page = signed_in("dock")
    unit = HandlingUnit.objects.create(container=day.box, sscc="106141412345678908")
    part = day.box.shipment_lines.get(instalment__line__item__code="A")
    HandlingContent.objects.create(unit=unit, shipment_line=part, quantity=D(24))

    def listed(by):
        rows = page.get(reverse("dock"), {"by": by}).context["rows"]
        return [(row.name, row.lines, row.unpacked, [number for _, number in row.boxes], row.goods) for row in rows]

    assert listed("shipments") == [(str(day.cargo), 2, False, [day.box.number], [])]
    assert sorted(listed("orders")) == [
        (day.first.number, 1, False, [day.box.number], []),
        (day.second.number, 1, False, [day.box.number], []),
        (day.loose.number, 2, True, [], []),
    ]
    assert listed("pallets") == [(unit.sscc, 1, False, [day.box.number], ["24 pc A"])]
    assert shown(page, "?by=nonsense") == shown(page)
    stranger = signed_in("stranger")
    assert not any(stranger.get(reverse("dock"), {"by": by}).context["rows"] for by in dock.GROUPS)


@pytest.mark.parametrize("by", list(dock.GROUPS))
def test_a_shared_container_tells_nothing_of_the_other_company(world, signed_in, by):
    ours, theirs = world.sent_order({"A": D(240)}), world.sent_order({"B": D(10)}, company=world.au)
    shipment = world.shipment([ours, theirs])
    unit = HandlingUnit.objects.create(container=shipment.containers.get(), sscc="106141412345678908")
    for part in shipment.containers.get().shipment_lines.all():
        HandlingContent.objects.create(unit=unit, shipment_line=part, quantity=D(1))
    world.people["dock"].grants.filter(company=world.au).delete()
    rows = signed_in("dock").get(reverse("dock"), {"by": by}).context["rows"]
    assert len(rows) == 1 and rows[0].supplier == ours.supplier.name
    assert rows[0].lines == 1 and "B" not in str(rows[0].goods) and rows[0].name != theirs.number


@pytest.mark.parametrize("by", list(dock.GROUPS))
def test_a_list_of_the_day_reads_in_few_statements(day, signed_in, by):
    page, seen = signed_in("dock"), []
    page.get(reverse("dock"))  # the first page of a session notes when it was used
    for _ in range(2):
        with CaptureQueriesContext(connection) as found:
            assert page.get(reverse("dock"), {"by": by}).status_code == 200
        seen.append(len(found))
        day.shipment([day.sent_order({"A": D(1)}), day.sent_order({"C": D(1)})], CONTAINERS[1])
    assert seen[0] == seen[1]
