"""Cases of damage at the dock and of money alone; who is responsible; divided, joined, and their days and reminders."""

from datetime import datetime, timedelta

import pytest
from django.urls import reverse
from django.utils import timezone

from northing.actions.billing import bills
from northing.actions.claims import money_cases, tend
from northing.actions.claims.ask import AskRequest, ask
from northing.actions.claims.money_cases import MoneyCaseRequest
from northing.actions.claims.returns import ReturnRequest, return_goods
from northing.actions.claims.set_aside import SetAsideRequest, set_aside, take_back
from northing.actions.inventory.issue import IssueRequest, issue_stock
from northing.actions.receiving.receive import receive
from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.actions.tasks import remind_all
from northing.claims.models import Claim
from northing.claims.queries import open_claims
from northing.core.problems import NotAllowed, Refused
from northing.ledger.models import Account, CostLayer
from northing.masterdata.models import ClaimDays, Party
from northing.messaging.models import Message
from northing.orders.models import Instalment
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from northing.worklist.models import Matter
from tests.across.test_worked_case import balance
from tests.billing.test_goods import bill_of, line_of
from tests.worlds import TODAY, D


@pytest.fixture
def stored(world):
    """Ten kettles in store, billed."""
    world.order = world.sent_order({"A": D(10)})
    shipment = world.shipment([world.order])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(10)})
    world.layer = CostLayer.objects.get(item=world.items["A"], kind="stock")
    bills.book_bill(world.act("costs"), bill_of(world.order, line_of(world.order, "10")))
    return world


@pytest.fixture
def case(stored):
    request = SetAsideRequest(stored.layer.pk, D(7), "dents", TODAY)
    return Claim.objects.get(pk=set_aside(stored.act("inspector"), request))


def claim(world, kind="late", amount="18.40", who="expediter", **more):
    facts = {"layer": world.layer.pk, "kind": kind, "amount": D(amount), "reason": "9 days late", "occurred_on": TODAY}
    return money_cases.open_money_case(world.act(who), MoneyCaseRequest(**(facts | more)))


def test_what_late_goods_cost_their_supplier_makes_them_cheaper(stored):
    before = balance(Account.STOCK, stored.nz)
    issue_stock(stored.act("dock"), IssueRequest(stored.site.pk, stored.items["A"].pk, D(5), "shop", TODAY))
    stock = balance(Account.STOCK, stored.nz)
    found = Claim.objects.get(pk=claim(stored))
    off = stock - balance(Account.STOCK, stored.nz)
    assert open_claims([found.pk])[found.pk, found.against_id, "USD"][0] == D("18.40")
    # A tenth of a price of 302.13 in base, half of it for what was issued.
    assert balance(Account.CLAIMS, stored.nz) == D("30.21") and off in (D("15.10"), D("15.11")) and before > stock
    matter = Matter.objects.get(kind="case", record=found.pk)
    assert "USD 18.40 is claimed" in matter.reason and book_faults() == []
    money_cases.close_money_case(stored.act("expediter"), ReverseRequest(found.pk, "they came in time"))
    assert balance(Account.CLAIMS, stored.nz) == 0 and balance(Account.STOCK, stored.nz) == stock
    assert not Matter.objects.filter(kind="case").exists() and book_faults() == []
    with pytest.raises(Refused, match="reversed already"):
        money_cases.close_money_case(stored.act("expediter"), ReverseRequest(found.pk, "again"))


def test_no_more_comes_off_a_price_than_it_is(stored):
    claim(stored, amount="100.00")
    with pytest.raises(Refused, match="USD 100.00 of USD 184.00 is off their price already"):
        claim(stored, amount="84.01")
    claim(stored, amount="84.00")
    assert book_faults() == []


def test_an_end_without_units_is_taken_back_with_its_case_only(stored, signed_in):
    found = Claim.objects.get(pk=claim(stored))
    end = found.ends.get()
    page = signed_in("inspector")
    assert b"How they ended" not in page.get(reverse("case", args=[found.pk])).content
    answer = page.post(reverse("reverse-way", args=[end.pk]), {"reason": "no", "key": "r"})
    assert b"This case has no units" in answer.content and open_claims([found.pk])


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"kind": "rejected"}, "what it is about"), ({"kind": "x"}, "what it is about"),
        ({"amount": "0"}, "above 0"), ({"amount": "184.01"}, "USD 184.00 in all"), ({"amount": "0.001"}, "no amount"),
        ({"reason": " "}, "Say why"), ({"occurred_on": TODAY + timedelta(days=1)}, "not come yet"),
    ],
)  # fmt: skip
def test_a_case_of_money_that_cannot_be_is_refused(stored, change, words):
    with pytest.raises(Refused, match=words):
        claim(stored, **change)
    with pytest.raises(NotAllowed):
        claim(stored, who="viewer")
    assert not Claim.objects.exists()


def test_the_page_proposes_the_penalty_that_is_agreed(stored, signed_in):
    supplier = stored.order.supplier
    Party.objects.filter(pk=supplier.pk).update(late_percent=D("0.5"), late_most=D(5))
    came = stored.layer.occurred_on
    Instalment.objects.filter(line__order=stored.order).update(first_promise=came - timedelta(days=9))
    page = signed_in("expediter")
    address = f"{reverse('open-case')}?line={stored.order.lines.get().pk}"
    shown = page.get(address)
    # Two weeks have begun: one per cent of 184.00.
    assert shown.context["form"]["amount"].value() == "1.84" and b"9 days" in shown.content
    asked = {"kind": "late", "amount": "1.84", "reason": "9 days late", "occurred_on": TODAY.isoformat(), "key": "k"}
    assert page.post(address, asked | {"amount": "999"}).status_code == 422
    made = page.post(address, asked).url
    content = page.get(made).content.decode()
    assert "Withdraw the claim" in content and "1.84" in content
    key = Claim.objects.get().pk
    assert page.post(reverse("close-case", args=[key]), {"reason": "no", "key": "c"}).status_code == 302
    assert page.get(f"{reverse('open-case')}?layer=999999", follow=True).status_code == 200


def test_goods_damaged_at_the_dock_are_a_case_and_go_with_their_receipt(world):
    order = world.sent_order({"A": D(10)}, ours_from="receipt")
    part = order.lines.get().instalments.get()
    rows = (
        ReceiveRow(None, D(8), False, instalment=part.pk),
        ReceiveRow(None, D(2), False, instalment=part.pk, condition="damaged"),
    )
    receive(world.act("dock"), ReceiveRequest(None, world.site.pk, "DN-1", TODAY, rows))
    found = Claim.objects.get()
    part.position.refresh_from_db()
    assert (found.quantity, found.reason, part.position.rejected) == (2, "damaged at the dock", 2)
    reverse_receipt(world.act("dock"), ReverseRequest(Receipt.objects.get().pk, "counted anew"))
    part.position.refresh_from_db()
    found.refresh_from_db()
    assert found.withdrawn_at and part.position.rejected == 0 and book_faults() == []


def test_a_receipt_whose_damaged_goods_went_back_is_not_reversed(world):
    order = world.sent_order({"A": D(2)}, ours_from="receipt")
    part = order.lines.get().instalments.get()
    row = ReceiveRow(None, D(2), False, instalment=part.pk, condition="damaged")
    receive(world.act("dock"), ReceiveRequest(None, world.site.pk, "DN-1", TODAY, (row,)))
    return_goods(world.act("inspector"), ReturnRequest(Claim.objects.get().pk, D(1), "RA-1", TODAY))
    with pytest.raises(Refused, match="RA-1"):
        reverse_receipt(world.act("dock"), ReverseRequest(Receipt.objects.get().pk, "counted anew"))


def test_a_case_is_divided_and_joined_again(stored, case):
    part = Claim.objects.get(pk=tend.divide(stored.act("expediter"), tend.DivideRequest(case.pk, D(2), "no lid")))
    case.refresh_from_db()
    assert (case.quantity, part.quantity, part.reason, part.part_of) == (5, 2, "no lid", case)
    with pytest.raises(Refused, match="is a part of this one"):
        take_back(stored.act("inspector"), ReverseRequest(case.pk, "they are fine"))
    return_goods(stored.act("inspector"), ReturnRequest(part.pk, D(1), "RA-1", TODAY))
    tend.join(stored.act("expediter"), tend.JoinRequest(part.pk, case.pk))
    case.refresh_from_db()
    part.refresh_from_db()
    # One went back in the part; the other goes on in the whole.
    assert (case.quantity, part.quantity, part.ended, part.withdrawn_at) == (6, 1, 1, None)
    with pytest.raises(Refused, match="Every unit of this case has its way"):
        tend.join(stored.act("expediter"), tend.JoinRequest(part.pk, case.pk))
    other = tend.divide(stored.act("expediter"), tend.DivideRequest(case.pk, D(1), "rust"))
    tend.join(stored.act("expediter"), tend.JoinRequest(other, case.pk))
    assert Claim.objects.get(pk=other).withdrawn_at and book_faults() == []
    for asked, words in (
        (tend.JoinRequest(case.pk, case.pk), "the same case"),
        (tend.JoinRequest(case.pk, part.pk), "opened"),
        (tend.JoinRequest(case.pk, claim(stored)), "about other goods"),
    ):
        with pytest.raises(Refused, match=words):
            tend.join(stored.act("expediter"), asked)


@pytest.mark.parametrize(
    ("units", "reason", "words"),
    [(7, "x", "fewer than all"), (8, "x", "at most those"), (0, "x", "no way yet"), (-1, "x", "no way yet"),
     ("0.5", "x", "whole pc"), (1, " ", "what is wrong")],
)  # fmt: skip
def test_a_case_is_not_divided_so(stored, case, units, reason, words):
    with pytest.raises(Refused, match=words):
        tend.divide(stored.act("expediter"), tend.DivideRequest(case.pk, D(units), reason))
    assert Claim.objects.count() == 1


def test_somebody_sees_to_a_case_and_its_list_is_short(stored, case, signed_in):
    page, listed = signed_in("expediter"), f"{reverse('quality')}?mine=1"
    name = f"Case {case.pk}".encode()
    assert name not in page.get(listed).content
    assert page.post(reverse("tend-case", args=[case.pk, "take"])).url == reverse("case", args=[case.pk])
    case.refresh_from_db()
    assert Matter.objects.get(kind="case", record=case.pk).person_id == case.looked_after_by_id
    assert (
        b"Responsible: expediter" in page.get(reverse("case", args=[case.pk])).content
        and name in page.get(listed).content
    )
    viewer = stored.act("viewer").person
    with pytest.raises(Refused, match="cannot be responsible for the case"):
        tend.tend(stored.act("expediter"), tend.TendRequest(case.pk, viewer.pk))
    page.post(reverse("tend-case", args=[case.pk, "leave"]))
    assert name not in page.get(listed).content
    page.post(reverse("divide-case", args=[case.pk]), {"quantity": "2", "reason": "rust", "key": "d"})
    part = Claim.objects.latest("pk")
    assert page.post(reverse("tend-case", args=[part.pk, "join"]), {"into": case.pk}).url == f"/claims/{case.pk}/"
    assert page.post(reverse("tend-case", args=[case.pk, "join"]), {"into": "x"}).url == f"/claims/{case.pk}/"
    assert page.post(reverse("divide-case", args=[case.pk]), {"quantity": "99", "reason": "x"}).status_code == 422


def test_days_for_a_claim_are_by_mode_where_they_are_kept(stored, case, signed_in):
    Party.objects.filter(pk=case.against_id).update(claim_days=30, notice_days=7)
    shown = signed_in("expediter").get(reverse("case", args=[case.pk])).context
    assert (shown["notice_by"], shown["claim_by"]) == (TODAY + timedelta(days=7), TODAY + timedelta(days=30))
    ClaimDays.objects.create(party=case.against, mode=stored.order.mode, notice_days=3, claim_days=365)
    shown = signed_in("expediter").get(reverse("case", args=[case.pk])).context
    assert (shown["notice_by"], shown["claim_by"]) == (TODAY + timedelta(days=3), TODAY + timedelta(days=365))


def test_who_does_not_answer_about_a_case_is_reminded_by_rule(stored, case):
    Party.objects.filter(pk=case.against_id).update(email="claims@example.org", remind_days=5)
    ask(stored.act("expediter"), AskRequest(case.pk, TODAY + timedelta(days=2)))
    noon = timezone.make_aware(datetime.combine(TODAY, datetime.min.time())) + timedelta(hours=12)
    assert Message.objects.count() == 1
    for days, letters in ((2, 1), (3, 2), (3, 2), (8, 2), (9, 3)):
        assert remind_all(noon + timedelta(days=days)) == []
        assert Message.objects.count() == letters
    case.refresh_from_db()
    assert (case.reminded_on, case.answer_by) == (TODAY + timedelta(days=9), TODAY + timedelta(days=14))
    assert "We have had no answer" in Message.objects.latest("pk").body
    # What is settled is not asked about.
    return_goods(stored.act("inspector"), ReturnRequest(case.pk, D(7), "RA-1", TODAY))
    Matter.objects.filter(kind="case").delete()
    assert remind_all(noon + timedelta(days=30)) == [] and Message.objects.count() == 3
