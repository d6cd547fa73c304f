"""An order's way out: sending checks, and asks for a second person where its amount says so."""

from datetime import timedelta

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from northing.access.models import Grant, Role
from northing.actions.orders import send, write
from northing.activity.models import HistoryEntry
from northing.core.problems import NotAllowed, Refused
from northing.masterdata.models import Agreement, ExchangeRate, Party
from northing.orders.models import PurchaseOrder
from northing.positions.models import Position
from tests.worlds import TODAY, D

pytestmark = pytest.mark.django_db


def asked(world, quantity=240, **more):
    lines = (write.LineRequest("A", "", D(quantity)),)
    return write.OrderRequest(world.nz.pk, world.parties["USD"].pk, world.site.pk, lines=lines, **more)


def place(world, who="expediter", **more) -> PurchaseOrder:
    return PurchaseOrder.objects.get(pk=send.place_order(world.act(who), asked(world, **more)))


# 240 kettles at USD 18.40 are USD 4,416.00, at 1.6420 NZD 7,251.07.
@pytest.mark.parametrize(
    ("above", "stage"), [(None, "waiting for approval"), ("7251.06", "waiting for approval"), ("7251.07", "sent")]
)
def test_only_above_the_amount_a_second_person_approves(world, above, stage):
    world.ask_second_person(above and D(above))
    order = place(world)
    assert order.stage == stage
    assert Position.objects.filter(instalment__line__order=order).exists() == (stage == "sent")
    if stage != "sent":
        with pytest.raises(Refused, match="not approved yet"):
            send.send_order(world.act("expediter"), send.OrderAct(order.pk))


def test_without_a_rate_no_amount_is_small(world):
    ExchangeRate.objects.all().delete()
    assert place(world).stage == "waiting for approval"
    world.ask_second_person()
    Grant.objects.filter(person=world.people["approver"]).update(limit=D(10**6))
    order = place(world)
    with pytest.raises(Refused, match="There is no rate of USD"):
        send.approve_order(world.act("approver"), send.OrderAct(order.pk))


def test_one_person_writes_and_another_approves_and_sends(world):
    world.ask_second_person()
    order = place(world)
    with pytest.raises(NotAllowed):
        send.approve_and_send(world.act("expediter"), send.OrderAct(order.pk))
    Grant.objects.create(person=world.people["expediter"], company=world.nz, role="approver")
    with pytest.raises(Refused, match="second person"):
        send.approve_and_send(world.act("expediter"), send.OrderAct(order.pk))
    send.approve_and_send(world.act("approver"), send.OrderAct(order.pk))
    order.refresh_from_db()
    assert (order.stage, order.approved_by.username, order.checked_by.username) == ("sent", "approver", "expediter")
    with pytest.raises(Refused, match="approved already"):
        send.approve_and_send(world.act("approver"), send.OrderAct(order.pk))


@pytest.mark.parametrize(
    ("permissions", "stage"), [(["write_order"], "draft"), (["write_order", "check_order"], "waiting for approval")]
)
def test_who_may_not_send_leaves_it_checked_or_a_draft(world, permissions, stage):
    Role.objects.create(code="clerk", permissions=permissions)
    Grant.objects.create(person=world.people["viewer"], company=world.nz, role="clerk")
    assert place(world, "viewer").stage == stage


def test_what_sending_let_pass_is_told_to_us_and_not_to_the_supplier(world):
    Agreement.objects.filter(item__code="A").update(minimum=500)
    place(world)
    passed = HistoryEntry.objects.get(action="check_order")
    assert "passed: Line 1: 240 is below the agreed minimum of 500" in passed.text and not passed.shared
    assert "below" not in HistoryEntry.objects.get(action="send_order").text


def test_what_is_left_out_is_what_is_kept_for_the_supplier(world):
    Party.objects.filter(code="SUSD").update(incoterm="DAP", incoterm_place="Tauranga", mode="air", passage_days=12)
    Agreement.objects.filter(item__code="A").update(lead_days=30)
    order = place(world)
    assert (order.incoterm, order.incoterm_place, order.mode, order.ours_from) == ("DAP", "Tauranga", "air", "receipt")
    assert order.need_by == order.lines.get().need_by == TODAY + timedelta(days=42)
    assert place(world, incoterm="EXW", incoterm_place="Ningbo", mode="sea").ours_from == "pickup"


def test_a_refused_order_leaves_nothing_behind(world):
    Agreement.objects.all().delete()
    with pytest.raises(Refused, match="no agreed price"):
        place(world)
    assert not PurchaseOrder.objects.exists() and not HistoryEntry.objects.exists()


def test_a_sent_order_takes_fewer_than_forty_statements(world):
    with CaptureQueriesContext(connection) as seen:
        place(world)
    assert len(seen) < 40
