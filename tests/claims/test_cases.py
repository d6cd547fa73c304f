"""Cases: what suppliers take back, what replaces it, who may, and the pages of it."""

from datetime import timedelta
from io import BytesIO
from threading import Barrier, Thread

import pytest
from django.db import connection
from django.urls import reverse
from PIL import Image

from northing.actions.activity import remarks
from northing.actions.claims import make_good, money, ways
from northing.actions.claims.authorise import AuthoriseRequest, authorise, take_back_authorisation
from northing.actions.claims.returns import ReturnRequest, return_goods
from northing.actions.orders import cancel, send
from northing.actions.quality.inspect import InspectRequest, inspect
from northing.actions.reversal import ReverseRequest
from northing.actions.worklist.proof import move_faults
from northing.activity.pdf_pages import page_count
from northing.claims.models import Authorisation, Claim, ClaimMoney, Replacement
from northing.claims.queries import open_claims
from northing.core.problems import NotAllowed, Refused
from northing.inventory.serials import serials_in
from northing.ledger.models import CostLayer
from northing.masterdata.models import Item, Party
from northing.messaging.models import Message
from northing.orders.models import PurchaseOrder
from northing.reports.book_proof import book_faults
from northing.reports.claim_paper import claim_files
from northing.worklist.models import Matter
from tests.confirmations.test_supplier_page import link
from tests.small_pdf import small_pdf
from tests.worlds import TODAY, D, small_world


def _picture():
    found = BytesIO()
    Image.new("RGB", (40, 30), "red").save(found, "PNG")
    return found.getvalue()


PICTURE = _picture()


@pytest.fixture
def failed(world):
    """Seven of eighteen kettles failed."""
    return fail(world)


def fail(world):
    Item.objects.filter(code="A").update(inspected=True)
    world.order = world.sent_order({"A": D(18)})
    shipment = world.shipment([world.order])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(18)})
    inspect(world.act("inspector"), InspectRequest(CostLayer.objects.get().pk, D(11), D(7), "dents", TODAY))
    world.case = Claim.objects.get()
    return world


def said(world, units=5, who="expediter", **change):
    facts = {"case": world.case.pk, "quantity": D(units), "reference": "RA-77", "occurred_on": TODAY} | change
    return authorise(world.act(who), AuthoriseRequest(**facts))


def anew(world, units, who="expediter", **change):
    return make_good.make_good(world.act(who), make_good.MakeGoodRequest(units, **change))


def matter(world):
    return Matter.objects.filter(kind="case", record=world.case.pk).values_list("party", "reason").first()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"units": 8}, "Only 7 units"), ({"units": 0}, "above 0"), ({"units": "1.5"}, "counted in whole"),
        ({"reference": " "}, "reference is missing"), ({"reference": "R" * 41}, "longer than 40"),
        ({"owed": "a cake"}, "credit note or as a replacement"), ({"occurred_on": TODAY.replace(year=1970)}, "1970"),
    ],
)  # fmt: skip
def test_what_cannot_be_authorised_is_refused(failed, change, words):
    with pytest.raises(Refused, match=words):
        said(failed, **change)
    assert not Authorisation.objects.exists()


def test_the_watch_says_what_is_next_until_all_is_settled(failed):
    assert matter(failed) == ("us", "rejected: dents; settle with Supplier USD")
    first = said(failed, owed="replacement")
    said(failed, 2, reference="RA-78")
    assert matter(failed) == ("us", "rejected: dents; send back 7 pc under RA-77, RA-78")
    order = anew(failed, {first: D(5)})
    with pytest.raises(Refused, match="5 of these units are ordered anew"):
        take_back_authorisation(failed.act("expediter"), ReverseRequest(first, "no"))
    take_back_authorisation(
        failed.act("expediter"), ReverseRequest(Authorisation.objects.get(reference="RA-78").pk, "no")
    )
    ways.scrap(failed.act("inspector"), ways.EndRequest(failed.case.pk, D(2), "burnt", TODAY))
    assert move_faults() == [] and book_faults() == []
    assert PurchaseOrder.objects.get(pk=order).lines.get().quantity == 5


def test_a_cancelled_replacement_is_owed_again(failed, signed_in):
    key = said(failed, owed="replacement")
    order = anew(failed, {key: D(5)})
    for step in (send.check_order, send.send_order):
        step(failed.act("expediter"), send.OrderAct(order))
    cancel.cancel(failed.act("expediter"), cancel.StopRequest(order, ()))
    assert move_faults() == []
    again = anew(failed, {key: D(4)}, free=True)
    assert PurchaseOrder.objects.get(pk=again).lines.get().pack_price == 0
    make_good.credit_instead(failed.act("expediter"), make_good.InsteadRequest(key))
    with pytest.raises(Refused, match="credited by now"):
        anew(failed, {key: D(1)})
    page = signed_in("expediter")
    assert "Replace after all" in page.get(reverse("case", args=[failed.case.pk])).content.decode()
    page.post(reverse("credit-rest", args=[key]))
    assert anew(failed, {key: D(1)})
    assert move_faults() == []


def test_who_may_not_look_after_cases_changes_none(failed):
    key = said(failed, owed="replacement")
    of_money = money.MoneyRequest(failed.case.pk, failed.case.against_id, "USD", D(1), "x", TODAY)
    for who in ("viewer", "dock", "costs"):
        with pytest.raises(NotAllowed):
            said(failed, 1, who, reference="RA-9")
        with pytest.raises(NotAllowed):
            anew(failed, {key: D(1)}, who)
        with pytest.raises(NotAllowed):
            money.claim_more(failed.act(who), of_money)
    with pytest.raises(NotAllowed):
        money.claim_paid(failed.act("expediter"), of_money)
    assert not Replacement.objects.exists() and not ClaimMoney.objects.exists()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"amount": D(0)}, "above 0"), ({"amount": D("0.001")}, "no amount in USD"), ({"amount": D("1e15")}, "above 0"),
        ({"rate": D(0)}, "rate is above 0"), ({"reason": ""}, "Say why"), ({"currency": "XXX"}, "no amount in XXX"),
        ({"party": 2**62}, "no such party"), ({"occurred_on": TODAY.replace(year=1970)}, "1970"),
    ],
)  # fmt: skip
def test_what_cannot_be_claimed_is_refused(failed, change, words):
    facts = {"case": failed.case.pk, "party": failed.case.against_id, "currency": "USD", "amount": D(9), "reason": "x"}
    with pytest.raises(Refused, match=words):
        money.claim_more(failed.act("accounts"), money.MoneyRequest(**(facts | {"occurred_on": TODAY} | change)))
    assert book_faults() == []


def test_the_supplier_takes_them_back_through_its_link(failed, client):
    page, token = client, link(failed, "USD")
    shown = page.get(reverse("supplier", args=[token])).content.decode()
    assert "Goods that were not right" in shown and "dents" in shown
    url = reverse("supplier-take-back", args=[token, failed.case.pk])
    wrong = page.post(url, {"quantity": "eight", "reference": "RA-1", "owed": "credit", "key": "a"})
    assert wrong.status_code == 422 and "is not a number" in wrong.content.decode()
    assert page.post(url, {"quantity": "5", "reference": "RA-1", "owed": "replacement", "key": "b"}).status_code == 302
    assert page.post(url, {"quantity": "5", "reference": "RA-1", "owed": "replacement", "key": "b"}).status_code == 302
    failed.case.refresh_from_db()
    assert (failed.case.authorised, failed.case.undecided) == (5, 2)
    assert "May come back" in page.get(reverse("supplier", args=[token])).content.decode()


def test_a_supplier_takes_back_only_its_own(failed, client):
    page, token = client, link(failed, "EUR")
    url = reverse("supplier-take-back", args=[token, failed.case.pk])
    assert page.post(url, {"quantity": "5", "reference": "RA-1", "owed": "credit", "key": "b"}).status_code == 422
    assert not Authorisation.objects.exists()


def test_the_pages_authorise_order_anew_and_claim(failed, signed_in):
    page, url = signed_in("expediter"), reverse("case", args=[failed.case.pk])
    sent = {"key": "a", "quantity": "5", "reference": "RA-77", "occurred_on": TODAY.isoformat(), "act": "replacement"}
    answer = page.post(url, sent, follow=True)
    assert "Goods in their place" in answer.content.decode()
    key = Authorisation.objects.get().pk
    head = answer.context["groups"][0][0]
    short = page.post(reverse("replacements"), {"key": "w", "of": head, f"units-{key}": "99"})
    assert short.status_code == 422 and "failed in all" in short.content.decode()
    made = page.post(reverse("replacements"), {"key": "w2", "of": head, f"units-{key}": "5"})
    assert made.status_code == 302 and Replacement.objects.get().quantity == 5
    turned = {"key": "t", "party": failed.parties["provider"].pk, "reason": "x", "occurred_on": TODAY.isoformat()}
    refused = page.post(reverse("case-money", args=[failed.case.pk, "turn"]), turned)
    assert refused.status_code == 422 and "Nothing is claimed of this case" in refused.content.decode()
    more = turned | {"key": "m", "currency": "NZD", "amount": "12.50"}
    assert page.post(reverse("case-money", args=[failed.case.pk, "claim"]), more).status_code == 302
    assert "12.50 NZD" in page.get(url).content.decode() or "NZD" in page.get(url).content.decode()
    assert [amount for amount, _ in open_claims([failed.case.pk]).values()] == [D("12.50")] and book_faults() == []


def test_a_case_follows_what_comes_in_its_place_until_it_came(failed):
    key = said(failed, owed="replacement")
    order = PurchaseOrder.objects.get(pk=anew(failed, {key: D(5)}))
    return_goods(failed.act("inspector"), ReturnRequest(failed.case.pk, D(5), "RA-77", TODAY))
    ways.scrap(failed.act("inspector"), ways.EndRequest(failed.case.pk, D(2), "burnt", TODAY))
    reason = Matter.objects.get(kind="case").reason
    assert f"5 pc come in their place on {order.number}" in reason
    send.send_order(failed.act("expediter"), send.OrderAct(order.pk))
    failed.agree(order)
    shipment = failed.shipment([order])
    failed.say(shipment, "departure")
    Item.objects.filter(code="A").update(inspected=False)
    failed.receive(shipment, {"A": D(3)})
    assert "2 pc come in their place" in Matter.objects.get(kind="case").reason
    failed.receive(shipment, {"A": D(2)})
    assert not Matter.objects.filter(kind="case").exists() and move_faults() == []


@pytest.mark.django_db(transaction=True)
def test_two_people_authorise_the_same_units_once():
    world = fail(small_world())
    start, outcomes = Barrier(2), []

    def one(reference):
        start.wait()
        try:
            said(world, 5, reference=reference)
            outcomes.append("said")
        except Refused:
            outcomes.append("refused")
        finally:
            connection.close()

    threads = [Thread(target=one, args=(reference,)) for reference in ("RA-1", "RA-2")]
    [one.start() for one in threads]
    [one.join() for one in threads]
    assert sorted(outcomes) == ["refused", "said"] and Claim.objects.get().authorised == 5


def test_deadlines_follow_who_owes(failed, signed_in):
    Party.objects.update(notice_days=3, claim_days=30)
    shown = signed_in("expediter").get(reverse("case", args=[failed.case.pk])).content.decode()
    assert "notice by" in shown and "claim by" in shown


def test_whoever_owes_is_asked_and_it_is_their_move(failed, signed_in, settings, tmp_path):
    settings.FILES = tmp_path
    page, url = signed_in("expediter"), reverse("ask-about", args=[failed.case.pk])
    Party.objects.update(email="")
    day = TODAY + timedelta(days=7)
    sent = {"key": "a", "answer_by": day.isoformat(), "words": "Pictures are attached."}
    assert page.post(url, sent).status_code == 422
    Party.objects.update(email="sales@supplier.example")
    assert page.post(url, sent | {"answer_by": "1970-01-01"}).status_code == 422
    assert "how many you take back" in page.get(url).content.decode()
    for name, content in (("dent.png", PICTURE), ("survey.pdf", small_pdf()), ("torn.png", PICTURE[:20])):
        asked = remarks.DocumentRequest(failed.case.pk, name, content, "case")
        remarks.add_document(failed.act("inspector"), asked)
    assert page.post(url, sent).status_code == 302
    assert matter(failed) == ("supplier", "rejected: dents; Supplier USD is asked about 7 pc")
    letter = Message.objects.get(kind="case")
    assert "7 pc of A" in letter.body and letter.attached == [["claim", failed.case.pk]]
    ((name, kind, content),) = claim_files(failed.case.pk, {})
    assert (name, kind) == (f"case-{failed.case.pk}.pdf", "application/pdf")
    path = tmp_path / "paper"
    path.write_bytes(content)
    assert page_count(path) == 3, "the facts, the picture and the survey; what is torn is only named"
    assert page.get(reverse("claim-paper", args=[failed.case.pk])).content[:5] == b"%PDF-"
    assert move_faults() == []


def test_numbered_units_are_found_by_their_numbers(world):
    shipment = world.shipment([world.sent_order({"A": D(18)})])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(17)}, still_coming=False)
    Item.objects.filter(code="A").update(keeps_serial=True)
    case, layer = Claim.objects.get(), CostLayer.objects.get(kind="missing")
    with pytest.raises(Refused, match="say which"):
        ways.find(world.act("expediter"), ways.EndRequest(case.pk, D(1), "behind", TODAY))
    ways.find(world.act("expediter"), ways.EndRequest(case.pk, D(1), "behind", TODAY, serials=("KT-9",)))
    assert list(serials_in(layer, "in_store")) == ["KT-9"] and book_faults() == []


def test_who_may_not_handle_the_goods_opens_no_form_for_it(failed, signed_in):
    page = signed_in("expediter")
    ways_there = {
        way: page.get(reverse("end-units", args=[failed.case.pk, way])).status_code for way in ("keep", "find")
    }
    assert ways_there == {"keep": 403, "find": 200}
    assert page.get(reverse("case-money", args=[failed.case.pk, "paid"])).status_code == 403
