"""A reversal that is refused names what stands on the fact, with a link."""

from decimal import Decimal as D

from django.urls import reverse

from northing.actions.inventory import issue
from northing.actions.quality import inspect
from northing.actions.reversal import ReverseRequest
from northing.claims.models import Claim, ReturnNote
from northing.ledger.models import Account, CostLayer
from northing.positions.models import Position
from northing.quality.models import Inspection
from northing.reports.book_proof import book_faults
from tests.across.test_worked_case import balance
from tests.worlds import TODAY

DAY = TODAY.isoformat()


def test_what_stands_on_a_fact_is_named_with_a_link(world, signed_in):
    world.items["A"].inspected = True
    world.items["A"].save()
    receipt = world.receive(world.shipment([world.sent_order({"A": D(100)})]), {"A": D(100)})
    layer = CostLayer.objects.get()
    inspect.inspect(world.act("inspector"), inspect.InspectRequest(layer.pk, D(90), D(10), "dents", TODAY))
    refused = signed_in("dock").post(reverse("receipt", args=[receipt]), {"key": "a", "reason": "x"})
    verdict = reverse("inspect", args=[layer.pk])
    assert f'90 passed, 10 failed. Reverse that first. <a href="{verdict}">Open it</a>' in refused.content.decode()
    case = Claim.objects.get()
    back = {"key": "b", "quantity": "4", "reference": "RA-1", "occurred_on": DAY}
    assert signed_in("inspector").post(reverse("case", args=[case.pk]), back).status_code == 302
    undo = reverse("reverse-inspection", args=[Inspection.objects.get().pk])
    page = signed_in("inspector")
    assert reverse("case", args=[case.pk]) in page.post(undo, {"key": "c", "reason": "x"}).content.decode()
    stock = balance(Account.STOCK)
    note = reverse("reverse-return", args=[ReturnNote.objects.get().pk])
    assert page.post(note, {"key": "d", "reason": "never fetched"}).status_code == 302
    assert balance(Account.STOCK) - stock == D("120.85"), "4 of 100 at 3,021.28"
    taken = issue.IssueRequest(world.site.pk, world.items["A"].pk, D(1), "shops", TODAY)
    key = issue.issue_stock(world.act("dock"), taken)
    assert "Take that issue back first" in page.post(undo, {"key": "e", "reason": "x"}).content.decode()
    issue.take_back_issue(world.act("dock"), ReverseRequest(key, "not sold"))
    assert page.post(undo, {"key": "f", "reason": "the wrong carton"}).status_code == 302
    assert Position.objects.get().held == 100 and Claim.objects.get().open_quantity == 0
    assert signed_in("dock").post(reverse("receipt", args=[receipt]), {"key": "g", "reason": "x"}).status_code == 302
    assert book_faults() == [] and balance(Account.STOCK) == 0
