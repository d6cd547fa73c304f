"""Bills that are known and not booked: they wait for goods, go back, or come from the supplier's page."""

import re
from dataclasses import replace
from decimal import Decimal as D

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from northing.actions.billing import bills, keep
from northing.actions.worklist.proof import move_faults
from northing.activity.models import Document
from northing.billing.models import Bill, KeptBill
from northing.core.problems import NotAllowed, Refused
from northing.masterdata.models import Party
from northing.messaging.models import Message
from northing.worklist.models import Matter
from tests.billing.test_goods import bill_of, line_of
from tests.confirmations.test_supplier_page import link
from tests.small_pdf import small_pdf
from tests.worlds import TODAY


def kept_of(world, order, **more):
    asked = keep.KeepRequest(bill_of(order, line_of(order, **more.pop("line", {}))), **more)
    return KeptBill.objects.get(pk=keep.keep_bill(world.act("costs"), asked))


def matter(kept):
    return Matter.objects.filter(kind="kept bill", record=kept.pk).values_list("party", "reason").first()


def test_it_waits_until_its_goods_are_ours_and_is_booked_once(world):
    order = world.sent_order({"A": D(10)})
    kept = kept_of(world, order)
    assert matter(kept) == ("supplier", "a bill waits for its goods")
    world.say(world.shipment([order]), "departure")
    assert matter(kept) == ("accounts", "its goods are ours: book it")
    assert move_faults() == []
    bill = bills.book_bill(world.act("costs"), bill_of(order, number="s 1"))
    kept.refresh_from_db()
    assert (kept.state, kept.bill_id, matter(kept)) == ("booked", bill, None)
    with pytest.raises(Refused, match="is booked already"):
        kept_of(world, order)


def test_it_goes_back_with_a_letter_and_its_reason(world):
    order = world.sent_order({"A": D(10)})
    with pytest.raises(Refused, match="Say what is wrong"):
        kept_of(world, order, send_back=True)
    Party.objects.filter(pk=order.supplier_id).update(email="bills@kettles.example")
    kept = kept_of(world, order, send_back=True, why="20.00 was agreed")
    assert matter(kept) == ("supplier", "its bill went back")
    assert "20.00 was agreed" in Message.objects.filter(kind="bill_back").get().body
    keep.drop_bill(world.act("costs"), keep.DropRequest(kept.pk, "a new one came"))
    with pytest.raises(Refused, match="not to be booked already"):
        keep.drop_bill(world.act("costs"), keep.DropRequest(kept.pk, "again"))
    assert matter(kept) is None


def test_the_number_of_another_company_is_not_taken_over(world):
    mine, theirs = world.sent_order({"A": D(10)}), world.sent_order({"A": D(10)}, company=world.au)
    kept = kept_of(world, mine)
    with pytest.raises(Refused, match="is kept already"):
        kept_of(world, theirs)
    bills.book_bill(world.act("costs"), bill_of(theirs, accept=True))
    kept.refresh_from_db()
    assert kept.is_open and kept.company == world.nz


def test_a_document_is_attached_to_it_from_anywhere(world, signed_in, settings, tmp_path):
    settings.FILES = tmp_path
    kept = kept_of(world, world.sent_order({"A": D(10)}))
    file = SimpleUploadedFile("note.pdf", b"%PDF-1.4 x")
    answer = signed_in("costs").post(reverse("attach", args=["kept", kept.pk]), {"key": "a", "file": file})
    assert answer.url == reverse("kept-bill", args=[kept.pk]) + "#story"


@pytest.fixture
def order(world):
    """Ten kettles, ours and afloat."""
    found = world.sent_order({"A": D(10)})
    world.say(world.shipment([found]), "departure")
    return found


@pytest.fixture
def theirs(world, order):
    """The supplier's browser, and its address."""
    token = link(world)
    return Client(), token


def said(order, **more):
    line = order.lines.get().pk
    head = {"of": f"{order.company_id}-{order.currency}", "number": "T-1", "dated": TODAY.isoformat(), "key": "k"}
    return head | {"total": "184.00", f"units-{line}": "10", f"price-{line}": "18.40"} | more


def test_the_supplier_sends_its_bill_and_sees_what_becomes_of_it(world, order, theirs, signed_in, settings, tmp_path):
    settings.FILES = tmp_path
    page, token = theirs
    assert "Send a bill" in page.get(reverse("supplier", args=[token])).content.decode()
    paper = SimpleUploadedFile("t1.pdf", small_pdf(2), "application/pdf")
    for _ in range(2):
        answer = page.post(reverse("supplier-send-bill", args=[token]), said(order, file=paper))
        assert answer.status_code == 302
        paper.seek(0)
    kept = KeptBill.objects.get()
    assert (kept.state, kept.total, matter(kept)) == ("entered", 184, ("accounts", "the supplier entered a bill"))
    assert "sent; we check it" in page.get(reverse("supplier", args=[token])).content.decode()
    mine, url = signed_in("costs"), f"{reverse('supplier-bill')}?kept={kept.pk}"
    shown = mine.get(url).content.decode()
    assert 'value="T-1"' in shown and "t1.pdf" in shown
    pages = re.findall(r'<img src="(/activity/documents/[^"]+)"', shown)
    assert [mine.get(page)["Content-Type"] for page in pages] == ["image/png", "image/png"]
    line = order.lines.get().pk
    booked = {"key": "b", "bill_number": "T-1", "day": TODAY.isoformat(), f"quantity-l{line}": "10"}
    assert mine.post(url, booked | {f"price-l{line}": "18.40", "act": "book"}).status_code == 302
    bill = Bill.objects.get()
    assert Document.objects.filter(kind="bill", record=bill.pk, name="t1.pdf").exists()
    assert KeptBill.objects.get().bill == bill


def test_what_went_back_comes_again_corrected_and_what_is_dropped_is_said(world, order, theirs):
    page, token = theirs
    kept = kept_of(world, order, send_back=True, why="wrong price")
    number = {"number": kept.number}
    assert page.post(reverse("supplier-send-bill", args=[token]), said(order, **number)).status_code == 302
    kept.refresh_from_db()
    assert kept.state == "entered" and KeptBill.objects.count() == 1
    keep.drop_bill(world.act("costs"), keep.DropRequest(kept.pk, "came by post"))
    assert "we do not book it: came by post" in page.get(reverse("supplier", args=[token])).content.decode()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"number": ""}, "Write the number"),
        ({"number": "9" * 41}, "at most 40 signs"),
        ({"dated": "soon"}, "Write the day"),
        ({"dated": "2026-11-25"}, "has not come yet"),
        ({"total": "1e9"}, "is not a number"),
        ({"total": "-4"}, "no amount in USD"),
        ({"of": "1-EUR"}, ""),
    ],
)
def test_what_the_supplier_cannot_mean_is_said(world, order, theirs, change, words):
    page, token = theirs
    answer = page.post(reverse("supplier-send-bill", args=[token]), said(order, **change))
    assert answer.status_code == 422 and words in answer.content.decode()
    assert not KeptBill.objects.exists()


def test_another_supplier_sends_no_bill_for_these_goods(world, order):
    others = replace(world.act("expediter"), supplier=world.parties["EUR"].pk)
    for act in (others, world.act("expediter")):
        with pytest.raises(NotAllowed):
            keep.enter_bill(act, keep.KeepRequest(bill_of(order)))
    assert not KeptBill.objects.exists()
