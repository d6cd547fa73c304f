"""Notices, papers and packing lists as pages; a despatch announced through a supplier's link."""

from decimal import Decimal as D

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from lxml import etree

from northing.access.models import Person
from northing.actions.confirmations import supplier_links
from northing.orders.models import Instalment
from northing.shipping.models import DespatchNotice, RequiredDocument, Shipment, ShipmentLine
from tests.worlds import CONTAINERS


@pytest.fixture
def desk(world, client):
    """The shipping coordinator, before an agreed order."""
    world.sent_order({"A": D(100), "C": D(300)})
    client.force_login(Person.objects.get(username="shipping"))
    return client


def sent(desk, content, **more):
    file = SimpleUploadedFile("list.csv", content.encode())
    return desk.post(reverse("notices"), {"key": "k", "file": file, **more})


GOOD = f"order,line,quantity,container,notice\nKLN-00001,1,100,{CONTAINERS[0]},PL-1\nKLN-00001,2,300,{CONTAINERS[1]},\n"


def test_from_the_file_to_the_shipment_in_three_acts(desk):
    # Choose the file and press; look at the rows; press.
    shown = sent(desk, GOOD)
    page = desk.get(shown.headers["Location"])
    assert page.context["counts"] == {"matches": 0, "differs": 2, "unknown": 0, "wrong": 0}
    done = desk.post(page.request["PATH_INFO"], {"key": "t"})
    made = Shipment.objects.get()
    assert done.headers["Location"] == reverse("shipment", args=[made.pk])
    assert ShipmentLine.objects.count() == 2
    assert "taken" in desk.get(reverse("notices")).content.decode()


@pytest.mark.parametrize(
    ("content", "words"),
    [
        ("", "empty"),
        ("a,b\n1,2\n", "lacks the columns order, quantity"),
        (GOOD.replace("100,", "x,"), "is not a number"),
    ],
)
def test_a_bad_file_is_said_on_its_page(desk, content, words):
    answer = sent(desk, content)
    assert answer.status_code == 422
    assert words in answer.content.decode()


def test_a_notice_is_dropped_once(desk):
    sent(desk, GOOD)
    url = reverse("drop-notice", args=[DespatchNotice.objects.get().pk])
    assert desk.post(url, {"key": "d"}).headers["Location"] == reverse("notices")
    again = desk.post(url, {"key": "d2"}, follow=True)
    assert "is dropped already" in again.content.decode()


def test_the_wrong_company_sees_no_notice(desk, world, client):
    sent(desk, GOOD)
    client.force_login(world.people["stranger"])
    assert client.get(reverse("notice", args=[DespatchNotice.objects.get().pk])).status_code == 404


def test_papers_on_the_shipments_page(desk, world):
    shipment = world.shipment([world.sent_order({"A": D(5)})])
    args = [shipment.pk]
    desk.post(reverse("usual-papers", args=args), {"key": "u"})
    assert RequiredDocument.objects.count() == 5
    bad = desk.post(reverse("ask-paper", args=args), {"key": "a", "kind": "other", "party": "us"}, follow=True)
    assert "Say which paper it is" in bad.content.decode()
    desk.post(
        reverse("ask-paper", args=args), {"key": "b", "kind": "balance", "party": "accounts", "due": "2026-12-01"}
    )
    lading = RequiredDocument.objects.get(kind="lading")
    held = desk.post(reverse("complete-document", args=[lading.pk]), {"key": "s", "day": "2026-11-24"}, follow=True)
    assert "held until it is paid" in held.content.decode()
    page = desk.get(reverse("shipment", args=args)).content.decode()
    assert "Balance payment that releases the papers is not paid" in page


def test_packing_lists_and_advices(desk, world):
    shipment = world.shipment([world.sent_order({"A": D(5), "C": D(7)})])
    args = [shipment.pk]
    table = desk.get(reverse("packing-csv", args=args)).content.decode("utf-8-sig")
    assert table.splitlines()[1] == f"{CONTAINERS[0]},22G1,,,,,KLN-00002,1,A,,kettles,5,pc,0.0855,8.5"
    assert desk.get(reverse("packing-pdf", args=args)).content.startswith(b"%PDF")
    assert desk.get(reverse("packing-xlsx", args=args)).content.startswith(b"PK")
    pair = [shipment.pk, world.parties["USD"].pk, world.nz.pk]
    advice = desk.get(reverse("advice", args=pair))
    assert len(etree.fromstring(advice.content).findall("{*}DespatchLine")) == 2
    assert desk.get(reverse("advice", args=[shipment.pk, world.parties["EUR"].pk, world.nz.pk])).status_code == 404


def test_a_supplier_announces_a_despatch(desk, world, client):
    token = (
        supplier_links.invite(world.act("expediter"), supplier_links.InviteRequest(world.parties["USD"].pk))
        .rstrip("/")
        .rpartition("/")[2]
    )
    client.logout()
    url, part = reverse("supplier-despatch", args=[token]), Instalment.objects.order_by("pk").first()
    head = {"despatched_on": "2026-12-30", "container": CONTAINERS[0], "document": "BL 1"}
    bad = client.post(url, {"key": "a", **head, f"leaves-{part.pk}": "many"})
    assert (bad.status_code, "is not a number" in bad.content.decode()) == (422, True)
    assert 'value="many"' in bad.content.decode()
    assert client.post(url, {"key": "b", **head}).status_code == 422
    assert client.post(url, {"key": "c", **head, f"leaves-{part.pk}": "60"}).status_code == 302
    made = DespatchNotice.objects.get()
    assert (made.supplier, made.channel, made.document) == (world.parties["USD"], "link", "BL 1")
    [row] = made.lines.all()
    assert (row.quantity, row.container, row.order_line) == (D(60), CONTAINERS[0], part.line)
    file = SimpleUploadedFile("x.csv", GOOD.encode())
    assert client.post(url, {"key": "d", "file": file}).status_code == 302
    again = client.post(url, {"key": "e", "file": SimpleUploadedFile("x.csv", GOOD.encode())})
    assert "came already" in again.content.decode()
