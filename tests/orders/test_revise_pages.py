"""Pages that change an order, its story with remarks and documents, and its papers."""

import hashlib
from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from northing.actions.activity import remarks
from northing.activity import store
from northing.activity.documents import where
from northing.activity.models import Document, HistoryEntry
from northing.core.problems import NotAllowed
from northing.masterdata.models import Party
from northing.messaging.models import Message
from northing.orders.models import Instalment, PurchaseOrder
from northing.shipping.models import Container
from tests.worlds import TODAY

PDF = b"%PDF-1.7 made up"


@pytest.fixture
def desk(sent, client):
    """An agreed order, and the expediter at the desk."""
    client.force_login(sent.people["expediter"])
    sent.client = client
    return sent


def sent_form(world, url, **typed):
    """The change form as it stands on the page, with what is typed into it."""
    page = world.client.get(url)
    form, lines = page.context["form"], page.context["lines"]
    data = {field.html_name: field.value() if field.value() is not None else "" for field in form}
    data |= {field.html_name: field.value() for field in lines.management_form}
    return data | typed


def change_url(world):
    return reverse("change-order", args=[world.order.pk])


def test_a_revision_is_looked_at_then_sent(desk):
    url, line = change_url(desk), desk.line("A")
    data = sent_form(desk, url, **{f"line-{line.pk}-quantity": "300"})
    looked = desk.client.post(url, data)
    assert looked.status_code == 200 and b"What revision 2 changes" in looked.content
    assert b"Send revision 2" in looked.content and PurchaseOrder.objects.get(pk=desk.order.pk).revision == 1
    done = desk.client.post(url, data | {"send": "1"})
    assert done.status_code == 302
    desk.order.refresh_from_db()
    assert (desk.order.revision, desk.line("A").quantity) == (2, 300)
    again = desk.client.post(url, data | {"send": "1"})
    assert again.status_code == 302 and PurchaseOrder.objects.get(pk=desk.order.pk).revision == 2, "once per key"


def test_the_second_of_two_keeps_what_was_typed_and_may_send_it_knowingly(desk):
    url, line = change_url(desk), desk.line("A")
    first = sent_form(desk, url, **{f"line-{line.pk}-quantity": "300", "send": "1"})
    second = sent_form(desk, url, remark="Mark the cartons", send="1")
    desk.client.post(url, first)
    overtaken = desk.client.post(url, second)
    assert overtaken.status_code == 422
    assert b"240 \xe2\x86\x92 300" in overtaken.content and b"Mark the cartons" in overtaken.content
    seen = overtaken.context["form"]
    assert int(seen["version"].value()) == PurchaseOrder.objects.get(pk=desk.order.pk).version


@pytest.mark.parametrize(
    "typed",
    [
        {"version": "x"},
        {"version": ""},
        {"incoterm": "ZZZ"},
        {"answer_by": "31-31-2026"},
        {"lines-TOTAL_FORMS": "100000000"},
        {"lines-0-item": "no such", "lines-0-packs": "1"},
        {"remark": "x" * 501},
        {"reference": "\x00"},
    ],
)
def test_bad_input_is_answered_and_nothing_is_kept(desk, typed):
    url = change_url(desk)
    answer = desk.client.post(url, sent_form(desk, url) | typed | {"send": "1"})
    assert answer.status_code in (200, 422)
    assert PurchaseOrder.objects.get(pk=desk.order.pk).revision == 1


def test_a_day_is_moved_on_the_line_page(desk):
    line, part = desk.line("A"), Instalment.objects.get(line__item__code="A")
    page = desk.client.get(reverse("line", args=[line.pk]))
    form = page.context["parts_form"]
    data = {field.html_name: field.value() if field.value() is not None else "" for field in form}
    day = part.asked_on + timedelta(days=9)
    desk.client.post(reverse("line-parts", args=[line.pk]), data | {f"asked-{part.pk}": day.isoformat()})
    part.refresh_from_db()
    assert (part.asked_on, part.agreed_quantity) == (day, 0)


def test_parts_that_do_not_sum_are_said_and_not_kept(desk):
    line, part = desk.line("A"), Instalment.objects.get(line__item__code="A")
    data = {
        "key": "k",
        "version": PurchaseOrder.objects.get(pk=desk.order.pk).version,
        f"quantity-{part.pk}": "200",
        f"asked-{part.pk}": part.asked_on.isoformat(),
        "quantity-new": "",
        "asked-new": "",
    }
    answer = desk.client.post(reverse("line-parts", args=[line.pk]), data, follow=True)
    assert b"240 pc are not packed yet" in answer.content
    without_day = data | {"quantity-new": "40", "key": "k2"}
    answer = desk.client.post(reverse("line-parts", args=[line.pk]), without_day, follow=True)
    assert b"Enter the day by which" in answer.content


def test_cancel_some_lines_then_reopen(desk):
    line = desk.line("A")
    url = reverse("cancel-order", args=[desk.order.pk])
    assert desk.client.post(url, {"key": "n"}).status_code == 422, "no line picked is not all of them"
    desk.client.post(url, {"key": "k", "lines": [line.pk]})
    part = Instalment.objects.select_related("position").get(line=line)
    assert part.position.dropped == 240
    desk.client.post(reverse("reopen-order", args=[desk.order.pk]), {"key": "r", "lines": [line.pk]})
    part.position.refresh_from_db()
    assert part.position.with_supplier == 240


def test_a_copy_has_the_lines_and_terms(desk):
    PurchaseOrder.objects.filter(pk=desk.order.pk).update(remark="By pallet", incoterm="EXW")
    page = desk.client.get(reverse("new-order"), {"copy": desk.order.pk})
    assert page.context["form"]["remark"].value() == "By pallet"
    assert [row["item"].value() for row in page.context["lines"]][:2] == ["A", "C"]
    assert [row["packs"].value() for row in page.context["lines"]][:2] == ["240", "900"]
    assert desk.client.get(reverse("new-order"), {"copy": "9999"}).status_code == 404
    assert desk.client.get(reverse("new-order"), {"copy": "x"}).status_code == 404


def test_what_is_copied_can_be_sent_as_it_is(desk):
    page = desk.client.get(reverse("new-order"), {"copy": desk.order.pk})
    data = {field.html_name: field.value() or "" for field in page.context["form"]}
    lines = page.context["lines"]
    data |= {field.html_name: field.value() for field in lines.management_form}
    data |= {field.html_name: field.value() or "" for row in lines for field in row}
    data["need_by"] = (TODAY + timedelta(days=80)).isoformat()
    assert desk.client.post(reverse("new-order"), data).status_code == 302
    made = PurchaseOrder.objects.order_by("-pk").first()
    assert list(made.lines.values_list("item__code", "quantity")) == [("A", 240), ("C", 900)]


def say(world, kind, record, words="Call them", **more):
    data = {"key": f"k{kind}{record}{words}", "words": words} | more
    return world.client.post(reverse("remark", args=[kind, record]), data)


def test_remarks_stay_in_the_house_unless_shared(desk):
    Party.objects.filter(kind="supplier").update(email="orders@qinlaro.example")
    say(desk, "order", desk.order.pk)
    assert not Message.objects.exists()
    say(desk, "line", desk.line("A").pk, "Please pack dry", shared="on")
    assert "Please pack dry" in Message.objects.get().body
    shared = dict(HistoryEntry.objects.filter(action="remark").values_list("text", "shared"))
    assert shared == {"Call them": False, "Please pack dry": True}


def test_a_remark_on_any_record_and_on_nobody_elses(desk):
    charged = desk.shipment([desk.order])
    charge = desk.charge(charged, "freight", "100.00", "USD", "volume")
    box = Container.objects.get(shipment=charged)
    records = [("shipment", charged.pk), ("charge", charge), ("item", desk.items["A"].pk), ("container", box.pk)]
    for kind, record in [*records, ("party", desk.parties["USD"].pk), ("party", desk.parties["provider"].pk)]:
        assert say(desk, kind, record).status_code == 302
        told = HistoryEntry.objects.filter(action="remark", links__kind=kind, links__record=record)
        assert told.exists(), kind
    assert say(desk, "ledger", 1).status_code == 404
    desk.client.force_login(desk.people["stranger"])
    for kind, record in (("order", desk.order.pk), ("shipment", charged.pk), ("charge", charge), ("container", box.pk)):
        assert say(desk, kind, record, "mine").status_code == 404, kind


def test_only_an_orders_remark_can_be_shared(desk):
    answer = desk.client.post(
        reverse("remark", args=["item", desk.items["A"].pk]), {"key": "k", "words": "x", "shared": "on"}, follow=True
    )
    assert (
        b"Only what is about an order" in answer.content and not HistoryEntry.objects.filter(action="remark").exists()
    )


def test_the_story_is_filtered_with_a_word(desk):
    say(desk, "order", desk.order.pk, "Pallets are wet")
    url = reverse("order", args=[desk.order.pk])
    assert [entry.text for entry in desk.client.get(url, {"said": "pallet"}).context["history"].entries] == [
        "Pallets are wet"
    ]
    assert b"Nothing in the story says" in desk.client.get(url, {"said": "zebra"}).content
    assert desk.client.get(url, {"said": "\x00%_'"}).status_code == 200


def attach(world, content=PDF, name="paper.pdf", **more):
    file = SimpleUploadedFile(name, content, "text/html")
    url = reverse("attach", args=["order", world.order.pk])
    return world.client.post(url, {"key": f"d{name}", "file": file} | more, follow=True)


def test_documents_are_told_by_their_content_and_served_with_care(desk):
    attach(desk)
    found = Document.objects.get()
    assert (found.media_type, found.shared) == ("application/pdf", False)
    url = reverse("document", args=[found.pk])
    got = desk.client.get(url)
    assert got["Content-Disposition"].startswith("attachment") and b"".join(got.streaming_content) == PDF
    shown = desk.client.get(url, {"show": "1"})
    assert shown["Content-Disposition"].startswith("inline") and "sandbox" in shown["Content-Security-Policy"]
    desk.client.force_login(desk.people["stranger"])
    assert desk.client.get(url).status_code == 404


@pytest.mark.parametrize(
    ("content", "name"),
    [
        (b"<script>alert(1)</script>", "paper.pdf"),
        (b"<svg onload='alert(1)'/>", "drawing.svg"),
        (b"PK\x03\x04 and more", "drawings.zip"),
    ],
)
def test_any_kind_is_kept_and_what_is_not_safe_to_show_is_only_downloaded(desk, content, name):
    attach(desk, content, name)
    url = reverse("document", args=[Document.objects.get().pk])
    for asked in ({}, {"show": "1"}):
        got = desk.client.get(url, asked)
        assert got["Content-Disposition"].startswith("attachment") and b"".join(got.streaming_content) == content
        assert got["Content-Type"] == "application/octet-stream" and got["X-Content-Type-Options"] == "nosniff"


def test_an_empty_document_is_refused(desk):
    assert b"empty" in attach(desk, b"", "paper.pdf").content and not Document.objects.exists()


@pytest.mark.parametrize("left", [None, b"%PDF-1", b"%PDF- of another kind"])
def test_a_lost_or_torn_file_is_never_given_out_and_a_second_upload_mends_it(desk, left):
    attach(desk, PDF + b"lost")
    found = Document.objects.get()
    path, url = where(found.sha256), reverse("document", args=[found.pk])
    path.unlink() if left is None else path.write_bytes(left)
    answer = desk.client.get(url)
    assert answer.status_code == 409 and b"damaged or gone" in answer.content
    attach(desk, PDF + b"lost", "again.pdf")
    assert b"".join(desk.client.get(url).streaming_content) == PDF + b"lost"


def test_a_power_cut_while_a_file_is_written_leaves_nothing_under_its_name(desk, monkeypatch):
    def no_power(_):
        raise OSError("no space left on device")

    monkeypatch.setattr(store.os, "fsync", no_power)
    with pytest.raises(OSError, match="no space"):
        attach(desk, PDF + b"cut")
    folder = where(hashlib.sha256(PDF + b"cut").hexdigest()).parent
    assert not Document.objects.exists() and list(folder.iterdir()) == []


def test_papers_of_every_revision(desk):
    url, line = change_url(desk), desk.line("A")
    desk.client.post(url, sent_form(desk, url, **{f"line-{line.pk}-quantity": "300", "send": "1"}))
    for number in (1, 2):
        pdf = desk.client.get(reverse("order-pdf", args=[desk.order.pk, number]))
        assert pdf.content.startswith(b"%PDF-")
    xml = desk.client.get(reverse("order-xml", args=[desk.order.pk, 2])).content
    assert b"300" in xml and desk.client.get(reverse("order-xml", args=[desk.order.pk, 3])).status_code == 404
    desk.client.force_login(desk.people["stranger"])
    assert desk.client.get(reverse("order-pdf", args=[desk.order.pk, 1])).status_code == 404


def test_who_only_looks_remarks_nothing_and_the_dock_writes_to_no_supplier(world):
    order = world.sent_order({"A": D(10)})
    for who, shared, words in (("viewer", False, "only look"), ("dock", True, "may not write to suppliers")):
        with pytest.raises(NotAllowed, match=words):
            remarks.remark(world.act(who), remarks.RemarkRequest(order.pk, "hello", shared=shared))
    assert remarks.remark(world.act("dock"), remarks.RemarkRequest(order.pk, "two cartons are wet"))
