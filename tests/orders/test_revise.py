"""Changing orders: what is asked again, what stands, what cannot be taken back, and two people at once."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal as D

import pytest

from northing.access.models import Grant
from northing.actions.confirmations import answers
from northing.actions.orders import amend, cancel, revise, send, set_parts, write
from northing.actions.shipping import pack
from northing.actions.worklist import proof
from northing.activity.models import HistoryEntry
from northing.confirmations.models import Answer
from northing.core.problems import NotAllowed, Refused
from northing.masterdata.models import Party
from northing.messaging.models import Message
from northing.orders.documents import order_documents
from northing.orders.models import Instalment, OrderLine, PurchaseOrder, Revision
from northing.positions.models import Position
from northing.shipping.models import Shipment
from northing.worklist.models import LineSummary, Matter
from tests.worlds import CONTAINERS, TODAY

DAY = timedelta(days=1)


def head_of(order):
    names = ("incoterm", "incoterm_place", *write.WORDS)
    return tuple((name, getattr(order, name)) for name in names)


def as_it_is(line, **changes):
    asked = revise.LineChange(line.pk, line.quantity, line.pack_price, line.discount, line.need_by)
    return replace(asked, **changes)


def change(world, order, *lines, who="expediter", version=None, head=None, added=()):
    order.refresh_from_db()
    request = revise.ChangeRequest(
        order.pk, order.version if version is None else version, tuple((head or {}).items()), lines, added
    )
    return revise.change_order(world.act(who), request)


def parts(order):
    found = Instalment.objects.filter(line__order=order).select_related("position").order_by("line", "number")
    return [(part.quantity, part.agreed_quantity, part.position.with_supplier) for part in found]


def test_more_is_asked_for_in_a_part_of_its_own_and_the_agreed_stands(sent):
    line = sent.line("A")
    change(sent, sent.order, as_it_is(line, quantity=D(300)))
    assert parts(sent.order) == [(240, 240, 240), (60, 0, 60), (900, 900, 900)]
    assert LineSummary.objects.get(line=line).ordered == 300
    sent.order.refresh_from_db()
    assert (sent.order.revision, Revision.objects.filter(order=sent.order).count()) == (2, 2)
    assert revise.difference(sent.order)[0] == {
        "where": "line 1",
        "what": "quantity",
        "old": "240",
        "new": "300",
    }


def test_less_takes_back_what_is_not_agreed_first_and_asks_again_for_the_rest(sent):
    line = sent.line("A")
    change(sent, sent.order, as_it_is(line, quantity=D(300)))
    change(sent, sent.order, as_it_is(line, quantity=D(250)))
    assert parts(sent.order)[:2] == [(240, 240, 240), (10, 0, 10)]
    change(sent, sent.order, as_it_is(line, quantity=D(200)))
    assert parts(sent.order)[:2] == [(200, 0, 200), (0, 0, 0)], "a smaller quantity needs agreeing again"
    part = Instalment.objects.get(line=line, number=1)
    assert part.first_promise and part.promise is None, "the first promise stays on record"


@pytest.mark.parametrize("changes", [{"pack_price": D("19.10")}, {"discount": D("0.05")}])
def test_a_price_needs_agreeing_again(sent, changes):
    line = sent.line("A")
    change(sent, sent.order, as_it_is(line, **changes))
    assert parts(sent.order) == [(240, 0, 240), (900, 900, 900)]
    assert OrderLine.objects.get(pk=line.pk).agreed_pack_price == D("18.40"), "the agreement's price stays to be seen"


def test_terms_need_agreeing_again_for_every_line(sent):
    change(sent, sent.order, *map(as_it_is, sent.order.lines.all()), head={"incoterm": "EXW"})
    assert [agreed for _, agreed, _ in parts(sent.order)] == [0, 0]


def test_terms_need_agreeing_again_whichever_lines_were_named(sent):
    change(sent, sent.order, head={"incoterm_place": "Shanghai"})
    assert [agreed for _, agreed, _ in parts(sent.order)] == [0, 0]


@pytest.mark.parametrize(
    "head",
    [{"remark": "Mark the cartons."}, {"reference": "PR-7"}, {"supplier_reference": "Q-1"}, {"answer_by": TODAY + DAY}],
)
def test_words_need_no_agreement(sent, head):
    change(sent, sent.order, head=head)
    assert [agreed for _, agreed, _ in parts(sent.order)] == [240, 900]
    assert revise.difference(sent.order)


def test_our_need_by_date_needs_no_agreement(sent):
    line = sent.line("A")
    change(sent, sent.order, as_it_is(line, need_by=line.need_by + 5 * DAY))
    after = LineSummary.objects.get(line=line)
    assert (after.need_by, parts(sent.order)[0]) == (line.need_by + 5 * DAY, (240, 240, 240))


def test_a_new_line_is_asked_for(sent):
    change(sent, sent.order, added=(write.LineRequest("A", "", D(12)),))
    assert parts(sent.order)[-1] == (12, 0, 12)
    assert list(sent.order.lines.values_list("number", flat=True)) == [1, 2, 3]


def test_what_is_packed_stays(sent):
    line, part = sent.line("A"), Instalment.objects.get(line__item__code="A")
    _pack(sent, part, D(100))
    with pytest.raises(Refused, match="100 are packed, received or cancelled"):
        change(sent, sent.order, as_it_is(line, quantity=D(99)))
    change(sent, sent.order, as_it_is(line, quantity=D(130)))
    assert parts(sent.order)[:2] == [(100, 100, 0), (30, 0, 30)]
    change(sent, sent.order, as_it_is(line, quantity=D(130), pack_price=D(20)))
    prices = list(Instalment.objects.filter(line=line).order_by("number").values_list("pack_price", flat=True))
    assert prices == [D("18.40"), D(20)], "the new price is for what can still be changed"


def _pack(world, part, quantity):
    key = pack.create_shipment(world.act("shipping"), pack.ShipmentRequest())
    box = pack.add_container(world.act("shipping"), pack.ContainerRequest(key, CONTAINERS[0], "22G1"))
    pack.stow(world.act("shipping"), pack.StowRequest(box, ((part.pk, quantity),)))
    return Shipment.objects.get(pk=key)


def test_the_second_of_two_sees_what_the_first_did_and_loses_nothing(sent):
    line = sent.line("A")
    sent.order.refresh_from_db()
    seen = sent.order.version
    change(sent, sent.order, as_it_is(line, quantity=D(300)))
    with pytest.raises(revise.Overtaken, match="line 1 quantity 240 → 300"):
        change(sent, sent.order, as_it_is(line, need_by=line.need_by + DAY), version=seen)
    assert OrderLine.objects.get(pk=line.pk).quantity == 300


def test_every_action_that_changes_an_order_counts(sent):
    sent.order.refresh_from_db()
    seen = sent.order.version
    amend.set_need_by(sent.act("expediter"), amend.NeedByRequest(sent.line("A").pk, TODAY + 120 * DAY))
    with pytest.raises(revise.Overtaken):
        change(sent, sent.order, head={"remark": "x"}, version=seen)


def test_nothing_changed_is_said(sent):
    with pytest.raises(Refused, match="Nothing is different"):
        change(sent, sent.order, as_it_is(sent.line("A")), head=dict(head_of(sent.order)))


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"quantity": D(0)}, "above 0"),
        ({"quantity": D("1.5")}, "decimals"),
        ({"pack_price": D(-1)}, "negative"),
        ({"discount": D(1)}, "below 100"),
        ({"need_by": TODAY - DAY}, "passed"),
    ],
)
def test_what_is_wrong_is_said_at_its_line_and_nothing_is_kept(sent, changes, says):
    line = sent.line("A")
    with pytest.raises(Refused, match=says) as caught:
        change(sent, sent.order, as_it_is(line, **changes))
    assert caught.value.problems[0].where == f"line-{line.pk}"
    assert Revision.objects.filter(order=sent.order).count() == 1


def test_a_line_of_another_order_is_refused(sent):
    other = sent.sent_order({"B": D(10)})
    with pytest.raises(Refused, match="not of this order"):
        change(sent, sent.order, as_it_is(other.lines.get(), quantity=D(9)))


def test_the_wrong_person(sent):
    with pytest.raises(NotAllowed):
        change(sent, sent.order, head={"remark": "x"}, who="dock")
    with pytest.raises(NotAllowed):
        change(sent, sent.order, head={"remark": "x"}, who="stranger")


def test_a_changed_draft_needs_checking_and_approving_again(world):
    line = write.LineRequest("A", "", D(5))
    supplier = world.parties["USD"].pk
    new = write.OrderRequest(
        world.nz.pk, supplier, world.site.pk, "FOB", "on_board", TODAY + 90 * DAY, (line,), remark="Hi"
    )
    order = PurchaseOrder.objects.get(pk=write.write_order(world.act("expediter"), new))
    assert order.remark == "Hi"
    send.check_order(world.act("expediter"), send.OrderAct(order.pk))
    change(world, order, as_it_is(order.lines.get(), quantity=D(6)))
    order.refresh_from_db()
    assert (order.stage, order.lines.get().quantity, Revision.objects.count()) == ("draft", 6, 0)


def split(world, line, *asked, version=None):
    order = PurchaseOrder.objects.get(pk=line.order_id)
    rows = tuple(set_parts.PartRequest(*row) for row in asked)
    return set_parts.set_parts(
        world.act("expediter"), set_parts.PartsRequest(line.pk, order.version if version is None else version, rows)
    )


def test_a_line_in_dated_parts_sums_to_the_line(sent):
    line, part = sent.line("A"), Instalment.objects.get(line__item__code="A")
    split(sent, line, (part.pk, D(100), part.asked_on), (None, D(140), part.asked_on + 14 * DAY))
    assert parts(sent.order)[:2] == [(100, 0, 100), (140, 0, 140)]
    assert LineSummary.objects.get(line=line).ordered == 240
    again = Instalment.objects.get(line=line, number=2)
    split(sent, line, (part.pk, D(240), part.asked_on))
    again.refresh_from_db()
    assert again.quantity == 0 and LineSummary.objects.get(line=line).ordered == 240


def test_moving_a_day_asks_for_that_part_only(sent):
    line, part = sent.line("A"), Instalment.objects.get(line__item__code="A")
    split(sent, line, (part.pk, D(240), part.asked_on + 7 * DAY))
    assert [agreed for _, agreed, _ in parts(sent.order)] == [0, 900]
    assert any(" on " in row["new"] for row in revise.difference(sent.order) if row["what"] == "ready")


@pytest.mark.parametrize(("quantity", "says"), [(D(200), "200; 240"), (D(300), "300; 240"), (D(0), "0; 240")])
def test_parts_that_do_not_sum_are_refused(sent, quantity, says):
    part = Instalment.objects.get(line__item__code="A")
    with pytest.raises(Refused, match=says):
        split(sent, sent.line("A"), (part.pk, quantity, part.asked_on))
    assert parts(sent.order)[0] == (240, 240, 240)


def test_only_what_is_not_packed_is_divided(sent):
    line, part = sent.line("A"), Instalment.objects.get(line__item__code="A")
    _pack(sent, part, D(100))
    split(sent, line, (None, D(40), part.asked_on), (None, D(100), part.asked_on + DAY))
    found = sorted(parts(sent.order)[:-1])
    assert (100, 100, 0) in found and sum(quantity for quantity, *_ in found) == 240


def stop(world, action, *lines, order=None, who="expediter"):
    return action(world.act(who), cancel.StopRequest((order or world.order).pk, lines))


def test_cancel_and_reopen(sent):
    stop(sent, cancel.cancel)
    sent.order.refresh_from_db()
    assert sent.order.stage == "cancelled"
    assert set(Position.objects.values_list("with_supplier", flat=True)) == {0}
    assert not Matter.objects.filter(kind="instalment").exists()
    with pytest.raises(Refused, match="cancelled"):
        change(sent, sent.order, head={"remark": "x"})
    stop(sent, cancel.reopen)
    sent.order.refresh_from_db()
    assert (sent.order.stage, parts(sent.order)) == ("sent", [(240, 0, 240), (900, 0, 900)])


def test_cancelling_a_line_leaves_the_other_and_what_is_packed(sent):
    _pack(sent, Instalment.objects.get(line__item__code="A"), D(100))
    stop(sent, cancel.cancel, sent.line("A").pk)
    position = Position.objects.get(instalment__line__item__code="A")
    assert (position.packed, position.dropped, position.with_supplier) == (100, 140, 0)
    with pytest.raises(Refused, match="Nothing of it is with the supplier"):
        stop(sent, cancel.cancel, sent.line("A").pk)
    sent.order.refresh_from_db()
    assert sent.order.stage == "sent"


def test_the_answer_to_a_cancelled_line_is_refused(sent):
    part = Instalment.objects.get(line__item__code="A")
    stop(sent, cancel.cancel, sent.line("A").pk)
    row = answers.AnswerRow(part.pk, part.quantity, part.asked_on, part.pack_price)
    with pytest.raises(Refused, match="was cancelled"):
        answers.record_answers(sent.act("expediter"), answers.AnswersRequest(sent.order.pk, "R", TODAY, (row,)))


def test_an_open_answer_is_overtaken_by_a_change(world):
    order = world.sent_order({"A": D(10)}, agreed=False)
    part = Instalment.objects.get()
    row = answers.AnswerRow(part.pk, D(10), part.asked_on + DAY, part.pack_price)
    answers.record_answers(world.act("expediter"), answers.AnswersRequest(order.pk, "R", TODAY, (row,)))
    change(world, order, as_it_is(world.line("A"), pack_price=D(17)))
    assert Answer.objects.get().outcome == "replaced"


def test_taking_back_makes_it_a_draft_and_no_supply(world):
    order = world.sent_order({"A": D(10)}, agreed=False)
    stop(world, cancel.take_back, order=order)
    order.refresh_from_db()
    assert (order.stage, order.revision) == ("draft", 1)
    assert not LineSummary.objects.exists() and not Matter.objects.filter(kind="instalment").exists()
    for action, who in (
        (send.check_order, "expediter"),
        (send.approve_order, "approver"),
        (send.send_order, "expediter"),
    ):
        action(world.act(who), send.OrderAct(order.pk))
    order.refresh_from_db()
    assert (order.revision, parts(order)) == (2, [(0, 0, 0), (10, 0, 10)])
    assert LineSummary.objects.get().ordered == 10


def test_what_was_agreed_cannot_be_taken_back(sent):
    with pytest.raises(Refused, match="agreed to some of it"):
        stop(sent, cancel.take_back)


def test_an_approver_approves_up_to_the_limit(world):
    line = write.LineRequest("A", "", D(1000))
    new = write.OrderRequest(
        world.nz.pk, world.parties["USD"].pk, world.site.pk, "FOB", "on_board", TODAY + 90 * DAY, (line,)
    )
    key = write.write_order(world.act("expediter"), new)
    send.check_order(world.act("expediter"), send.OrderAct(key))
    grant = Grant.objects.filter(person=world.people["approver"], company=world.nz, role="approver")
    grant.update(limit=D("30212.79"))
    with pytest.raises(Refused, match="worth NZD 30,212.80; you may approve 30,212.79"):
        send.approve_order(world.act("approver"), send.OrderAct(key))
    grant.update(limit=D("30212.80"))
    send.approve_order(world.act("approver"), send.OrderAct(key))


def test_every_change_is_told(sent):
    change(sent, sent.order, as_it_is(sent.line("A"), quantity=D(300)), head={"remark": "New cartons"})
    told = HistoryEntry.objects.filter(action="change_order").get()
    assert {row["field"]: (row["old"], row["new"]) for row in told.changes} == {
        "remark": ("", "New cartons"),
        "line 1 quantity": ("240", "300"),
    }
    assert told.shared


@pytest.mark.parametrize(
    ("action", "agreed", "subject"),
    [(cancel.cancel, True, "is cancelled"), (cancel.take_back, False, "is withdrawn"), (None, True, "revision 2")],
)
def test_the_supplier_is_told(world, action, agreed, subject):
    Party.objects.filter(kind="supplier").update(email="orders@qinlaro.example")
    order = world.sent_order({"A": D(10)}, agreed=agreed)
    if action:
        stop(world, action, order=order)
    else:
        change(world, order, as_it_is(order.lines.get(), quantity=D(11)))
    assert Message.objects.first().subject == f"Order {order.number}{',' if not action else ''} {subject}"


def test_a_cancelled_order_has_no_line_on_paper_and_no_order_for_machines(sent):
    stop(sent, cancel.cancel, sent.line("A").pk)
    assert [line["item"] for line in Revision.objects.latest("number").content["lines"]] == ["C"]
    stop(sent, cancel.cancel)
    assert [name for name, *_ in order_documents(sent.order.pk, {})] == [f"{sent.order.number}-3.pdf"]


def test_looking_first_keeps_nothing(sent):
    line = sent.line("A")
    sent.order.refresh_from_db()
    asked = revise.ChangeRequest(sent.order.pk, sent.order.version, (), (as_it_is(line, quantity=D(200)),))
    seen = revise.preview(sent.act("expediter"), asked)
    assert seen.changes[0]["new"] == "200" and seen.again == [(1, D(240), "pc")]
    assert (seen.before, seen.after) == (D("5379.00"), D("4643.00"))
    assert parts(sent.order)[0] == (240, 240, 240) and Revision.objects.count() == 1


def test_a_day_that_passed_forbids_moving_no_other_part(sent):
    line, part = sent.line("A"), Instalment.objects.get(line__item__code="A")
    split(sent, line, (part.pk, D(100), part.asked_on), (None, D(140), part.asked_on + DAY))
    other = Instalment.objects.get(line=line, number=2)
    Instalment.objects.filter(pk=part.pk).update(asked_on=TODAY - 3 * DAY)
    split(sent, line, (part.pk, D(100), TODAY - 3 * DAY), (other.pk, D(140), other.asked_on + 7 * DAY))
    with pytest.raises(Refused, match="has passed"):
        split(sent, line, (part.pk, D(100), TODAY - 2 * DAY), (other.pk, D(140), other.asked_on))


def test_a_part_named_twice_is_refused(sent):
    part = Instalment.objects.get(line__item__code="A")
    with pytest.raises(Refused, match="there twice"):
        split(sent, sent.line("A"), (part.pk, D(100), part.asked_on), (part.pk, D(140), part.asked_on))
    assert parts(sent.order)[0] == (240, 240, 240)


def test_what_is_reopened_beside_packed_units_needs_agreeing_anew(sent):
    _pack(sent, Instalment.objects.get(line__item__code="A"), D(100))
    stop(sent, cancel.cancel, sent.line("A").pk)
    stop(sent, cancel.reopen, sent.line("A").pk)
    assert parts(sent.order)[:2] == [(100, 100, 0), (140, 0, 140)]
    told = HistoryEntry.objects.get(action="reopen").text
    assert told.endswith("line 1: 140 units are on order again")


def test_units_packed_of_a_part_that_is_divided_are_no_move_of_the_supplier(sent):
    line = sent.line("A")
    amend.set_need_by(sent.act("expediter"), amend.NeedByRequest(line.pk, TODAY))
    _pack(sent, Instalment.objects.get(line=line), D(1))
    change(sent, sent.order, as_it_is(OrderLine.objects.get(pk=line.pk), pack_price=D(1)))
    assert proof.move_faults() == []


def test_the_days_of_a_reminder_are_ours_alone(sent):
    change(sent, sent.order, head={"remind_days": 9})
    sent.order.refresh_from_db()
    assert (sent.order.remind_days, sent.order.revision, sent.order.revisions.count()) == (9, 1, 1)
    with pytest.raises(Refused, match="Between 0 and 365 days"):
        change(sent, sent.order, head={"remind_days": 366})
