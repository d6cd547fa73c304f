"""Every action asks for its permission, of the role and in the company; before it looks at anything else."""

from decimal import Decimal as D

import pytest

from northing.access.permissions import ROLES, WORDS
from northing.actions.access import roles
from northing.actions.billing import approve, bills
from northing.actions.billing.request import of_one
from northing.actions.claims import authorise, money, returns
from northing.actions.confirmations import answers, chaser_rules, chasers, supplier_links
from northing.actions.costing import charges
from northing.actions.customs import entries
from northing.actions.customs.covers import Covers
from northing.actions.inventory import adjust, issue
from northing.actions.ledger import close
from northing.actions.masterdata import opening, rates, records, suppliers
from northing.actions.orders import amend, cancel, revise, send, set_parts, write
from northing.actions.payments import pay
from northing.actions.quality import inspect
from northing.actions.receiving import held_goods, receive, reverse, tie
from northing.actions.reversal import ReverseRequest
from northing.actions.shipping import carrier_events, container_milestones, load, milestones, pack
from northing.activity.models import HistoryEntry
from northing.claims.models import Claim
from northing.confirmations.models import Answer
from northing.core.problems import NotAllowed, Refused
from northing.ledger.models import CostLayer
from northing.masterdata.models import Bin, Company
from northing.orders.models import Instalment, PurchaseOrder
from northing.shipping.models import Container, Leg, ShipmentLine
from northing.shipping.operations import LegPlan
from tests.worlds import CALLS, CONTAINERS, TODAY, out_of

PORT = (("code", "FJSUV"), ("name", "Suva"), ("country", "FJ"))
LEG = LegPlan("sea", "CNNGB", "NZTRG", TODAY, TODAY, True)


def actions(world):
    """(right, action, request) of every action, all for goods of the first company."""
    order = world.sent_order({"A": D(50)}, agreed=False)
    part = Instalment.objects.get(line__order=order)
    row = answers.AnswerRow(part.pk, D(40), part.asked_on, part.pack_price)
    answers.record_answers(world.act("expediter"), answers.AnswersRequest(order.pk, "R", TODAY, (row,)))
    world.items["B"].__class__.objects.filter(code="B").update(inspected=True)
    landed = world.shipment([world.sent_order({"B": D(20)})])
    world.say(landed, "departure")
    receipt = world.receive(landed, {"B": D(10)})
    layer = CostLayer.objects.get(received=10)
    failed = inspect.InspectRequest(layer.pk, D(0), D(2), "chipped", TODAY)
    inspect.inspect(world.act("inspector"), failed)
    case = Claim.objects.get()
    waiting = world.shipment([world.sent_order({"C": D(30)})], CONTAINERS[1])
    packed, box = ShipmentLine.objects.get(container__shipment=waiting), Container.objects.get(shipment=waiting)
    head = PurchaseOrder.objects.get(pk=order.pk)
    line = write.LineRequest("A", "", D(1))
    new = write.OrderRequest(world.nz.pk, head.supplier_id, world.site.pk, "FOB", "on_board", head.need_by, (line,))
    estimate = charges.ChargeRequest(
        world.nz.pk,
        world.parties["provider"].pk,
        "freight",
        "weight",
        "NZD",
        D(9),
        TODAY,
        (landed.pk,),
    )
    office = world.parties["customs"].pk
    found = receive.ReceiveRow(ShipmentLine.objects.get(container__shipment=landed).pk, D(1), True)
    taken = receive.ReceiveRequest(layer.shipment_line.container_id, world.site.pk, "DN", TODAY, (found,))
    stock = b"company,site,item,quantity,value,received_on\nKLN,TRG,A,1,1.00,2026-06-01"
    advance = (pay.PartRequest(D(1), order=order.pk),)
    whole, dock = send.OrderAct(order.pk), world.people["dock"]
    return [
        ("write_order", write.write_order, new),
        ("check_order", send.check_order, whole),
        ("approve_order", send.approve_order, whole),
        ("send_order", send.send_order, whole),
        ("record_answer", answers.record_answers, answers.AnswersRequest(order.pk, "R", TODAY, (row,))),
        ("decide_answer", answers.decide_answer, answers.Decision(Answer.objects.get(outcome="open").pk, True)),
        ("pack", pack.create_shipment, pack.ShipmentRequest()),
        ("pack", pack.create_voyage, pack.VoyageRequest("V", "9074729", "1", office, CALLS)),
        ("pack", pack.add_container, pack.ContainerRequest(waiting.pk, CONTAINERS[0], "22G1")),
        ("pack", pack.plan_passage, pack.PassageRequest(waiting.pk, None, (LEG,))),
        ("pack", pack.stow, pack.StowRequest(box.pk, ((part.pk, D(1)),))),
        ("pack", load.load, out_of(packed)),
        ("say_dates", milestones.say_date, _date(waiting)),
        ("estimate_charge", charges.enter_estimate, estimate),
        ("book_bill", bills.book_bill, of_one(estimate, "X")),
        ("approve_bill", approve.approve_bill, approve.ApproveRequest(_waiting_bill(world, estimate))),
        ("close_period", close.close_period, close.CloseRequest(world.nz.pk, TODAY.replace(year=2020))),
        ("pay", pay.pay, pay.PayRequest(world.nz.pk, head.supplier_id, TODAY, "USD", advance)),
        ("book_customs_entry", entries.book_customs_entry, _entry(landed, world, office)),
        ("receive", receive.receive, taken),
        ("reverse_receipt", reverse.reverse_receipt, ReverseRequest(receipt, "why")),
        ("issue_stock", issue.issue_stock, _issue(world)),
        ("adjust_stock", adjust.adjust_stock, _count(world)),
        ("decide_goods", tie.tie, tie.TieRequest(receipt, part.line_id, TODAY)),
        ("decide_goods", held_goods.end_held_goods, held_goods.EndRequest(layer.pk, "kept", D(1), "R", TODAY)),
        ("inspect", inspect.inspect, failed),
        ("return_goods", returns.return_goods, returns.ReturnRequest(case.pk, D(1), "RMA", TODAY)),
        ("handle_cases", authorise.authorise, authorise.AuthoriseRequest(case.pk, D(1), "RMA", TODAY)),
        ("handle_cases", money.turn, money.TurnRequest(case.pk, head.supplier_id, "theirs", TODAY)),
        ("chase", chasers.chase, chasers.ChaseRequest(head.supplier_id)),
        ("invite", supplier_links.invite, supplier_links.InviteRequest(head.supplier_id)),
        ("invite", supplier_links.revoke, supplier_links.RevokeRequest(head.supplier_id)),
        ("write_order", amend.set_need_by, amend.NeedByRequest(part.line_id, TODAY)),
        ("write_order", amend.assign_buyer, amend.BuyerRequest(order.pk, world.people["expediter"].pk)),
        ("write_order", revise.change_order, revise.ChangeRequest(order.pk, 0, (("remark", "x"),))),
        ("write_order", set_parts.set_parts, set_parts.PartsRequest(part.line_id, 0, ())),
        ("write_order", cancel.cancel, cancel.StopRequest(order.pk)),
        ("write_order", cancel.reopen, cancel.StopRequest(order.pk)),
        ("write_order", cancel.take_back, cancel.StopRequest(order.pk)),
        ("keep_supplier", suppliers.keep_supplier, suppliers.SupplierRequest(head.supplier_id, ())),
        ("keep_supplier", suppliers.set_delay_cost, suppliers.DelayRequest(world.items["A"].pk, D(1))),
        ("keep_supplier", suppliers.set_agreement, suppliers.AgreementRequest(head.supplier_id, "A", D(1), TODAY)),
        ("keep_house", records.keep_record, records.RecordRequest("site", world.site.pk, (("name", "Shed"),))),
        ("keep_house", records.keep_rows, records.RowsRequest("port", ((2, PORT),))),
        ("keep_people", roles.grant, roles.GrantRequest(dock.pk, world.nz.pk, "viewer")),
        ("keep_people", roles.end_grant, roles.EndRequest(dock.grants.get(company=world.nz).pk)),
        ("keep_people", roles.set_role, roles.RoleRequest("viewer", (), world.nz.pk)),
        ("keep_people", roles.add_person, roles.PersonRequest("new", "N", "W", "", "long enough", world.nz.pk, "dock")),
        ("begin", opening.open_stock, opening.FileRequest(stock)),
        ("enter_rate", rates.enter_rate, rates.RateRequest(world.nz.pk, "GBP", "book", TODAY, D(2))),
        ("chase", chaser_rules.keep_rule, chaser_rules.RuleRequest("unanswered", None, "", 5, 4)),
        (
            "say_dates",
            container_milestones.say_boxes,
            container_milestones.BoxesRequest(landed.pk, (taken.container,), "gate_out", TODAY),
        ),
        ("say_dates", carrier_events.hear, carrier_events.EventsRequest("V", b"[]")),
    ]


def _date(shipment):
    return milestones.DateRequest(Leg.objects.get(shipment=shipment).pk, "departure", "estimated", TODAY)


def _entry(shipment, world, office):
    return entries.EntryRequest(Covers((shipment.pk,)), world.nz.pk, office, "E-1", TODAY)


def _waiting_bill(world, estimate):
    """The id of a bill that a second person is to approve."""
    Company.objects.filter(pk=world.nz.pk).update(bill_approval_above=0)
    booked = bills.book_bill(world.act("costs"), of_one(estimate, "A-1"))
    Company.objects.filter(pk=world.nz.pk).update(bill_approval_above=None)
    return booked


def _count(world):
    bin = Bin.objects.filter(site=world.site).first()
    return adjust.AdjustRequest(bin.pk, world.items["B"].pk, "", D(1), "stock take", TODAY)


def _issue(world):
    return issue.IssueRequest(world.site.pk, world.items["B"].pk, D(1), "shops", TODAY)


def test_every_role_may_do_what_it_may_and_nothing_else(world):
    table = actions(world)
    assert {permission for permission, *_ in table} == set(WORDS), "a permission without an action in this table"
    told = HistoryEntry.objects.count()
    for permission, action, request in table:
        for role, permissions in ROLES.items():
            if permission not in permissions:
                with pytest.raises(NotAllowed, match=WORDS[permission]):
                    action(world.act(role), request)
    assert HistoryEntry.objects.count() == told


def test_a_role_in_one_company_is_none_in_another(world):
    """The stranger has every role, in the other company."""
    table = actions(world)
    for role in ROLES:
        world.people["stranger"].grants.get_or_create(company=world.au, role=role)
    told = HistoryEntry.objects.count()
    # A shipment or a voyage with nothing in it yet belongs to no company; chasing takes up only the lines of one's own.
    anywhere = {
        pack.create_shipment,
        pack.create_voyage,
        chasers.chase,
        # A batch of no event: each event asks for the right in the companies whose goods it is about.
        carrier_events.hear,
    }
    for permission, action, request in table:
        if action not in anywhere:
            # What this person may not see is not there.
            with pytest.raises(Refused, match=f"{WORDS[permission]}|There is no such (shipment|container)"):
                action(world.act("stranger"), request)
    assert HistoryEntry.objects.count() == told
