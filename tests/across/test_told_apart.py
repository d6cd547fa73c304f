"""Rows say whose goods they are, and records show what is to deliver and to bill, with the way to what happened."""

import re
from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.actions.orders import write
from northing.actions.orders.send import checks
from northing.claims.models import Claim
from northing.core.receiving.counts import Expected, most_allowed
from northing.masterdata.models import Party
from northing.masterdata.queries import carriers, forwarders
from northing.orders.models import OrderLine, PurchaseOrder
from northing.receiving.models import Receipt
from northing.shipping.models import Shipment
from tests.worlds import TODAY


def page_of(client, name, *args):
    return client.get(reverse(name, args=args)).content.decode()


def cells(page, *words):
    """The texts of the cells of the first row that has all of the words."""
    for row in re.findall(r"<tr.*?</tr>", page):
        if all(word in row for word in words):
            found = re.findall(r"<t[dh][^>]*>(.*?)</t[dh]>", row)
            return [" ".join(re.sub(r"<[^>]+>", " ", cell).split()) for cell in found]
    raise AssertionError(f"no row with {words}")


def test_an_order_says_what_is_received_to_deliver_and_to_bill(lived_in, signed_in):
    order = PurchaseOrder.objects.get(lines__item__code="B")
    page = page_of(signed_in("expediter"), "order", order.pk)
    assert cells(page, "B", "90")[3:7] == ["100 pc", "90", "–", "90"]
    assert reverse("shipment", args=[Shipment.objects.get().pk]) in page
    assert reverse("receipt", args=[Receipt.objects.get().pk]) in page
    listed = page_of(signed_in("expediter"), "orders")
    assert cells(listed, order.number)[6:8] == ["–", "1 line"]


def test_a_draft_is_sent_from_the_list_and_the_list_comes_back(lived_in, signed_in):
    world, client = lived_in, signed_in("expediter")
    draft = _draft(world, "USD")
    listed = client.get(reverse("orders") + "?page=1").content.decode()
    form = re.search(rf'action="([^"]*/{draft.pk}/[^"]*)" class="row-acts">(.*?)</form>', listed)
    fields = dict(re.findall(r'name="([^"]*)" value="([^"]*)"', form[2]))
    done = client.post(form[1], fields)
    assert (done.status_code, done.url) == (302, "/orders/?page=1")
    draft.refresh_from_db()
    assert draft.checked_at


def _draft(world, currency):
    lines = (write.LineRequest("C", "", D(20), D("2.00")),)
    request = write.OrderRequest(
        world.nz.pk, world.parties[currency].pk, world.site.pk, "FOB", "on_board", TODAY.replace(year=2027), lines
    )
    return PurchaseOrder.objects.get(pk=write.write_order(world.act("expediter"), request))


def test_rows_of_dock_quality_and_watch_name_order_and_supplier(lived_in, signed_in):
    order = PurchaseOrder.objects.get(lines__item__code="B")
    names = (order.number, str(order.supplier))
    dock = page_of(signed_in("dock"), "dock")
    assert set(names) <= set(cells(dock, Receipt.objects.get().delivery_note, order.number))
    case = Claim.objects.get()
    quality = page_of(signed_in("inspector"), "quality")
    assert set(names) <= set(cells(quality, f"Case {case.pk}"))
    assert order.number in cells(quality, 'data-letter="i"')
    assert 'data-letter="i"' not in page_of(signed_in("viewer"), "quality")
    lived_in.sent_order({"A": D(30)})
    packed = lived_in.shipment([PurchaseOrder.objects.latest("pk")])
    watch = page_of(signed_in("shipping"), "watch")
    of_goods = PurchaseOrder.objects.latest("pk")
    assert f"{of_goods.supplier} · {of_goods.number}" in cells(watch, f"Shipment {packed.reference}")[1]


def test_goods_that_were_not_found_lead_to_their_receipt_and_failed_ones_offer_what_is_open(lived_in, signed_in):
    missing = Claim.objects.get(kind="missing")
    page = page_of(signed_in("inspector"), "case", missing.pk)
    assert reverse("receipt", args=[missing.layer.receipt_line.receipt_id]) in page and "count again" in page


def test_the_tolerance_allows_whole_units_only():
    expected = Expected("landed", D("612"), D(600), D(0), D("2"), D("12"))
    assert most_allowed(expected) == 12
    assert most_allowed(Expected("landed", D("612"), D(600), D(0), D("2"), D("0"), 2)) == D("24.24")


@pytest.mark.parametrize("sold", [True, False])
def test_what_a_supplier_never_sold_is_said(world, sold):
    """Infusers have no agreement with the supplier in euros."""
    if sold:
        before = _draft(world, "EUR")
        PurchaseOrder.objects.filter(pk=before.pk).update(sent_at=world.act("expediter").at)
    order = _draft(world, "EUR")
    lines = list(OrderLine.objects.filter(order=order).select_related("item"))
    said = [str(problem) for found in checks(order, lines, TODAY).values() for problem in found]
    assert ("Line 1: Supplier EUR never sold C to us. Check the item, or agree a price first." in said) is not sold


def test_who_insures_does_not_forward_nor_carry(world):
    Party.objects.filter(pk=world.parties["provider"].pk).update(service="insurer")
    assert not forwarders().exists() and not carriers().exists()
    Party.objects.filter(pk=world.parties["provider"].pk).update(service="forwarder")
    assert forwarders().exists() and not carriers().exists()


def test_an_entry_is_offered_to_who_may_book_it(world, signed_in):
    shipment = world.shipment([world.sent_order({"A": D(30)})])
    world.say(shipment, "departure")
    for who, offered in (("shipping", False), ("costs", True)):
        page = page_of(signed_in(who), "shipment", shipment.pk)
        assert "has no customs entry." in page and (">Book it<" in page) is offered
