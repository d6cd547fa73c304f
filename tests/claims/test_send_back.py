"""Goods set aside by hand, and all of a receipt or an order sent back: units, books, numbers, and their undoing."""

from io import BytesIO
from threading import Barrier, Thread

import pytest
from django.db import connection
from django.db.models import Sum
from django.urls import reverse
from openpyxl import load_workbook

from northing.access.models import Grant
from northing.actions.billing import bills
from northing.actions.claims.authorise import take_back_authorisation
from northing.actions.claims.prepared import DespatchRequest, cancel_return, despatch_return
from northing.actions.claims.return_all import ReturnAllRequest, return_all, reverse_all
from northing.actions.claims.returns import ReturnRequest, return_goods
from northing.actions.claims.set_aside import SetAsideRequest, set_aside, take_back
from northing.actions.inventory.issue import IssueRequest, issue_stock
from northing.actions.receiving.receive import receive
from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.claims.models import Authorisation, Claim, ClaimAmount, GoodsReturn, ReturnNote
from northing.core.problems import NotAllowed, Refused
from northing.formats.despatch import read_advice
from northing.inventory.models import OnHand, StockIssue
from northing.inventory.serials import serials_in
from northing.jobs.jobs import run
from northing.jobs.models import Job
from northing.ledger.models import Account, CostLayer
from northing.masterdata.models import Item
from northing.receiving.models import Receipt
from northing.reports.book_proof import book_faults
from northing.reports.goods_returns import Asked, return_rows
from northing.shipping.models import ShipmentLine
from northing.web.claims import returns
from tests.across.test_worked_case import balance
from tests.billing.test_goods import bill_of, line_of
from tests.worlds import TODAY, D, small_world


@pytest.fixture
def stored(world):
    """Ten kettles and twenty cups in store, of one receipt."""
    return lay(world)


def lay(world):
    world.order = world.sent_order({"A": D(10), "C": D(20)})
    shipment = world.shipment([world.order])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": D(10), "C": D(20)})
    world.layer = CostLayer.objects.get(item=world.items["A"], kind="stock")
    world.receipt = Receipt.objects.latest("pk")
    return world


def aside(world, units=4, who="inspector", **change):
    facts = {"layer": world.layer.pk, "quantity": D(units), "reason": "dents", "occurred_on": TODAY} | change
    return set_aside(world.act(who), SetAsideRequest(**facts))


def back(world, who="inspector", **change):
    facts = {"reference": "RA-1", "reason": "not as ordered", "occurred_on": TODAY, "order": world.order.pk} | change
    return return_all(world.act(who), ReturnAllRequest(**facts))


def states(layer):
    rows = OnHand.objects.filter(layer=layer, quantity__gt=0)
    return {row.status: row.quantity for row in rows}


def position(world, code="A"):
    return world.line(code).instalments.get().position


def test_goods_in_store_are_set_aside_and_taken_back(stored):
    case = Claim.objects.get(pk=aside(stored))
    assert states(stored.layer) == {"in_store": 6, "rejected": 4} and position(stored).rejected == 4
    assert (case.kind, case.open_quantity, case.reason) == ("rejected", 4, "dents")
    take_back(stored.act("inspector"), ReverseRequest(case.pk, "they are fine"))
    assert states(stored.layer) == {"in_store": 10} and position(stored).in_store == 10
    case.refresh_from_db()
    assert case.open_quantity == 0
    with pytest.raises(Refused, match="reversed already"):
        take_back(stored.act("inspector"), ReverseRequest(case.pk, "again"))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"units": 11}, "Only 10 pc"), ({"units": 0}, "above 0"), ({"units": -1}, "above 0"),
        ({"units": "1.5"}, "counted in whole"), ({"reason": " "}, "what is wrong"),
        ({"occurred_on": TODAY.replace(year=1970)}, "1970"),
    ],
)  # fmt: skip
def test_what_cannot_be_set_aside_is_refused(stored, change, words):
    with pytest.raises(Refused, match=words):
        aside(stored, **change)
    assert not Claim.objects.exists()


def test_who_may_not_return_goods_sets_nothing_aside_and_sends_nothing_back(stored):
    for who in ("viewer", "dock"):
        with pytest.raises(NotAllowed):
            aside(stored, who=who)
        with pytest.raises(NotAllowed):
            back(stored, who=who)
    assert states(stored.layer) == {"in_store": 10}


def test_a_receipt_with_goods_set_aside_is_not_reversed(stored):
    case = aside(stored)
    with pytest.raises(Refused, match="4 pc of A are set aside: dents"):
        reverse_receipt(stored.act("dock"), ReverseRequest(stored.receipt.pk, "wrong"))
    take_back(stored.act("inspector"), ReverseRequest(case, "fine"))
    reverse_receipt(stored.act("dock"), ReverseRequest(stored.receipt.pk, "wrong"))


def test_all_of_an_order_goes_back_in_one_return(stored):
    billed = bill_of(stored.order, line_of(stored.order, "10"), accept=True)
    bills.book_bill(stored.act("costs"), billed)
    aside(stored)
    issue_stock(stored.act("dock"), IssueRequest(stored.site.pk, stored.items["C"].pk, D(5), "shop", TODAY))
    (made,) = back(stored)
    record = GoodsReturn.objects.get(pk=made)
    assert str(record) == "KLN-B00001" and record.notes.count() == 3
    assert position(stored).returned == 10 and position(stored, "C").returned == 15
    # Billed kettles are claimed at their price; cups that were not billed are not owed any more.
    claimed = ClaimAmount.objects.values_list("currency").annotate(Sum("amount"))
    assert dict(claimed) == {"USD": D("184.00")}
    assert balance(Account.STOCK, stored.nz) == 0 and book_faults() == []
    with pytest.raises(Refused, match="Nothing of it is here any more"):
        back(stored)
    rows = list(return_rows(Asked([stored.nz.pk])))
    assert {row["return"] for row in rows} == {"KLN-B00001"} and sum(row["quantity"] for row in rows) == 25
    reverse_all(stored.act("inspector"), ReverseRequest(made, "kept after all"))
    assert position(stored).rejected == 10 and balance(Account.CLAIMS, stored.nz) == 0 and book_faults() == []
    with pytest.raises(Refused, match="reversed already"):
        reverse_all(stored.act("inspector"), ReverseRequest(made, "again"))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"reference": " "}, "reference is missing"), ({"reason": ""}, "why they go back"),
        ({"order": None}, "Say what goes back"), ({"order": 0}, "Say what goes back"),
        ({"order": 999_999}, "Nothing of it is here"),
    ],
)  # fmt: skip
def test_a_return_that_cannot_be_is_refused_whole(stored, change, words):
    with pytest.raises(Refused, match=words):
        back(stored, **change)
    assert not GoodsReturn.objects.exists() and states(stored.layer) == {"in_store": 10}


def test_the_pages_set_aside_send_back_and_show(stored, signed_in):
    page = signed_in("inspector")
    url = reverse("set-aside", args=[stored.layer.pk])
    assert b"10 pc" in page.get(url).content
    asked = {"quantity": "3", "reason": "dents", "occurred_on": TODAY.isoformat(), "key": "k"}
    assert page.post(url, asked | {"quantity": "11"}).status_code == 422
    case = page.post(url, asked).url
    assert b"Take back into store" in page.get(case).content
    of = f"{reverse('send-back')}?receipt={stored.receipt.pk}"
    assert b"Send back" in page.get(of).content
    rows = {f"units-{layer.pk}": layer.received for layer in CostLayer.objects.filter(kind="stock")}
    head = {"reference": "RA-9", "reason": "late", "occurred_on": TODAY.isoformat(), "packages": "1", "key": "b"}
    made = page.post(of, head | rows)
    assert b"KLN-B00001" in page.get(made.url).content and b"RA-9" in page.get(reverse("goods-returns")).content
    assert page.get(reverse("return-note", args=[GoodsReturn.objects.get().pk])).content[:5] == b"%PDF-"
    content = b"".join(page.get(reverse("goods-returns-csv")).streaming_content).decode()
    assert content.count("RA-9") == 3 and "KLN-B00001" in content
    sheet = load_workbook(BytesIO(page.get(reverse("goods-returns-xlsx")).content)).active
    assert [row[5] for row in sheet.iter_rows(values_only=True)] == ["reference", "RA-9", "RA-9", "RA-9"]
    advice = read_advice(page.get(reverse("return-xml", args=[GoodsReturn.objects.get().pk])).content)
    went = [(one.item, one.quantity) for one in advice.lines]
    assert sorted(went) == sorted((note.case.layer.item.code, note.quantity) for note in ReturnNote.objects.all())
    assert b"Nothing of it is here any more" in page.get(of).content
    undo = reverse("reverse-goods-return", args=[GoodsReturn.objects.get().pk])
    assert undo.encode() in page.get(made.url).content
    assert page.post(undo, {"reason": "kept after all", "key": "u"}).url == made.url
    assert position(stored).rejected == 10 and undo.encode() not in page.get(made.url).content
    for wrong in ("receipt=x", "order=999999", ""):
        assert page.get(f"{reverse('send-back')}?{wrong}").status_code == 404


def test_units_with_serial_numbers_go_back_whole_and_are_set_aside_by_number(world):
    Item.objects.filter(pk=world.items["A"].pk).update(keeps_serial=True)
    world.order = world.sent_order({"A": D(3)}, ours_from="receipt")
    part = world.order.lines.get().instalments.get()
    row = ReceiveRow(None, D(3), False, instalment=part.pk, serials=("N1", "N2", "N3"))
    receive(world.act("dock"), ReceiveRequest(None, world.site.pk, "DN-1", TODAY, (row,)))
    world.layer = CostLayer.objects.get(item=world.items["A"], kind="stock")
    with pytest.raises(Refused, match="say which"):
        aside(world, 1)
    aside(world, 1, serials=("N2",))
    assert serials_in(world.layer, "rejected").keys() == {"N2"}
    back(world)
    assert states(world.layer) == {} and position(world).returned == 3
    assert not serials_in(world.layer, "in_store")


@pytest.mark.django_db(transaction=True)
def test_two_people_send_the_same_order_back_once():
    world = lay(small_world())
    start, refused = Barrier(2), []

    def send():
        try:
            start.wait()
            back(world)
        except Refused as problem:
            refused.append(str(problem.problems[0]))
        finally:
            connection.close()

    people = [Thread(target=send) for _ in range(2)]
    for one in people:
        one.start()
    for one in people:
        one.join()
    assert len(refused) == 1 and "Nothing of it is here any more" in refused[0]
    assert ReturnNote.objects.count() == 2 and book_faults() == []


def test_some_of_an_order_goes_back_rejected_units_first(stored):
    aside(stored, 3)
    cups = CostLayer.objects.get(item=stored.items["C"], kind="stock")
    (made,) = back(stored, units={stored.layer.pk: D(5), cups.pk: D(0)})
    assert states(stored.layer) == {"in_store": 5} and states(cups) == {"in_store": 20}
    assert sorted(GoodsReturn.objects.get(pk=made).notes.values_list("quantity", flat=True)) == [2, 3]
    for units, words in (({stored.layer.pk: D(6)}, "5 pc of A are here"), ({stored.layer.pk: D("0.5")}, "whole pc"),
                         ({cups.pk + 999: D(1)}, "not of what goes back"), ({}, "how many units")):  # fmt: skip
        with pytest.raises(Refused, match=words):
            back(stored, units=units)
    assert states(stored.layer) == {"in_store": 5} and book_faults() == []


def test_of_an_item_the_oldest_go_first(stored):
    shipment = stored.shipment([stored.sent_order({"A": D(10)})])
    stored.say(shipment, "departure")
    stored.receive(shipment, {"A": D(10)})
    first, second = CostLayer.objects.filter(item=stored.items["A"], kind="stock").order_by("pk")
    back(stored, order=None, item=stored.items["A"].pk, most=D(12))
    assert states(first) == {} and states(second) == {"in_store": 8}
    with pytest.raises(Refused, match="8 pc are here"):
        back(stored, order=None, item=stored.items["A"].pk, most=D(9))
    back(stored, order=None, layer=second.pk, supplier=stored.order.supplier_id)
    assert states(second) == {} and book_faults() == []


def test_a_prepared_return_stands_by_and_is_despatched(stored):
    case = Claim.objects.get(pk=aside(stored, 3))
    (made,) = back(stored, prepared=True, packages=2, deliver_to="Dock 4\nNingbo", units={stored.layer.pk: D(5)})
    record = GoodsReturn.objects.get(pk=made)
    assert record.prepared and not record.notes.exists()
    # Nothing has left, and nothing of it is available.
    assert states(stored.layer) == {"in_store": 5, "rejected": 5} and position(stored).rejected == 5
    case.refresh_from_db()
    assert (case.authorised, case.undecided) == (3, 0)
    with pytest.raises(Refused, match="5 pc of A are here. Enter at most that; prepared units are not counted"):
        back(stored, units={stored.layer.pk: D(6)})
    with pytest.raises(NotAllowed):
        despatch_return(stored.act("dock"), DespatchRequest(made, TODAY))
    despatch_return(stored.act("inspector"), DespatchRequest(made, TODAY, "Harbour Cartage"))
    record.refresh_from_db()
    assert (record.prepared, record.haulier, record.notes.count()) == (False, "Harbour Cartage", 2)
    assert states(stored.layer) == {"in_store": 5} and position(stored).returned == 5 and book_faults() == []
    with pytest.raises(Refused, match="despatched already"):
        despatch_return(stored.act("inspector"), DespatchRequest(made, TODAY))


def test_a_prepared_return_is_not_sent_after_all(stored):
    case = Claim.objects.get(pk=aside(stored, 3))
    (made,) = back(stored, prepared=True)
    with pytest.raises(Refused, match="Say why"):
        cancel_return(stored.act("inspector"), ReverseRequest(made, " "))
    cancel_return(stored.act("inspector"), ReverseRequest(made, "they keep them"))
    case.refresh_from_db()
    # What failed before is open as it was; what was set aside for the return is in store again.
    assert (case.authorised, case.open_quantity) == (0, 3)
    assert states(stored.layer) == {"in_store": 7, "rejected": 3} and book_faults() == []
    with pytest.raises(Refused, match="not sent after all already"):
        despatch_return(stored.act("inspector"), DespatchRequest(made, TODAY))
    assert GoodsReturn.objects.get(pk=back(stored)[0]).notes.count() == 3


def test_prepared_units_go_with_their_return_only(stored, signed_in):
    case = aside(stored, 3)
    (made,) = back(stored, prepared=True, units={stored.layer.pk: D(3)})
    said = Authorisation.objects.get()
    with pytest.raises(Refused, match="Only 0 units"):
        return_goods(stored.act("inspector"), ReturnRequest(case, D(1), "RA-1", TODAY))
    with pytest.raises(Refused, match="3 of these units are prepared for a return"):
        take_back_authorisation(stored.act("inspector"), ReverseRequest(said.pk, "not so"))
    shown = signed_in("inspector").get(reverse("case", args=[case])).content.decode()
    assert "Prepared: KLN-B00001" in shown and "Take back</a>" not in shown
    cancel_return(stored.act("inspector"), ReverseRequest(made, "not yet"))
    return_goods(stored.act("inspector"), ReturnRequest(case, D(1), "RA-1", TODAY))
    (again,) = back(stored, prepared=True, units={stored.layer.pk: D(2)})
    despatch_return(stored.act("inspector"), DespatchRequest(again, TODAY))
    assert position(stored).returned == 3 and book_faults() == []


def test_the_page_prepares_despatches_prints_and_lists(stored, signed_in):
    stored.order.supplier.return_address = "Gate 2\nNingbo"
    stored.order.supplier.save()
    bills.book_bill(stored.act("costs"), bill_of(stored.order, line_of(stored.order, "10"), tax=D("18.40")))
    page = signed_in("inspector")
    of = f"{reverse('send-back')}?order={stored.order.pk}"
    form = page.get(of).context["form"]
    assert form["deliver_to"].value() == "Gate 2\nNingbo" and form[f"units-{stored.layer.pk}"].value() == "10"
    asked = {"reference": "RA-5", "reason": "late", "occurred_on": TODAY.isoformat(), "packages": "2", "key": "p"}
    asked |= {"deliver_to": "Gate 9", f"units-{stored.layer.pk}": "4"}
    wrong = page.post(of, asked | {f"units-{stored.layer.pk}": "11", "act": "prepare"})
    assert wrong.status_code == 422 and b"10 pc of A are here" in wrong.content
    made = page.post(of, asked | {"act": "prepare"}).url
    assert b"Prepared goods" in page.get(made).content and b"prepared" in page.get(reverse("goods-returns")).content
    key = GoodsReturn.objects.get().pk
    for name in ("return-note", "return-labels"):
        assert page.get(reverse(name, args=[key])).content[:5] == b"%PDF-"
    day = {"occurred_on": TODAY.isoformat(), "haulier": "", "key": "d"}
    assert page.post(reverse("despatch-return", args=[key]), day | {"occurred_on": "x"}).status_code == 422
    assert page.post(reverse("despatch-return", args=[key]), day).url == made
    assert "Gate 9" in page.get(reverse("return-xml", args=[key])).content.decode()
    assert page.get(reverse("despatch-return", args=[key])).url == made
    (row,) = return_rows(Asked([stored.nz.pk]))
    assert (row["price"], row["tax"]) == (D("120.85"), D("12.09"))
    there, gone = (
        f"{reverse('goods-returns')}?company={stored.nz.pk}&from={day}" for day in ("2026-01-01", "2999-01-01")
    )
    assert b"RA-5" in page.get(there).content and b"RA-5" not in page.get(gone).content
    assert page.get(f"{reverse('goods-returns')}?company=x&from=never").status_code == 200


def test_units_with_numbers_go_back_by_number(world):
    Item.objects.filter(pk=world.items["A"].pk).update(keeps_serial=True)
    world.order = world.sent_order({"A": D(3)}, ours_from="receipt")
    part = world.order.lines.get().instalments.get()
    row = ReceiveRow(None, D(3), False, instalment=part.pk, serials=("N1", "N2", "N3"))
    receive(world.act("dock"), ReceiveRequest(None, world.site.pk, "DN-1", TODAY, (row,)))
    layer = CostLayer.objects.get(item=world.items["A"], kind="stock")
    for serials, words in (((), "say which go"), (("N9",), "0 of the numbers"), (("N2", "N9"), "N9 is no unit")):
        with pytest.raises(Refused, match=words):
            back(world, units={layer.pk: D(1)}, serials=serials)
    back(world, units={layer.pk: D(1)}, serials=("N2",))
    assert serials_in(layer, "in_store").keys() == {"N1", "N3"}


def test_what_was_issued_stands_there_with_the_way_back(stored, signed_in):
    asked = IssueRequest(stored.site.pk, stored.items["A"].pk, D(10), "shop", TODAY)
    issue_stock(stored.act("dock"), asked)
    page = signed_in("inspector")
    for address in (reverse("set-aside", args=[stored.layer.pk]), f"{reverse('send-back')}?order={stored.order.pk}"):
        content = page.get(address).content.decode()
        assert "Issued units" in content and "shop" in content


def test_goods_of_many_layers_are_sent_back_by_the_worker(stored, signed_in, monkeypatch):
    monkeypatch.setattr(returns, "AT_ONCE", 1)
    page = signed_in("inspector")
    of = f"{reverse('send-back')}?order={stored.order.pk}"
    rows = {f"units-{layer.pk}": layer.received for layer in CostLayer.objects.filter(kind="stock")}
    head = {"reference": "RA-9", "reason": "late", "occurred_on": TODAY.isoformat(), "packages": "1", "key": "b"}
    # What is wrong is said at once, not by the worker.
    wrong = page.post(of, head | rows | {f"units-{stored.layer.pk}": "11"})
    assert wrong.status_code == 422 and not Job.objects.exists()
    begun = page.post(of, head | rows)
    job = Job.objects.get()
    assert begun.url == reverse("job", args=[job.pk]) and not GoodsReturn.objects.exists()
    run(job.pk)
    job.refresh_from_db()
    assert (job.state, job.said) == ("done", "Sent back: KLN-B00001.")
    assert position(stored).returned == 10 and book_faults() == []
    # The worker was killed after it did it: the second run finds it done.
    Job.objects.filter(pk=job.pk).update(state="running")
    run(job.pk)
    assert GoodsReturn.objects.count() == 1


def test_the_very_units_that_were_prepared_are_despatched(world):
    Item.objects.filter(pk=world.items["A"].pk).update(keeps_serial=True)
    world.order = world.sent_order({"A": D(4)}, ours_from="receipt")
    part = world.order.lines.get().instalments.get()
    row = ReceiveRow(None, D(4), False, instalment=part.pk, serials=("N1", "N2", "N3", "N4"))
    receive(world.act("dock"), ReceiveRequest(None, world.site.pk, "DN-1", TODAY, (row,)))
    world.layer = CostLayer.objects.get(item=world.items["A"], kind="stock")
    (made,) = back(world, units={world.layer.pk: D(1)}, serials=("N3",), prepared=True)
    aside(world, 1, serials=("N1",))
    # What stands by does not go with another return.
    (other,) = back(world, reference="RA-2", units={world.layer.pk: D(1)})
    assert serials_in(world.layer, "rejected").keys() == {"N3"} and other != made
    aside(world, 1, serials=("N2",))
    despatch_return(world.act("inspector"), DespatchRequest(made, TODAY))
    assert serials_in(world.layer, "rejected").keys() == {"N2"} and book_faults() == []


def test_of_an_item_only_what_one_may_send_back_goes(stored):
    person = stored.act("inspector").person
    Grant.objects.filter(person=person, company=stored.au).delete()
    order = stored.sent_order({"A": D(6)}, company=stored.au)
    shipment = stored.shipment([order])
    stored.say(shipment, "departure")
    box = ShipmentLine.objects.get(container__shipment=shipment)
    stored.people["dock"].grants.get_or_create(company=stored.au, role="dock")
    rows = (ReceiveRow(box.pk, D(6)),)
    receive(stored.act("dock"), ReceiveRequest(box.container_id, stored.au.sites.get().pk, "DN-9", TODAY, rows))
    back(stored, order=None, item=stored.items["A"].pk)
    assert states(stored.layer) == {}
    theirs = CostLayer.objects.get(company=stored.au, kind="stock")
    assert states(theirs) == {"in_store": 6}
    with pytest.raises(NotAllowed):
        back(stored, order=None, layer=theirs.pk)


def test_some_issued_units_are_set_aside_and_the_others_stay_out(stored):
    issue = issue_stock(
        stored.act("dock"), IssueRequest(stored.layer.site_id, stored.items["A"].pk, D(9), "shop", TODAY)
    )
    case = Claim.objects.get(pk=aside(stored, 2, issue=issue))
    assert states(stored.layer) == {"in_store": 1, "rejected": 2} and case.open_quantity == 2
    assert (position(stored).issued, position(stored).rejected) == (7, 2)
    [again] = StockIssue.objects.filter(reversed_by=None)
    assert (again.quantity, again.purpose, again.occurred_on) == (7, "shop", TODAY)
    assert balance(Account.STOCK_ISSUES) == round(stored.layer.total_cost * 7 / 10, 2)
    assert book_faults() == []
    for change, words in (
        ({"units": 8, "issue": again.pk}, "7 pc of it were issued for shop"),
        ({"units": 1, "issue": issue}, "not issued any more"),
        ({"units": 1, "issue": again.pk, "reason": " "}, "what is wrong"),
    ):
        with pytest.raises(Refused, match=words):
            aside(stored, **change)
    assert StockIssue.objects.filter(reversed_by=None).get() == again
