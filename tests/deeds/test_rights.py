"""Every deed asks for its right, of the role and in the company; before it looks at anything else."""

from dataclasses import replace
from decimal import Decimal as D

import pytest

from northing.confirmations.models import Answer
from northing.core.problems import NotAllowed
from northing.deeds.agree import agreeing, chasing, inviting, ruling, supplying
from northing.deeds.cost import clearing, costing, rating
from northing.deeds.house import beginning, founding, granting
from northing.deeds.land import inspecting, issuing, receiving, reversing
from northing.deeds.order import amending, ordering, revising, stopping
from northing.deeds.ship import following, handling, hearing, loading, packing
from northing.directory.rights import ROLES, WORDS
from northing.ledger.models import CostLayer
from northing.orders.models import Instalment, PurchaseOrder
from northing.papers.models import StoryEntry
from northing.quality.models import Case
from northing.shipping.models import Container, Leg, Stowage
from northing.shipping.operations import LegPlan
from tests.factories import CALLS, CONTAINERS, TODAY, out_of

LEG = LegPlan("sea", "CNNGB", "NZTRG", TODAY, TODAY, True)


def deeds(world):
    """(right, deed, request) of every deed, all for goods of the first company."""
    order = world.sent_order({"A": D(50)}, agreed=False)
    part = Instalment.objects.get(line__order=order)
    row = agreeing.AnswerRow(part.pk, D(40), part.asked_on, part.pack_price)
    agreeing.record_answers(world.act("expediter"), agreeing.AnswersRequest(order.pk, "R", TODAY, (row,)))
    world.items["B"].__class__.objects.filter(code="B").update(inspected=True)
    landed = world.shipment([world.sent_order({"B": D(20)})])
    world.say(landed, "departure")
    receipt = world.receive(landed, {"B": D(10)})
    layer = CostLayer.objects.get(received=10)
    failed = inspecting.InspectRequest(layer.pk, D(0), D(2), "chipped", TODAY)
    inspecting.inspect(world.act("inspector"), failed)
    case = Case.objects.get()
    waiting = world.shipment([world.sent_order({"C": D(30)})], CONTAINERS[1])
    stowage, box = Stowage.objects.get(container__shipment=waiting), Container.objects.get(shipment=waiting)
    head = PurchaseOrder.objects.get(pk=order.pk)
    line = ordering.LineRequest("A", "", D(1))
    new = ordering.OrderRequest(world.nz.pk, head.supplier_id, world.site.pk, "FOB", "on_board", head.need_by, (line,))
    estimate = costing.ChargeRequest(
        world.nz.pk,
        world.parties["provider"].pk,
        "freight",
        "weight",
        "NZD",
        D(9),
        TODAY,
        (landed.pk,),
        bill_number="X",
    )
    office = world.parties["customs"].pk
    found = receiving.ReceiveRow(Stowage.objects.get(container__shipment=landed).pk, D(1), True)
    taken = receiving.ReceiveRequest(layer.stowage.container_id, world.site.pk, "DN", TODAY, (found,))
    stock = b"company,site,item,quantity,value,received_on\nKLN,TRG,A,1,1.00,2026-06-01"
    whole, dock = ordering.OrderAct(order.pk), world.people["dock"]
    return [
        ("write_order", ordering.write_order, new),
        ("check_order", ordering.check_order, whole),
        ("approve_order", ordering.approve_order, whole),
        ("send_order", ordering.send_order, whole),
        ("record_answer", agreeing.record_answers, agreeing.AnswersRequest(order.pk, "R", TODAY, (row,))),
        ("decide_answer", agreeing.decide_answer, agreeing.Decision(Answer.objects.get(outcome="open").pk, True)),
        ("pack", packing.create_shipment, packing.ShipmentRequest()),
        ("pack", packing.create_voyage, packing.VoyageRequest("V", "9074729", "1", office, CALLS)),
        ("pack", packing.add_container, packing.ContainerRequest(waiting.pk, CONTAINERS[0], "22G1")),
        ("pack", packing.plan_passage, packing.PassageRequest(waiting.pk, None, (LEG,))),
        ("pack", packing.stow, packing.StowRequest(box.pk, ((part.pk, D(1)),))),
        ("pack", loading.load, out_of(stowage)),
        ("say_dates", following.say_date, _date(waiting)),
        ("estimate_charge", costing.enter_estimate, estimate),
        ("book_bill", costing.book_bill, replace(estimate, bill_number="X")),
        ("book_customs_entry", clearing.book_customs_entry, _entry(landed, world, office)),
        ("receive", receiving.receive, taken),
        ("reverse_receipt", reversing.reverse_receipt, reversing.ReverseRequest(receipt, "why")),
        ("issue_stock", issuing.issue_stock, _issue(world)),
        ("inspect", inspecting.inspect, failed),
        ("return_goods", inspecting.return_goods, inspecting.ReturnRequest(case.pk, D(1), "RMA", TODAY)),
        ("chase", chasing.chase, chasing.ChaseRequest(head.supplier_id)),
        ("invite", inviting.invite, inviting.InviteRequest(head.supplier_id)),
        ("invite", inviting.revoke, inviting.RevokeRequest(head.supplier_id)),
        ("write_order", amending.set_need_by, amending.NeedByRequest(part.line_id, TODAY)),
        ("write_order", amending.assign_buyer, amending.BuyerRequest(order.pk, world.people["expediter"].pk)),
        ("write_order", revising.change_order, revising.ChangeRequest(order.pk, 0, (("remark", "x"),))),
        ("write_order", revising.set_parts, revising.PartsRequest(part.line_id, 0, ())),
        ("write_order", stopping.cancel, stopping.StopRequest(order.pk)),
        ("write_order", stopping.reopen, stopping.StopRequest(order.pk)),
        ("write_order", stopping.take_back, stopping.StopRequest(order.pk)),
        ("keep_supplier", supplying.keep_supplier, supplying.SupplierRequest(head.supplier_id, ())),
        ("keep_supplier", supplying.set_delay_cost, supplying.DelayRequest(world.items["A"].pk, D(1))),
        ("keep_supplier", supplying.set_agreement, supplying.AgreementRequest(head.supplier_id, "A", D(1), TODAY)),
        ("keep_house", founding.keep_record, founding.RecordRequest("site", world.site.pk, (("name", "Shed"),))),
        ("keep_house", founding.keep_rows, founding.RowsRequest("port", ((2, (("code", "FJSUV"),)),))),
        ("keep_people", granting.grant, granting.GrantRequest(dock.pk, world.nz.pk, "viewer")),
        ("keep_people", granting.end_grant, granting.EndRequest(dock.grants.get(company=world.nz).pk)),
        ("keep_people", granting.set_role, granting.RoleRequest("viewer", ())),
        ("keep_people", granting.add_person, granting.PersonRequest("new", "N", "W", "", "long enough")),
        ("begin", beginning.open_stock, beginning.FileRequest(stock)),
        ("enter_rate", rating.enter_rate, rating.RateRequest(world.nz.pk, "GBP", "book", TODAY, D(2))),
        ("chase", ruling.keep_rule, ruling.RuleRequest("unanswered", None, "", 5, 4)),
        ("say_dates", handling.say_boxes, handling.BoxesRequest(landed.pk, (taken.container,), "gate_out", TODAY)),
        ("say_dates", hearing.hear, hearing.EventsRequest("V", b"[]")),
    ]


def _date(shipment):
    return following.DateRequest(Leg.objects.get(shipment=shipment).pk, "departure", "estimated", TODAY)


def _entry(shipment, world, office):
    return clearing.EntryRequest(shipment.pk, world.nz.pk, office, "E-1", TODAY)


def _issue(world):
    return issuing.IssueRequest(world.site.pk, world.items["B"].pk, D(1), "shops", TODAY)


def test_every_role_may_do_what_it_may_and_nothing_else(world):
    table = deeds(world)
    assert {right for right, *_ in table} == set(WORDS), "a right without a deed in this table"
    told = StoryEntry.objects.count()
    for right, deed, request in table:
        for role, rights in ROLES.items():
            if right not in rights:
                with pytest.raises(NotAllowed, match=WORDS[right]):
                    deed(world.act(role), request)
    assert StoryEntry.objects.count() == told


def test_a_role_in_one_company_is_none_in_another(world):
    """The stranger has every role, in the other company."""
    table = deeds(world)
    for role in ROLES:
        world.people["stranger"].grants.get_or_create(company=world.au, role=role)
    told = StoryEntry.objects.count()
    # What belongs to no company, or (chasing) takes up only the lines of one's own.
    anywhere = {packing.create_shipment, packing.create_voyage, packing.add_container, chasing.chase}
    anywhere |= {
        supplying.keep_supplier,
        supplying.set_agreement,
        supplying.set_delay_cost,
        granting.set_role,
        granting.add_person,
        founding.keep_rows,
        ruling.keep_rule,
        hearing.hear,
    }
    for right, deed, request in table:
        if deed not in anywhere:
            with pytest.raises(NotAllowed, match=WORDS[right]):
                deed(world.act("stranger"), request)
    assert StoryEntry.objects.count() == told
