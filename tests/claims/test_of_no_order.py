"""Goods that belong to no order are cases as well: opened by their receipt, ended by the buyer's decisions."""

from datetime import timedelta

import pytest
from django.urls import reverse

from northing.actions.billing.bills import book_bill
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.claims import ask, money, tend, ways
from northing.actions.claims.authorise import AuthoriseRequest, authorise
from northing.actions.receiving import held_goods, tie
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.claims.models import Claim
from northing.core.problems import Refused
from northing.messaging.models import Message
from northing.orders.models import Instalment
from northing.scenarios.case_rows import case_rows
from northing.worklist.models import Matter
from tests.worlds import TODAY, D


@pytest.fixture
def came(world):
    """Ten of A were ordered, thirteen came; and four of B that nobody ordered, from the same supplier."""
    world.order = world.sent_order({"A": D(10)}, ours_from="receipt")
    part = Instalment.objects.get(line__order=world.order)
    rows = (ReceiveRow(None, D(13), instalment=part.pk, hold=True),)
    world.made = receive(world.act("dock"), ReceiveRequest(None, world.site.pk, "DN-1", TODAY, rows))
    row = ReceiveRow(None, D(4), item=world.items["B"].pk)
    asked = (None, world.site.pk, "DN-2", TODAY, (row,))
    world.strange = receive(
        world.act("dock"), ReceiveRequest(*asked, supplier=world.parties["USD"].pk, reason="by telephone")
    )
    return world


def cases():
    return {case.kind: case for case in Claim.objects.filter(withdrawn_at=None)}


def move_of(case):
    return Matter.objects.get(kind="case", record=case.pk)


def ended(layer, way, units):
    return held_goods.EndRequest(layer, way, D(units), "RA-9", TODAY)


def test_a_receipt_opens_them_against_who_sent_the_goods(came):
    found = cases()
    assert {kind: (case.quantity, case.against, case.reason) for kind, case in found.items()} == {
        "excess": (D(3), came.parties["USD"], "delivery note DN-1"),
        "wrong": (D(4), came.parties["USD"], "delivery note DN-2"),
    }
    assert found["excess"].line == came.order.lines.get() and found["wrong"].line is None
    # One matter for each: the buyer of the order that they came with decides.
    assert move_of(found["excess"]).reason == "held, too many: order, send back or keep"
    assert move_of(found["excess"]).person == came.order.buyer
    assert not Matter.objects.filter(kind="layer", record__in=[case.layer_id for case in found.values()])


def test_decisions_end_their_units_and_open_them_again(came):
    case = cases()["excess"]
    made = held_goods.end_held_goods(came.act("expediter"), ended(case.layer_id, "sent back", 1))
    came.more = came.sent_order({"A": D(2)}, ours_from="receipt")
    receipt = case.layer.receipt_line.receipt_id
    tie.tie(came.act("expediter"), tie.TieRequest(receipt, came.more.lines.get().pk, TODAY))
    case.refresh_from_db()
    assert case.ended == 3 and not Matter.objects.filter(kind="case", record=case.pk)
    [row] = [row for row in case_rows({}) if row["kind"] == "excess"]
    assert (row["units"], row["open"], row["ways"]) == ("3", "0", {"returned": "1", "tied": "2"})
    held_goods.reverse_end(came.act("expediter"), ReverseRequest(made, "it is here"))
    case.refresh_from_db()
    assert case.undecided == 1 and move_of(case).party == "us"


def test_a_reversed_receipt_takes_them_along(came):
    reverse_receipt(came.act("dock"), ReverseRequest(came.strange, "wrong house"))
    assert set(cases()) == {"excess"} and Matter.objects.filter(kind="case").count() == 1


def test_they_are_written_about_and_looked_after(came):
    case = cases()["wrong"]
    type(case.against).objects.filter(pk=case.against_id).update(email="desk@example.com")
    ask.ask(came.act("expediter"), ask.AskRequest(case.pk, TODAY + timedelta(days=5)))
    said = Message.objects.latest("pk").body
    assert "4 pc of" in said and "are on no order of ours, and are held" in said and "the link" not in said.lower()
    assert (move_of(case).party, move_of(case).due) == ("supplier", TODAY + timedelta(days=5))
    tend.tend(came.act("expediter"), tend.TendRequest(case.pk, came.people["expediter"].pk))
    assert move_of(case).person == came.people["expediter"]


def test_no_way_of_ordered_goods_and_no_money_is_open_to_them(came):
    case, desk = cases()["excess"], came.act
    line = BillLineRequest(D("9.00"), case=case.pk, into="loss")
    head = (came.order.company_id, came.parties["USD"].pk)
    for act in (
        lambda: authorise(desk("expediter"), AuthoriseRequest(case.pk, D(1), "RA-1", TODAY)),
        lambda: ways.keep(desk("inspector"), ways.EndRequest(case.pk, D(1), "fine", TODAY)),
        lambda: ways.scrap(desk("inspector"), ways.EndRequest(case.pk, D(1), "bent", TODAY)),
        lambda: tend.divide(desk("expediter"), tend.DivideRequest(case.pk, D(1), "other")),
        lambda: money.claim_more(
            desk("expediter"), money.MoneyRequest(case.pk, head[1], "USD", D(5), "storage", TODAY)
        ),
        lambda: money.turn(desk("expediter"), money.TurnRequest(case.pk, came.parties["EUR"].pk, "lost", TODAY)),
        lambda: book_bill(desk("accounts"), BillRequest(*head, "B-1", TODAY, "USD", (line,))),
    ):
        with pytest.raises(Refused):
            act()
    case.refresh_from_db()
    assert case.ended == 0 and case.authorised == 0


def test_the_pages_lead_from_one_to_the_other(came, signed_in):
    desk, case = signed_in("expediter"), cases()["wrong"]
    held, own = reverse("held", args=[case.layer_id]), reverse("case", args=[case.pk])
    assert own in desk.get(held).content.decode() and held in desk.get(own).content.decode()
    listed = desk.get(reverse("quality")).content.decode()
    assert own in listed and "not ordered" in listed
    paper = desk.get(reverse("claim-paper", args=[case.pk]))
    assert paper["Content-Type"] == "application/pdf"
    assert desk.get(f"{reverse('case-cost')}?case={case.pk}").status_code in (403, 404)
    assert desk.get(reverse("case-debit", args=[case.pk, "pdf"])).status_code in (302, 404)
