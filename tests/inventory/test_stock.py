"""Stock that moves, and an opening taken back."""

from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.actions.inventory import issue
from northing.actions.masterdata import opening
from northing.actions.reversal import ReverseRequest
from northing.inventory.models import OnHand, Opening
from northing.ledger.models import Account, CostLayer
from northing.masterdata.models import Bin, Site
from northing.reports.book_proof import book_faults
from tests.across.test_worked_case import balance
from tests.worlds import TODAY

DAY = TODAY.isoformat()


def test_goods_move_to_another_site_at_their_value(world, signed_in):
    world.receive(world.shipment([world.sent_order({"A": D(100)})]), {"A": D(100)})
    other = Site.objects.create(company=world.nz, code="NPE", name="NPE")
    there = Bin.objects.create(site=other, code="S", purpose="store")
    lies, layer, stock = OnHand.objects.get(), CostLayer.objects.get(), balance(Account.STOCK)
    page, url = signed_in("dock"), reverse("move-goods", args=[layer.pk])
    asked = {"key": "a", "source": lies.pk, "target": there.pk, "quantity": "101"}
    assert b"Only 100 pc lie in" in page.post(url, asked).content
    assert page.post(url, asked | {"quantity": "30"}).status_code == 302
    layer.refresh_from_db()
    assert (layer.site, balance(Account.STOCK)) == (world.site, stock)
    out = issue.IssueRequest(other.pk, world.items["A"].pk, D(31), "shops", TODAY)
    with pytest.raises(Exception, match="Only 30 pc of A are in store at NPE"):
        issue.issue_stock(world.act("dock"), out)
    assert page.post(url, asked | {"key": "b", "quantity": "70"}).status_code == 302
    layer.refresh_from_db()
    assert (layer.site, balance(Account.STOCK)) == (other, stock)


def test_an_opening_is_reversed_while_nothing_has_left(world, signed_in):
    content = f"company,site,item,quantity,value,received_on\nKLN,TRG,A,10,90.00,{DAY}\n".encode()
    opening.open_stock(world.act("administrator"), opening.FileRequest(content))
    url = reverse("reverse-opening", args=[Opening.objects.get().pk])
    taken = issue.IssueRequest(world.site.pk, world.items["A"].pk, D(1), "shops", TODAY)
    key = issue.issue_stock(world.act("dock"), taken)
    assert (
        b"1 pc of A have left stock since" in signed_in("administrator").post(url, {"key": "a", "reason": "x"}).content
    )
    issue.take_back_issue(world.act("dock"), ReverseRequest(key, "not sold"))
    assert signed_in("administrator").post(url, {"key": "b", "reason": "counted twice"}).status_code == 302
    assert balance(Account.STOCK) == balance(Account.OPENING) == 0
    assert book_faults() == [] and not OnHand.objects.filter(quantity__gt=0).exists()
