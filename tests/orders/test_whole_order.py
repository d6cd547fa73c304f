"""Discount, surcharge and tax on a whole order, its buyer and its addresses: from the draft to what the goods cost."""

import copy
import re
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal as D
from unittest import mock

import pytest
from django.template.loader import render_to_string

from northing.access.models import Grant
from northing.actions.orders import amend, revise, send
from northing.actions.orders import write as ordering
from northing.actions.shipping import pack as packing
from northing.core.problems import Refused
from northing.formats.ubl import order_xml, read_order
from northing.masterdata.models import Company, Party, PaymentTerms, Site
from northing.messaging import print_pdf
from northing.orders.documents import order_documents, order_pdf
from northing.orders.models import Instalment, OrderLine, PurchaseOrder, Revision
from northing.shipping.models import ShipmentLine
from northing.worklist.models import LineSummary, Matter
from tests.orders.test_revise import as_it_is, change
from tests.worlds import CONTAINERS, NOW, TODAY

HEAD = {"discount": D("0.02"), "surcharge": D("0.05"), "tax_rate": D("0.15")}


def wanted(world, **more):
    """An order of 240 A at 18.40 with a tenth off, and 900 C at 1.07."""
    lines = (ordering.LineRequest("A", "", D(240), discount=D("0.1")), ordering.LineRequest("C", "", D(900)))
    company, supplier = Company.objects.get(code="KLN"), Party.objects.get(code="SUSD")
    site = Site.objects.get(company=company)
    days = TODAY + timedelta(days=90)
    return ordering.OrderRequest(company.pk, supplier.pk, site.pk, "FOB", "on_board", days, lines, **more)


def write(world, **more):
    key = ordering.write_order(world.act("expediter"), wanted(world, **more))
    return PurchaseOrder.objects.get(pk=key)


def go_out(world, order):
    whole = send.OrderAct(order.pk)
    for action, who in ((send.check_order, "expediter"), (send.approve_order, "approver")):
        action(world.act(who), whole)
    send.send_order(world.act("expediter"), whole)
    order.refresh_from_db()
    world.agree(order)
    return order


def pack(world, part, quantity):
    key = packing.create_shipment(world.act("shipping"), packing.ShipmentRequest())
    box = packing.add_container(world.act("shipping"), packing.ContainerRequest(key, CONTAINERS[0], "22G1"))
    packing.stow(world.act("shipping"), packing.StowRequest(box, ((part.pk, D(quantity)),)))
    return ShipmentLine.objects.get(instalment=part)


def test_what_is_paid_of_a_price_is_kept_with_the_line(world):
    order = write(world, **HEAD)
    assert list(order.lines.values_list("net_share", flat=True)) == [D("0.9261"), D("1.029")]
    # 4089.6576 and 990.9270, each rounded: what the Watch weighs, what an approver's limit is held against.
    assert ordering.order_total(order) == D("5080.59")
    assert Matter.objects.get(kind="order").at_stake == D("8342.33")  # at 1.6420


def test_a_discount_reaches_the_value_of_the_goods_and_the_line_book(world):
    order = go_out(world, write(world, **HEAD))
    part = Instalment.objects.get(line__order=order, line__number=1)
    assert LineSummary.objects.get(line=part.line_id).value == D("4089.6576")
    world.say(world.shipment([order]), "departure")
    assert [part.goods_amount for part in ShipmentLine.objects.order_by("pk")] == [D("4089.66"), D("990.93")]
    assert part.pack_price == D("18.40"), "the price itself stays as it was agreed"


def test_the_tax_is_no_part_of_the_price(world):
    order = write(world, tax_rate=D("0.15"))
    sums = ordering.sums_of(order, list(order.lines.all()))
    assert (sums.total, sums.tax, sums.to_pay) == (D("4937.40"), D("740.61"), D("5678.01"))
    assert ordering.order_total(order) == sums.total


def test_a_new_discount_asks_again_and_is_for_what_can_still_be_changed(world):
    order = go_out(world, write(world))
    first = Instalment.objects.get(line__order=order, line__number=1)
    pack(world, first, 100)
    change(world, order, head={"discount": D("0.5")})
    parts = list(Instalment.objects.filter(line=first.line).order_by("number"))
    assert [(part.quantity, part.agreed_quantity, part.net_share) for part in parts] == [
        (100, 100, D("0.9")),
        (140, 0, D("0.45")),
    ]
    assert revise.difference(order)[0] == {"where": "order", "what": "discount", "old": "0 %", "new": "50 %"}
    assert LineSummary.objects.get(line=first.line).value == 100 * D("18.40") * D("0.9") + 140 * D("18.40") * D("0.45")


def test_a_line_added_later_has_the_discount_of_its_order(world):
    order = go_out(world, write(world, discount=D("0.02")))
    change(world, order, added=(ordering.LineRequest("A", "", D(10)),))
    assert OrderLine.objects.get(order=order, number=3).net_share == D("0.98")
    assert Instalment.objects.get(line__order=order, line__number=3).net_share == D("0.98")
    line = OrderLine.objects.get(order=order, number=1)
    change(world, order, as_it_is(line, discount=D(0)))
    line.refresh_from_db()
    assert line.net_share == D("0.98")


def test_tax_and_addresses_need_no_agreement(world):
    order = go_out(world, write(world))
    change(world, order, head={"tax_rate": D("0.1"), "deliver_to": "Dock 2"})
    assert not Instalment.objects.filter(line__order=order, agreed_quantity=0).exists()


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"discount": D(1)}, "below 100"),
        ({"surcharge": D("1.5")}, "from 0 to 100"),
        ({"tax_rate": D("-0.1")}, "from 0 to 100"),
        ({"discount": D("0.00001")}, "two decimals"),
        ({"deliver_to": "x" * 401}, "longer than 400"),
        ({"buyer": 999_999}, "may not write orders"),
    ],
)
def test_what_is_wrong_with_the_whole_is_said_at_its_field(world, more, words):
    with pytest.raises(Refused, match=words) as refused:
        write(world, **more)
    assert refused.value.problems[0].where == next(iter(more))
    assert not PurchaseOrder.objects.exists()


def test_addresses_and_tax_are_those_that_are_kept_unless_said_otherwise(world):
    Party.objects.filter(code="SUSD").update(order_address="Sales\nNingbo", despatch_address="Gate 4", tax_rate="0.15")
    Site.objects.filter(company__code="KLN").update(address="Dock 1")
    Company.objects.filter(code="KLN").update(address="Accounts")
    usual = write(world)
    assert (usual.order_to, usual.despatch_from, usual.deliver_to, usual.invoice_to, usual.tax_rate) == (
        "Sales\nNingbo",
        "Gate 4",
        "Dock 1",
        "Accounts",
        D("0.15"),
    )
    other = write(world, deliver_to="Dock 9", tax_rate=D(0))
    assert (other.deliver_to, other.invoice_to, other.tax_rate) == ("Dock 9", "Accounts", 0)


def test_the_buyer_is_somebody_who_may_write_orders(world):
    assert write(world).buyer == world.people["expediter"]
    Grant.objects.create(person=world.people["dock"], company=world.nz, role="buyer")
    assert write(world, buyer=world.people["dock"].pk).buyer == world.people["dock"]
    with pytest.raises(Refused, match="may not write orders"):
        write(world, buyer=world.people["approver"].pk)


def test_papers_say_what_the_order_comes_to(world):
    order = go_out(world, write(world, **HEAD, deliver_to="Dock 1\nTotara Street"))
    names = [name for name, _, _ in order_documents(order.pk, {})]
    assert len(names) == 2
    content = Revision.objects.get(order=order).content
    assert content["sums"]["to_pay"] == "5842.68"
    cells = read_order(order_xml(content, 1, TODAY))
    assert (
        cells[0]
        | {
            "order_discount": "2",
            "surcharge": "5",
            "tax": "15",
            "deliver_to": "Dock 1\nTotara Street",
            "discount": "10",
        }
        == cells[0]
    )
    assert order_pdf(Revision.objects.get(order=order)).startswith(b"%PDF")


def read_paper(monkeypatch, revision, link=""):
    """The words of a paper as a browser shows them."""
    shown = []
    monkeypatch.setattr("northing.orders.documents.to_pdf", lambda *asked: shown.append(render_to_string(*asked)))
    order_pdf(revision, link)
    return " ".join(shown[0].split())


def test_the_paper_says_terms_of_payment_days_and_what_changed(world, monkeypatch):
    terms = PaymentTerms.objects.create(code="N30", name="30 days net", days=30)
    type(world.parties["USD"]).objects.update(payment_terms=terms)
    order = go_out(world, write(world, **HEAD, answer_by=TODAY))
    first = Revision.objects.get(order=order)
    said = read_paper(monkeypatch, first, "https://n.example/link/x/")
    for words in ("30 days net", "24 Nov 2026", "240: 13 Jan 2027", "<svg"):
        assert words in said, words
    assert not re.search(r"\d{4}-\d\d-\d\d", said) and 'class="changed"' not in said
    assert "<svg" not in read_paper(monkeypatch, first)
    second = Revision.objects.create(
        order=order, number=2, sent_at=first.sent_at, sent_by=first.sent_by, content=copy.deepcopy(first.content)
    )
    second.content["lines"][0]["quantity"] = "200"
    said = read_paper(monkeypatch, second)
    assert said.count('class="changed"') == 2, "the change, and its line"
    assert "so-far 'USD 4,937.40'" in said


def test_a_paper_is_set_in_our_typeface_and_says_what_each_page_comes_to(world):
    content = {"number": "KLN-00001", "currency": "USD", "company": {"name": "Ørsted & Čapek"}}
    line = {"number": 1, "amount": "10.00", "parts": [], "quantity": "1", "pack_price": "10", "discount": "0"}
    for lines, several in ((1, [False]), (60, [False, True])):
        revision = Revision(number=1, sent_at=NOW, content=content | {"lines": [line] * lines})
        with (
            mock.patch.object(print_pdf, "render_to_string", wraps=render_to_string) as pages,
            mock.patch.object(print_pdf, "_typeface", wraps=print_pdf._typeface) as fetched,
        ):
            assert order_pdf(revision).startswith(b"%PDF")
        assert ["several" in asked.args[1] for asked in pages.call_args_list] == several
        assert "northing:archivo-latin-wdth-normal.woff2" in {asked.args[0] for asked in fetched.call_args_list}
    with pytest.raises(ValueError, match="fetches nothing"):
        print_pdf._typeface("northing:../made-from.txt")


def test_a_letter_brings_the_link_as_a_code_and_a_trial_copy_does_not(world, monkeypatch):
    links = []
    monkeypatch.setattr("northing.orders.documents.order_pdf", lambda revision, link: links.append(link) or b"")
    order = go_out(world, write(world, **HEAD))
    for text in ("https://n.example/link/x/", "(the supplier's own link stands here)"):
        order_documents(order.pk, {"{supplier link}": text})
    assert links == ["https://n.example/link/x/", ""]


def test_the_need_by_date_is_changed_without_touching_what_is_paid(world):
    order = go_out(world, write(world, **HEAD))
    line = order.lines.first()
    amend.set_need_by(world.act("expediter"), amend.NeedByRequest(line.pk, TODAY + timedelta(days=80)))
    assert Instalment.objects.get(line=line).net_share == D("0.9261")
    assert replace(as_it_is(line), quantity=D(1)).discount == D("0.1")
