"""The supplier's page: for one supplier, through a link, with nothing lost and no one else's orders."""

import io
import logging
from datetime import timedelta
from decimal import Decimal as D

import pytest
import structlog
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import reverse

from northing.actions.activity import remarks
from northing.actions.confirmations import supplier_links
from northing.activity.models import Document, HistoryEntry
from northing.confirmations.models import Answer, SupplierLink
from northing.masterdata.models import Party
from northing.messaging.models import Message
from northing.orders.models import Instalment
from northing.worklist.models import LineSummary
from tests.formats.test_ubl import DAY, item, response
from tests.stages import staged
from tests.worlds import NOW, TODAY

PNG = b"\x89PNG\r\n\x1a\n" + b"0" * 40


def ask_suppliers(world):
    """An order of two lines and one of another supplier; a link for the first."""
    world.order = world.sent_order({"A": D(240), "C": D(900)}, agreed=False)
    world.other = world.sent_order({"B": D(50)}, agreed=False)
    world.token = link(world)


asked = staged("asked", ask_suppliers)


def link(world, supplier="USD"):
    asked = supplier_links.InviteRequest(world.parties[supplier].pk)
    return supplier_links.invite(world.act("expediter"), asked).rstrip("/").rpartition("/")[2]


def part_of(code):
    return Instalment.objects.get(line__item__code=code, number=1)


def row(part, **changes):
    """Return what the page sends for a part, with changes."""
    entered = {
        "quantity": f"{part.quantity.normalize():f}",
        "ready": part.asked_on.isoformat(),
        "price": str(part.pack_price),
    }
    entered |= changes
    return {
        f"{name.partition('_')[0]}-{part.pk}{name.partition('_')[2] and '-1'}": value for name, value in entered.items()
    }


def answer(client, world, *rows, order=None, **more):
    url = reverse("supplier-answer", args=[world.token, (order or world.order).pk])
    sent = {"key": "k", "reference": "SO-1"}
    for one in rows:
        sent |= one
    return client.post(url, sent | more, follow=True)


def test_their_open_lines_and_nobody_elses(asked, client):
    page = client.get(reverse("supplier", args=[asked.token]))
    text = page.content.decode()
    assert asked.order.number in text and asked.other.number not in text and "Confirm all as asked (2)" in text
    assert page["Referrer-Policy"] == "no-referrer" and page["Cache-Control"] == "no-store"
    for name, args in (
        ("supplier-pdf", [asked.other.pk]),
        ("supplier-xml", [asked.other.pk]),
        ("supplier-file", [1]),
    ):
        assert client.get(reverse(name, args=[asked.token, *args])).status_code == 404
    part = part_of("B")
    refused = answer(client, asked, row(part), order=asked.other)
    assert "Nothing was sent" in refused.content.decode() and Answer.objects.count() == 0


def test_all_is_confirmed_in_one_act_and_once(asked, client):
    url = reverse("supplier-confirm", args=[asked.token])
    for _ in range(2):
        page = client.post(url, {"key": "once"}, follow=True)
    assert "Nothing waits for you" in page.content.decode()
    assert Answer.objects.filter(outcome="accepted").count() == 2
    assert set(LineSummary.objects.filter(order=asked.order).values_list("agreed", flat=True)) == {D(240), D(900)}
    told = HistoryEntry.objects.get(action="record_answers")
    assert told.channel == "link" and str(told.actor) == "Supplier USD" and told.shared


def test_another_day_quantity_and_price_and_a_split(asked, client):
    kettles, infusers = part_of("A"), part_of("C")
    later = (TODAY + timedelta(days=70)).isoformat()
    rows = row(kettles, quantity="100", quantity_1="140", ready_1=later, remark="two lots"), row(infusers, price="1.20")
    page = answer(client, asked, *rows).content.decode()
    assert "we have not decided yet" in page and "two lots" not in page
    split = Answer.objects.get(instalment=kettles)
    assert (split.quantity, split.later, split.remark) == (100, [{"quantity": "140", "ready_on": later}], "two lots")
    client.force_login(asked.people["expediter"])
    listed = client.get("/confirmations/").content.decode()
    assert "two lots" in listed and "140" in listed and "+117" not in listed
    client.post("/confirmations/decide/", {"accept": split.pk, "key": "a"})
    parts = Instalment.objects.filter(line=kettles.line).order_by("number")
    assert [(part.quantity, part.agreed_quantity, part.promise.isoformat()) for part in parts] == [
        (100, 100, kettles.asked_on.isoformat()),
        (140, 140, later),
    ]
    assert LineSummary.objects.get(line=kettles.line).agreed == 240


WRONG = [
    ({"quantity": "241"}, "promises more than the 240"),
    ({"quantity": "0"}, "must be above 0"),
    ({"quantity": "many"}, "is not a number"),
    ({"price": "-1"}, "must not be negative"),
    ({"ready": "soon"}, "is not a day"),
    ({"ready": "2026-01-05"}, "5 Jan 2026 has passed"),
    ({"ready": "0202-01-05"}, "Year 202 is not plausible"),
    ({"quantity": "200", "quantity_1": "41", "ready_1": "2027-02-01"}, "promises more than the 240"),
    ({"quantity": "100", "quantity_1": "50", "ready_1": ""}, "is not a day"),
]


@pytest.mark.parametrize(("changes", "words"), WRONG)
def test_what_is_wrong_is_said_at_its_line_and_what_was_typed_is_kept(asked, client, changes, words):
    page = answer(client, asked, row(part_of("A"), remark="keep me", **changes), row(part_of("C")))
    assert page.status_code == 422 and words in page.content.decode() and "keep me" in page.content.decode()
    assert Answer.objects.count() == 0, "nothing is half saved"


def test_only_what_the_link_may_change(asked, client):
    Party.objects.filter(pk=asked.parties["USD"].pk).update(link_may=["date"])
    page = answer(client, asked, row(part_of("A"), price="18.50"))
    assert "price cannot be changed through this page" in page.content.decode() and Answer.objects.count() == 0
    answer(client, asked, row(part_of("A"), ready=(TODAY + timedelta(days=60)).isoformat()))
    assert Answer.objects.count() == 1


def test_a_rule_accepts_what_is_a_little_later_and_in_time(asked, client):
    Party.objects.filter(pk=asked.parties["USD"].pk).update(accept_days=3)
    kettles, infusers = part_of("A"), part_of("C")
    kettles.line.__class__.objects.update(need_by=TODAY + timedelta(days=120))
    soon = {"ready": (kettles.asked_on + timedelta(days=3)).isoformat()}
    late = {"ready": (infusers.asked_on + timedelta(days=4)).isoformat()}
    answer(client, asked, row(kettles, **soon), row(infusers, **late))
    outcomes = dict(Answer.objects.values_list("instalment", "outcome"))
    assert outcomes == {kettles.pk: "accepted", infusers.pk: "open"}
    ruled = HistoryEntry.objects.get(action="accept_answer")
    assert ruled.channel == "rule" and ruled.actor is None and ruled.text.startswith("By rule")


def test_our_proposal_comes_back_to_them(asked, client):
    part = part_of("A")
    answer(client, asked, row(part, ready=(TODAY + timedelta(days=99)).isoformat()))
    client.force_login(asked.people["expediter"])
    propose = (TODAY + timedelta(days=77)).isoformat()
    open_answer = Answer.objects.get()
    client.post("/confirmations/decide/", {"counter": open_answer.pk, "counter_on": propose, "key": "c"})
    open_answer.refresh_from_db()
    assert open_answer.outcome == "countered"
    assert LineSummary.objects.get(line=part.line).reason == "to answer our proposal"
    page = client.get(reverse("supplier", args=[asked.token])).content.decode()
    assert "we propose" in page and f'value="{propose}"' in page
    client.post(reverse("supplier-confirm", args=[asked.token]), {"key": "all"})
    part.refresh_from_db()
    assert (part.promise.isoformat(), part.counter_on, part.agreed_quantity) == (propose, None, 240)


def csv(asked, *lines):
    text = "order,line,quantity,ready_on,price,remark\r\n" + "\r\n".join(lines)
    return SimpleUploadedFile("a.csv", text.encode("utf-8-sig"))


def send(client, asked, file):
    return client.post(reverse("supplier-upload", args=[asked.token]), {"file": file, "key": "f"}, follow=True)


def test_the_answer_as_a_file(asked, client):
    taken = client.get(reverse("supplier-template", args=[asked.token])).content.decode("utf-8-sig")
    send(client, asked, SimpleUploadedFile("a.csv", taken.encode()))
    assert Answer.objects.filter(outcome="accepted").count() == 2


@pytest.mark.parametrize(
    ("line", "words"),
    [
        ("{order},9,1,2027-01-01,,", "line 9 is not open for an answer"),
        ("{other},1,50,2027-01-01,,", "is not open for an answer"),
        ("{order},1,x,2027-01-01,,", "is not a number"),
        ("{order},1,5,01/02/2027,,", "is not a day like"),
        ("{order},1,9999,2027-01-01,,", "promises more"),
    ],
)
def test_a_file_with_a_wrong_row_is_not_taken(asked, client, line, words):
    good = f"{asked.order.number},2,900,{part_of('C').asked_on},1.07,"
    wrong = line.format(order=asked.order.number, other=asked.other.number)
    page = send(client, asked, csv(asked, good, wrong))
    assert page.status_code == 422 and words in page.content.decode() and Answer.objects.count() == 0


def test_the_answer_as_ubl(asked, client):
    lines = item("1", DAY.format(100, "2027-01-20") + DAY.format(140, "2027-02-01"))
    content = response(lines).replace(b"KLN-00001", asked.order.number.encode())
    assert send(client, asked, SimpleUploadedFile("a.xml", content)).status_code == 200
    found = Answer.objects.get()
    assert (found.quantity, found.later[0]["quantity"], found.pack_price) == (100, "140", D("18.40"))
    bomb = b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "b">]><x>&a;</x>'
    assert "declares a document type" in send(client, asked, SimpleUploadedFile("a.xml", bomb)).content.decode()


def test_links_end_are_renewed_and_are_not_guessed(asked, client):
    old, asked.token = asked.token, link(asked)
    assert client.get(reverse("supplier", args=[old])).status_code == 200
    supplier_links.revoke(asked.act("expediter"), supplier_links.RevokeRequest(asked.parties["USD"].pk))
    for token in (old, asked.token, "x" * 32, "short"):
        assert client.get(reverse("supplier", args=[token])).status_code == 404
    asked.token = link(asked)
    SupplierLink.objects.filter(revoked_at=None).update(expires_at=NOW - timedelta(days=400))
    assert client.get(reverse("supplier", args=[asked.token])).status_code == 404
    for _ in range(supplier_links.MOST_MISSES):
        last = client.get(reverse("supplier", args=["nobody"]))
    assert last.status_code == 429 and "too often" in last.content.decode()


@pytest.mark.parametrize("lines", ["plain", "json"])
def test_no_log_holds_a_token(asked, lines):
    """Words and exceptions are masked, whichever module wrote the line; the request's id stands on each."""
    path = f"/confirmations/link/{asked.token}/confirm/"
    build = dict(settings.LOGGING["formatters"][lines])
    formatter = build.pop("()")(**build)
    with structlog.contextvars.bound_contextvars(request="r-12345678"):
        for args, problem in (((path,), None), ((), ValueError(path))):
            facts = (type(problem), problem, None) if problem else None
            record = logging.LogRecord("x", logging.ERROR, "f", 1, "Not Found: %s" if args else path, args, facts)
            said = formatter.format(record)
            assert asked.token not in said and f"/link/{asked.token[:4]}…/" in said and "r-12345678" in said


def test_documents_are_told_by_their_content(asked, client):
    url = reverse("supplier-document", args=[asked.token, asked.order.pk])
    for name, content, words in (
        ("a.pdf", b"<html>", "neither a PDF"),
        ("a.png", b"", "not empty"),
        ("../../etc/x.png", PNG, "is attached"),
        ("a.exe", b"MZ\x90", "neither a PDF"),
    ):
        page = client.post(url, {"file": SimpleUploadedFile(name, content), "key": name}, follow=True)
        assert words in page.content.decode(), name
    kept = Document.objects.get()
    assert (kept.name, kept.media_type, kept.shared) == ("x.png", "image/png", True)
    taken = client.get(reverse("supplier-file", args=[asked.token, kept.pk]))
    assert b"".join(taken.streaming_content) == PNG and "attachment" in taken["Content-Disposition"]
    asked.token = link(asked, "EUR")
    assert client.get(reverse("supplier-file", args=[asked.token, kept.pk])).status_code == 404


def test_words_to_the_buyer_stand_in_the_story(asked, client):
    url = reverse("supplier-remark", args=[asked.token])
    client.post(url, {"order": asked.order.pk, "words": " We  pack on Friday. ", "key": "r"})
    client.post(url, {"order": asked.other.pk, "words": "not mine", "key": "s"})
    told = HistoryEntry.objects.get(action="remark")
    assert told.text == "We pack on Friday." and told.shared and told.channel == "link"


def test_papers_of_the_order_can_be_taken(asked, client):
    pdf = client.get(reverse("supplier-pdf", args=[asked.token, asked.order.pk]))
    xml = client.get(reverse("supplier-xml", args=[asked.token, asked.order.pk]))
    assert pdf.content.startswith(b"%PDF-") and asked.order.number in xml.content.decode()
    assert io.BytesIO(pdf.content).getbuffer().nbytes > 2_000


def test_a_browser_that_says_no_origin_is_let_in(asked):
    """The page sends no referrer, so that browsers send `Origin: null`; no cookie speaks for anybody here."""
    strict = Client(enforce_csrf_checks=True, headers={"origin": "null"})
    part = part_of("A")
    done = answer(strict, asked, row(part))
    assert done.status_code == 200 and Instalment.objects.get(pk=part.pk).agreed_quantity == 240
    strict.force_login(asked.people["expediter"])
    assert strict.post(reverse("decide-many"), {"accept": "1"}).status_code == 403, "pages of people are guarded"


def test_goods_on_their_way_before_they_were_answered_can_be_confirmed_and_no_more(asked, client):
    shipment = asked.shipment([asked.order])
    asked.say(shipment, "departure")
    page = client.get(reverse("supplier", args=[asked.token]))
    assert b"It is on its way already" in page.content and b"Confirm all as asked (2)" in page.content
    kettles = part_of("A")
    dearer = answer(client, asked, row(kettles, price="20"))
    assert "it can only be confirmed as it was asked" in dearer.content.decode() and not Answer.objects.exists()
    client.post(reverse("supplier-confirm", args=[asked.token]), {"key": "all"})
    kettles.refresh_from_db()
    assert (kettles.agreed_quantity, kettles.promise) == (240, kettles.asked_on)
    assert LineSummary.objects.get(line=kettles.line).agreed == 240


def test_we_can_record_that_too(asked, client):
    asked.say(asked.shipment([asked.order]), "departure")
    client.force_login(asked.people["expediter"])
    url = reverse("answer", args=[asked.order.pk])
    form = client.get(url).context["form"]
    said = {field.html_name: field.value() for field in form if field.value() is not None} | {"key": "k"}
    assert client.post(url, said).status_code == 302
    assert part_of("A").agreed_quantity == 240
    assert b"there is nothing left to answer" in b" ".join(client.get(url).content.split())


def test_remarks_and_papers_of_an_order_that_left_are_still_read(asked, client):
    asked.agree(asked.order)
    asked.say(asked.shipment([asked.order]), "departure")
    about = remarks.RemarkRequest(asked.order.pk, "Please send the packing list", shared=True)
    remarks.remark(asked.act("expediter"), about)
    remarks.remark(asked.act("expediter"), remarks.RemarkRequest(asked.order.pk, "Not for their eyes"))
    url = reverse("supplier", args=[asked.token])
    page = client.get(url).content.decode()
    assert "Please send the packing list" in page and "Not for their eyes" not in page
    assert "QXNU1000015" in page and "departed Tue 24 Nov" in page
    client.post(reverse("supplier-remark", args=[asked.token]), {"order": asked.order.pk, "words": "It is on its way"})
    assert "It is on its way" in client.get(url).content.decode()
    stranger = client.post(reverse("supplier-remark", args=[asked.token]), {"order": asked.other.pk, "words": "x"})
    assert stranger.status_code == 302 and HistoryEntry.objects.filter(action="remark").count() == 3


def test_the_page_opens_at_the_order_of_the_letter(asked, client):
    orders = [asked.sent_order({"A": D(n + 1)}, agreed=False) for n in range(4)]
    url = reverse("supplier", args=[asked.token])
    assert [one.open for one in client.get(url).context["orders"]] == [False] * 5
    shown = client.get(url, {"order": orders[2].pk}).context["orders"]
    assert (shown[0].order, [one.open for one in shown]) == (orders[2], [True] + [False] * 4)
    letter = Message(supplier=asked.parties["USD"], kind="order", subject="s", attached=[["order", orders[1].pk]])
    assert supplier_links.link_for(letter).endswith(f"/?order={orders[1].pk}")
