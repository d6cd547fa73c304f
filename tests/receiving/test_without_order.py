"""Goods without an order, more than allowed, another item, and what is short: the dock takes in, the buyer decides."""

from dataclasses import replace
from unittest.mock import patch

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from northing.actions.inventory.adjust import AdjustRequest, adjust_stock
from northing.actions.inventory.issue import IssueRequest, issue_stock
from northing.actions.orders import cancel
from northing.actions.receiving import answer_short, held_goods, tie
from northing.actions.receiving import reverse as reversing
from northing.actions.receiving.correct import CorrectRequest, correct_receipt
from northing.actions.receiving.receive import Papers, ReceiveRequest, ReceiveRow, receive
from northing.actions.receiving.shipment import ShipmentReceipt, receive_shipment
from northing.actions.receiving.trial import try_receipt
from northing.actions.reversal import ReverseRequest
from northing.actions.shipping import pack
from northing.activity.models import Document
from northing.core.problems import Refused
from northing.inventory.models import OnHand, SerialNumber, StockCount
from northing.ledger.models import CostLayer
from northing.masterdata.models import Bin, Company, Pack, Party
from northing.orders.models import Instalment, PurchaseOrder
from northing.receiving.models import HeldDecision, Receipt, ReceiptLine, ShortQuestion
from northing.worklist.models import LineSummary, Matter
from tests.worlds import CONTAINERS, TODAY, D

GTIN = "09521000000001"


@pytest.fixture
def alone(world):
    """Six of A came from a supplier without an order, and were held."""
    world.order = world.sent_order({"A": D(10)}, ours_from="receipt")
    world.part = Instalment.objects.get(line__order=world.order)
    world.supplier = world.parties["USD"]
    world.made = receive(world.act("dock"), unordered(world, ReceiveRow(None, D(6), item=world.items["A"].pk)))
    return world


def unordered(world, *rows, note="DN-1", reason="by telephone", **more):
    head = (None, world.site.pk, note, TODAY, rows)
    return ReceiveRequest(*head, supplier=world.parties["USD"].pk, reason=reason, **more)


def counted(world, quantity, *, note="DN-2", accept=False, **said):
    part = Instalment.objects.filter(line__order=world.order).latest("pk")
    rows = (ReceiveRow(None, D(quantity), instalment=part.pk, **said),)
    return ReceiveRequest(None, world.site.pk, note, TODAY, rows, accept)


def layer_of(receipt):
    return CostLayer.objects.get(receipt_line__receipt=receipt, kind="stock")


def on_hand(**where):
    rows = OnHand.objects.filter(quantity__gt=0, **where).order_by("pk")
    return [(row.bin.purpose, row.status, row.quantity) for row in rows.select_related("bin")]


def what_is_wrong(refused):
    return [problem.what for problem in refused.value.problems]


def test_held_goods_wait_on_the_watch_and_are_worth_nothing(alone):
    layer = layer_of(alone.made)
    assert on_hand() == [("quarantine", "held", D(6))] and layer.total_cost == 0
    matter = Matter.objects.get(kind="case", record=layer.cases.get().pk)
    assert (matter.party, matter.reason) == ("us", "held, no order: tie, send back or keep")


def test_the_stricter_rule_of_site_and_supplier_holds(world):
    row = ReceiveRow(None, D(1), item=world.items["A"].pk)
    for site, supplier, reason, wrong in (
        ("allowed", "with_reason", "", ["Say why there is no order."]),
        ("never", "allowed", "x", [f"{world.site} takes in nothing without an order."]),
        ("allowed", "never", "x", [f"{world.parties['USD']} delivers on orders only."]),
    ):
        type(world.site).objects.update(without_order=site)
        Party.objects.update(without_order=supplier)
        with pytest.raises(Refused) as refused:
            receive(world.act("dock"), unordered(world, row, reason=reason))
        assert what_is_wrong(refused) == wrong
    type(world.site).objects.update(without_order="allowed")
    Party.objects.update(without_order="allowed")
    assert receive(world.act("dock"), unordered(world, row, reason=""))


def held_without_order(alone, units):
    """Units of A that nobody ordered; their layer."""
    rows = (ReceiveRow(None, D(units), item=alone.items["A"].pk),)
    asked = ReceiveRequest(None, alone.site.pk, "DN-5", TODAY, rows, supplier=alone.parties["USD"].pk, reason="phone")
    return CostLayer.objects.get(receipt_line__receipt=receive(alone.act("dock"), asked))


def test_goods_on_several_pallets_are_ordered_together(alone, signed_in):
    rows = tuple(ReceiveRow(None, D(6), item=alone.items["A"].pk, lot=lot) for lot in ("L1", "L2"))
    head = (None, alone.site.pk, "DN-5", TODAY, rows)
    made = receive(alone.act("dock"), ReceiveRequest(*head, supplier=alone.parties["USD"].pk, reason="phone"))
    address, desk = (
        reverse("held", args=[CostLayer.objects.filter(receipt_line__receipt=made).first().pk]),
        signed_in("expediter"),
    )
    assert desk.get(address).context["order_form"]["ordered"].value() == "12"
    assert desk.post(address, {"key": "k", "ordered": "12", "price": ""}).status_code == 302
    assert not on_hand(status="held", layer__receipt_line__receipt=made)


def test_held_goods_are_ordered_and_received_in_one_act(alone, signed_in):
    layer, desk = held_without_order(alone, 12), signed_in("expediter")
    address = reverse("held", args=[layer.pk])
    assert desk.get(address).context["order_form"]["ordered"].value() == "12"
    answer = desk.post(address, {"key": "k", "ordered": "12", "price": ""})
    made = Receipt.objects.latest("pk")
    assert answer.url == reverse("receipt", args=[made.pk]) and made.ties_id
    line = made.lines.get().instalment.line
    summary = LineSummary.objects.get(line=line)
    assert (summary.ordered, summary.in_store, line.order.sent_at is not None) == (12, 12, True)
    assert line.order.reference.startswith("came as ")
    again = desk.post(address, {"key": "k2", "ordered": "12", "price": ""})
    assert again.status_code == 422 and b"Nothing of it is held any more" in again.content


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        ({"ordered": "13"}, "Only 12 are held"),
        ({"ordered": "0"}, "must be above"),
        ({"ordered": "x"}, "Write a plain number"),
        ({"ordered": "12", "price": "-1"}, "price"),
    ],
)
def test_an_order_of_held_goods_that_cannot_be_leaves_nothing(alone, signed_in, asked, words):
    layer, desk = held_without_order(alone, 12), signed_in("expediter")
    before = PurchaseOrder.objects.count(), Receipt.objects.count()
    answer = desk.post(reverse("held", args=[layer.pk]), {"key": "k", "price": ""} | asked)
    assert answer.status_code == 422 and words in answer.content.decode()
    assert (PurchaseOrder.objects.count(), Receipt.objects.count()) == before


def test_an_order_of_held_goods_above_the_amount_waits_for_a_second_person(alone, signed_in):
    layer, desk = held_without_order(alone, 12), signed_in("expediter")
    alone.ask_second_person(D(1))
    orders = PurchaseOrder.objects.count()
    answer = desk.post(reverse("held", args=[layer.pk]), {"key": "k", "ordered": "12", "price": ""})
    assert b"is not sent by you alone" in answer.content and PurchaseOrder.objects.count() == orders


def test_tied_in_parts_and_untied_again(alone):
    line = alone.part.line_id
    request = tie.TieRequest(alone.made, line, TODAY, D(4))
    with pytest.raises(Refused):
        tie.tie(alone.act("dock"), request)
    tied = tie.tie(alone.act("expediter"), request)
    summary = LineSummary.objects.get(pk=line)
    assert (summary.in_store, summary.with_supplier, summary.unbilled) == (4, 6, 4)
    assert sorted(on_hand()) == [("quarantine", "held", D(2)), ("quarantine", "in_store", D(4))]
    with pytest.raises(Refused) as refused:
        reversing.reverse_receipt(alone.act("dock"), ReverseRequest(alone.made, "why"))
    assert what_is_wrong(refused) == [f"4 pc of A were tied: {alone.order.number}/1."]
    reversing.reverse_receipt(alone.act("dock"), ReverseRequest(tied, "why"))
    assert on_hand() == [("quarantine", "held", D(6))] and LineSummary.objects.get(pk=line).with_supplier == 10
    reversing.reverse_receipt(alone.act("dock"), ReverseRequest(alone.made, "why"))
    assert on_hand() == [] and not Matter.objects.filter(kind="layer").exists()


@pytest.mark.parametrize(
    ("change", "wrong"),
    [
        ({"quantity": D(7)}, ["Only 6 are held."]),
        ({"quantity": D(0)}, ["Only 0 are held."]),
        ({"order_line": 0}, ["This line is of no order of the company."]),
    ],
)
def test_a_tie_that_cannot_be(alone, change, wrong):
    asked = {"receipt": alone.made, "order_line": alone.part.line_id, "occurred_on": TODAY} | change
    with pytest.raises(Refused) as refused:
        tie.tie(alone.act("expediter"), tie.TieRequest(**asked))
    assert what_is_wrong(refused) == wrong


def test_a_tie_beyond_tolerance_is_asked(alone):
    receive(alone.act("dock"), counted(alone, 7, still_coming=True))
    request = tie.TieRequest(alone.made, alone.part.line_id, TODAY)
    with pytest.raises(Refused) as refused:
        tie.tie(alone.act("expediter"), request)
    assert [problem.strength for problem in refused.value.problems] == ["ask"]
    tie.tie(alone.act("expediter"), tie.TieRequest(alone.made, alone.part.line_id, TODAY, accept=True))
    assert LineSummary.objects.get(pk=alone.part.line_id).excess == 3


@pytest.mark.parametrize(("way", "there"), [("sent back", []), ("kept", [("quarantine", "in_store", D(6))])])
def test_sent_back_or_kept_and_undone(alone, way, there):
    layer = layer_of(alone.made)
    ended = held_goods.end_held_goods(
        alone.act("expediter"), held_goods.EndRequest(layer.pk, way, D(6), "their letter", TODAY)
    )
    assert on_hand() == there and not Matter.objects.filter(kind="layer").exists()
    held_goods.reverse_end(alone.act("expediter"), ReverseRequest(ended, "why"))
    assert on_hand() == [("quarantine", "held", D(6))] and HeldDecision.objects.get().reversed_by is not None


def test_more_than_allowed_is_held_or_accepted_by_who_may(alone):
    with pytest.raises(Refused) as refused:
        receive(alone.act("dock"), counted(alone, 12))
    assert [problem.strength for problem in refused.value.problems] == ["block"]
    receive(alone.act("dock"), counted(alone, 12, hold=True))
    held = ReceiptLine.objects.get(why="excess")
    assert (held.quantity, held.stands_for_id) == (2, alone.part.line_id)
    assert LineSummary.objects.get(pk=alone.part.line_id).in_store == 10


def test_another_item_is_held_and_the_ordered_one_stays_expected(alone):
    box = counted(alone, 4, still_coming=True)
    other = ReceiveRow(None, D(3), item=alone.items["C"].pk, stands_for=alone.part.line_id)
    receive(alone.act("dock"), ReceiveRequest(*(None, alone.site.pk, "DN-3", TODAY, (*box.rows, other))))
    held = ReceiptLine.objects.get(why="other item")
    assert (held.item.code, held.supplier, held.quantity) == ("C", alone.supplier, 3)
    assert LineSummary.objects.get(pk=alone.part.line_id).outstanding == 6


def test_short_within_tolerance_is_the_docks_and_beyond_it_the_buyers(alone):
    Company.objects.update(under_tolerance=D(10))
    receive(alone.act("dock"), counted(alone, 8, still_coming=False))
    question = ShortQuestion.objects.get()
    assert (question.quantity, question.short, question.allowed) == (2, 20, 10)
    matter = Matter.objects.get(kind="short")
    assert (matter.record, matter.person, matter.at_stake > 0) == (question.pk, alone.order.buyer, True)
    assert LineSummary.objects.get(pk=alone.part.line_id).outstanding == 2
    receive(alone.act("dock"), counted(alone, 1, still_coming=False, note="DN-3"))
    question.refresh_from_db()
    assert question.answer == "settled" and LineSummary.objects.get(pk=alone.part.line_id).dropped == 1
    assert not Matter.objects.filter(kind="short").exists()


def test_the_item_goes_before_the_supplier_and_the_supplier_before_the_company(alone):
    Company.objects.update(under_tolerance=D(0))
    Party.objects.update(under_tolerance=D(10))
    type(alone.items["A"]).objects.update(under_tolerance=D(30))
    receive(alone.act("dock"), counted(alone, 7, still_coming=False))
    assert not ShortQuestion.objects.exists() and LineSummary.objects.get(pk=alone.part.line_id).dropped == 3


@pytest.mark.parametrize("no_more", [True, False])
def test_the_buyers_answer(alone, no_more):
    Company.objects.update(under_tolerance=D(10))
    short = receive(alone.act("dock"), counted(alone, 5, still_coming=False))
    asked = answer_short.ShortAnswer(ShortQuestion.objects.get().pk, no_more)
    with pytest.raises(Refused):
        answer_short.answer_short(alone.act("dock"), asked)
    answer_short.answer_short(alone.act("expediter"), asked)
    summary = LineSummary.objects.get(pk=alone.part.line_id)
    assert (summary.dropped, summary.outstanding) == ((5, 0) if no_more else (0, 5))
    assert not Matter.objects.filter(kind="short").exists()
    with pytest.raises(Refused) as refused:
        answer_short.answer_short(alone.act("expediter"), asked)
    assert what_is_wrong(refused) == ["This question is answered already."]
    if not no_more:
        reversing.reverse_receipt(alone.act("dock"), ReverseRequest(short, "why"))
        assert LineSummary.objects.get(pk=alone.part.line_id).outstanding == 10


def test_a_reversed_receipt_takes_its_question_along(alone):
    Company.objects.update(under_tolerance=D(10))
    short = receive(alone.act("dock"), counted(alone, 0, still_coming=False))
    assert Matter.objects.filter(kind="short").exists()
    reversing.reverse_receipt(alone.act("dock"), ReverseRequest(short, "why"))
    assert not Matter.objects.filter(kind="short").exists() and ShortQuestion.objects.get().answer == "settled"


def test_damaged_units_are_held_apart_at_once(alone):
    good = counted(alone, 8)
    bad = ReceiveRow(None, D(2), instalment=alone.part.pk, condition="damaged")
    receive(alone.act("dock"), ReceiveRequest(None, alone.site.pk, "DN-4", TODAY, (*good.rows, bad)))
    assert ("quarantine", "rejected", D(2)) in on_hand(layer__receipt_line__condition="damaged")
    store = Bin.objects.filter(site=alone.site, purpose="store").first()
    wrong = ReceiveRow(None, D(1), instalment=alone.part.pk, condition="damaged", bin=store.pk)
    with pytest.raises(Refused) as refused:
        receive(alone.act("dock"), ReceiveRequest(None, alone.site.pk, "DN-5", TODAY, (wrong,), True))
    assert "Damaged goods are held apart." in what_is_wrong(refused)


def test_a_trial_says_all_and_saves_nothing(alone):
    before = Receipt.objects.count(), OnHand.objects.count()
    trial = try_receipt(alone.act("dock"), counted(alone, 10))
    assert (Receipt.objects.count(), OnHand.objects.count()) == before
    (change,) = trial.stock
    assert (change.item.code, change.store, change.held) == ("A", (D(0), D(10)), (D(6), D(6)))
    assert [(one.received, one.outstanding) for one in trial.lines] == [(10, 0)]


def test_the_papers_stand_on_the_receipt(alone):
    papers = Papers("B-7", "Fernside Haulage", "LKW 12", "S-1", "two cartons wet")
    row = ReceiveRow(None, D(1), item=alone.items["A"].pk)
    made = Receipt.objects.get(pk=receive(alone.act("dock"), unordered(alone, row, note="DN-8", papers=papers)))
    assert (made.supplier_bill, made.haulier, made.vehicle, made.seal) == ("B-7", "Fernside Haulage", "LKW 12", "S-1")
    assert made.remark == "by telephone. two cartons wet"


def test_pages_from_the_dock_to_the_tie(alone, signed_in):
    Pack.objects.create(item=alone.items["A"], name="carton", factor=6, gtin=GTIN)
    url = reverse("receive-unordered", args=[alone.site.pk])
    form = {"key": "k", "delivery_note": "DN-9", "occurred_on": TODAY, "supplier": alone.supplier.pk, "others": 1}
    form |= {"reason": "by mail", "scans": f"(01){GTIN}(37)1"}
    tried = signed_in("dock").post(url, form | {"check": ""})
    assert tried.status_code == 200 and tried.context["trial"].stock[0].held == (D(6), D(12))
    assert [one.words for one in tried.context["fitting"]] == ["has room for all of it"]
    made = signed_in("dock").post(url, form)
    receipt = Receipt.objects.latest("pk")
    assert made.status_code == 302 and made.url == reverse("receipt", args=[receipt.pk])
    layer = layer_of(receipt)
    assert reverse("held", args=[layer.pk]) in signed_in("expediter").get(made.url).content.decode()
    assert reverse("held", args=[layer.pk]) not in signed_in("dock").get(made.url).content.decode()
    tied = signed_in("expediter").post(reverse("held", args=[layer.pk]), {"key": "t", "order_line": alone.part.line_id})
    assert tied.status_code == 302 and Receipt.objects.latest("pk").ties == receipt
    for page in ("receipt-labels", "receipt-paper"):
        answer = signed_in("dock").get(reverse(page, args=[receipt.pk]))
        assert answer.status_code == 200 and answer.content.startswith(b"%PDF")
    with patch("northing.reports.labels.to_pdf", return_value=b"") as printed:
        signed_in("dock").get(reverse("receipt-labels", args=[receipt.pk]))
    assert printed.call_args.args[1]["again"] and receipt.printed_labels.times == 2


def test_what_is_wrong_stands_beside_its_field(alone, signed_in):
    form = {"key": "k", "delivery_note": "DN-9", "occurred_on": TODAY, "supplier": alone.supplier.pk, "others": 2}
    form |= {"item-u1": "NOPE", "row-u1": "1", "item-u2": "A", "scans": "rubbish"}
    page = signed_in("dock").post(reverse("receive-unordered", args=[alone.site.pk]), form)
    assert page.status_code == 422
    assert set(page.context["form"].errors) == {"item-u1", "row-u2"}


def test_a_bin_of_many_is_typed(alone, signed_in):
    Bin.objects.bulk_create(Bin(site=alone.site, code=f"T-{n:03d}", purpose="store") for n in range(60))
    url, end = reverse("receive-order", args=[alone.part.line.order_id]), f"i{alone.part.pk}"
    page = signed_in("dock").get(url).content.decode()
    assert page.count("<option") < 120 and '<datalist id="bins">' in page
    form = {"key": "k", "delivery_note": "DN-9", "occurred_on": TODAY, f"row-{end}": "1", f"short-{end}": "still"}
    wrong = signed_in("dock").post(url, form | {f"bin-{end}": "T-999"})
    assert "T-999 is no bin of this site" in wrong.context["form"].errors[f"bin-{end}"][0]
    assert 'value="T-999"' in wrong.content.decode()
    assert signed_in("dock").post(url, form | {f"bin-{end}": "t-017"}).status_code == 302
    assert ReceiptLine.objects.latest("pk").bin.code == "T-017"


def test_pictures_go_with_the_receipt_each_once(alone, signed_in, settings, tmp_path):
    settings.FILES = tmp_path
    url, sign = reverse("receive-unordered", args=[alone.site.pk]), b"\x89PNG\r\n\x1a\n"
    form = {"key": "k", "delivery_note": "DN-9", "occurred_on": TODAY, "supplier": alone.supplier.pk, "others": 1}
    form |= {"item-u1": "A", "row-u1": "1", "reason": "by mail"}

    def sent(*contents):
        files = [SimpleUploadedFile(f"{place}.png", content) for place, content in enumerate(contents)]
        return signed_in("dock").post(url, form | {"pictures": files})

    for contents, words in (([sign] * 13, "At most 12"), ([b"no"], "0.png is no picture"), ([sign, b""], "empty")):
        refused = sent(*contents)
        assert refused.status_code == 422 and words in refused.context["form"].errors["pictures"][0]
    before = Receipt.objects.count()
    for _ in range(2):
        assert sent(sign + b"one", sign + b"two").status_code == 302
    assert Receipt.objects.count() == before + 1
    kept = Document.objects.filter(kind="receipt", record=Receipt.objects.latest("pk").pk)
    assert sorted(kept.values_list("name", flat=True)) == ["0.png", "1.png"]


def test_a_scan_is_answered_at_once_in_words(alone, signed_in):
    Pack.objects.create(item=alone.items["A"], name="carton", factor=6, gtin=GTIN)
    asked = {"site": alone.site.pk, "order": alone.order.pk, "scan": f"(01){GTIN}(37)1", "times": 2}
    answer = signed_in("dock").post(reverse("scan"), asked)
    words = f"2 × 6 pc {alone.items['A'].description}, for {alone.order.number} line 1"
    assert answer.json() == {
        "words": words,
        "parts": {f"i{alone.part.pk}": "12"},
        "bin": None,
        "held": False,
        "mind": "",
    }
    wrong = signed_in("dock").post(reverse("scan"), asked | {"scan": "(01)09521000000002"})
    assert wrong.status_code == 422 and wrong.json()["wrong"].startswith("GTIN 09521000000002: the check digit")
    assert signed_in("dock").post(reverse("scan"), asked | {"site": 0}).status_code == 404
    theirs = alone.sent_order({"A": D(5)}, company=alone.au)
    blind = signed_in("dock").post(reverse("scan"), asked | {"order": theirs.pk}).json()
    assert blind["held"] and theirs.number not in blind["words"]


def test_the_short_page_closes_the_rest(alone, signed_in):
    Company.objects.update(under_tolerance=D(10))
    receive(alone.act("dock"), counted(alone, 5, still_coming=False))
    url = reverse("short", args=[ShortQuestion.objects.get().pk])
    assert "5 pc of A short: 50 %, allowed 10 %" in signed_in("expediter").get(url).content.decode()
    answer = signed_in("expediter").post(url, {"key": "k", "no_more": ""})
    assert answer.status_code == 302 and LineSummary.objects.get(pk=alone.part.line_id).dropped == 5


def test_a_remark_on_a_receipt_is_found(alone, signed_in):
    receipt = Receipt.objects.get(pk=alone.made)
    signed_in("dock").post(reverse("remark", args=["receipt", receipt.pk]), {"key": "r", "words": "left in the rain"})
    page = signed_in("dock").get(reverse("dock"), {"q": "rain"})
    assert [one.pk for one in page.context["receipts"].rows] == [receipt.pk]


def test_every_page_knows_goods_without_an_order(alone, signed_in):
    layer, receipt = layer_of(alone.made), Receipt.objects.get(pk=alone.made)
    for url in (
        reverse("layer", args=[layer.pk]),
        reverse("item", args=[layer.item_id]),
        reverse("entry", args=[receipt.entry_id]),
        reverse("held", args=[layer.pk]),
        reverse("move-goods", args=[layer.pk]),
        *(reverse(name) for name in ("stock", "quality", "receipts", "dock", "watch", "find")),
        f"{reverse('receipts')}?as=csv&q=A",
        f"{reverse('find')}?q={receipt.number}",
    ):
        assert signed_in("dock").get(url).status_code in (200, 302), url
    assert signed_in("inspector").get(reverse("inspect", args=[layer.pk])).url == reverse("held", args=[layer.pk])
    assert not signed_in("inspector").get(reverse("quality")).context["held"].rows
    assert [one["supplier"] for one in signed_in("dock").get(reverse("receipts")).context["lines"]] == ["Supplier USD"]


def test_counted_on_a_page_and_undone(alone, signed_in):
    receive(alone.act("dock"), counted(alone, 10))
    bin = Bin.objects.filter(site=alone.site, purpose="store").first()
    url = reverse("adjust-stock", args=[alone.items["A"].pk])
    form = {"key": "c", "bin": bin.pk, "counted": "9", "reason": "stock take", "occurred_on": TODAY}
    assert signed_in("dock").post(url, form).status_code == 302
    assert on_hand(status="in_store") == [("store", "in_store", D(9))]
    count = StockCount.objects.get()
    assert signed_in("dock").post(reverse("reverse-adjustment", args=[count.pk]), {"key": "u", "reason": "no"}).url
    assert on_hand(status="in_store") == [("store", "in_store", D(10))]
    assert signed_in("expediter").post(url, form | {"key": "d"}).status_code == 403


def test_a_quantity_is_corrected_in_one_act(alone, signed_in):
    first = receive(alone.act("dock"), counted(alone, 10))
    line = ReceiptLine.objects.get(receipt=first)
    form = {"key": "c", "quantity": "8", "rest": "coming", "reason": "two too many"}
    url = reverse("correct-receipt", args=[line.pk])
    made = signed_in("dock").post(url, form)
    again = Receipt.objects.latest("pk")
    assert made.url == reverse("receipt", args=[again.pk]) and Receipt.objects.get(pk=first).reversed_by
    assert (again.delivery_note, again.occurred_on) == ("DN-2", TODAY)
    summary = LineSummary.objects.get(pk=alone.part.line_id)
    assert (summary.in_store, summary.outstanding) == (8, 2)
    assert signed_in("dock").post(url, form | {"key": "d"}).status_code == 404
    held = ReceiptLine.objects.get(receipt=alone.made)
    assert signed_in("dock").post(reverse("correct-receipt", args=[held.pk]), form | {"key": "e", "quantity": "5"})
    assert on_hand(status="held") == [("quarantine", "held", D(5))]


def test_a_receipt_that_later_facts_stand_on_is_not_corrected(alone):
    receive(alone.act("dock"), counted(alone, 10))
    issue_stock(alone.act("dock"), IssueRequest(alone.site.pk, alone.items["A"].pk, D(3), "shops", TODAY))
    line = ReceiptLine.objects.get(instalment=alone.part)
    with pytest.raises(Refused) as refused:
        correct_receipt(alone.act("dock"), CorrectRequest(line.pk, D(8), "two too many"))
    assert what_is_wrong(refused) == ["3 pc of A have left stock since, for shops."]
    assert Receipt.objects.filter(reversed_by=None).count() == 2


def test_several_orders_of_a_supplier_under_one_note(alone, signed_in):
    other = alone.sent_order({"A": D(5), "C": D(2)}, ours_from="receipt")
    url = reverse("receive-supplier", args=[alone.supplier.pk, alone.site.pk])
    page = signed_in("dock").get(url)
    assert [part.line.order.number for part in page.context["parts"]] == [alone.order.number, *[other.number] * 2]
    form = {"key": "k", "delivery_note": "DN-7", "occurred_on": TODAY, "scans": "A *12", "all": ""}
    made = signed_in("dock").post(url, form | {f"short-i{page.context['parts'][1].instalment}": "still"})
    receipt = Receipt.objects.latest("pk")
    assert made.url == reverse("receipt", args=[receipt.pk])
    lines = receipt.lines.order_by("pk").values_list("instalment__line__order__number", "item__code", "quantity")
    assert set(lines) == {(other.number, "C", D(2)), (alone.order.number, "A", D(10)), (other.number, "A", D(2))}


def test_a_whole_shipment_in_one_act(world, signed_in):
    order = world.sent_order({"A": D(10), "C": D(4)})
    shipment = world.shipment([order])
    second = pack.add_container(world.act("shipping"), pack.ContainerRequest(shipment.pk, CONTAINERS[1], "22G1"))
    part = world.sent_order({"C": D(3)}).lines.get().instalments.get()
    pack.stow(world.act("shipping"), pack.StowRequest(second, ((part.pk, D(3)),)))
    url = reverse("receive-shipment", args=[shipment.pk, world.site.pk])
    box = reverse("receive", args=[second, world.site.pk])
    assert url in signed_in("dock").get(box).content.decode()
    made = signed_in("dock").post(url, {"key": "k", "delivery_note": "DN-1", "occurred_on": TODAY})
    if made.status_code == 422:  # goods from abroad are asked about
        made = signed_in("dock").post(url, {"key": "k2", "delivery_note": "DN-1", "occurred_on": TODAY, "accept": ""})
    assert made.status_code == 302 and Receipt.objects.count() == 2
    assert set(LineSummary.objects.values_list("outstanding", flat=True)) == {D(0)}
    again = signed_in("dock").post(url, {"key": "m", "delivery_note": "DN-1", "occurred_on": TODAY, "accept": ""})
    assert again.status_code == 422 and "any more" in again.content.decode()


def test_a_shipment_whose_goods_keep_lots_is_refused_whole(world):
    type(world.items["C"]).objects.filter(code="C").update(keeps_lot=True)
    shipment = world.shipment([world.sent_order({"A": D(10)}), world.sent_order({"C": D(4)})])
    request = ShipmentReceipt(shipment.pk, world.site.pk, "DN-1", TODAY, accept=True)
    with pytest.raises(Refused) as refused:
        receive_shipment(world.act("dock"), request)
    assert what_is_wrong(refused) == [f"{CONTAINERS[0]}: C keeps lots: the lot is missing."]
    assert not Receipt.objects.exists()


def test_a_bin_is_proposed_where_most_of_the_item_lies(alone, signed_in):
    bins = [Bin.objects.create(site=alone.site, code=f"Z-{number}", purpose="store") for number in (1, 2)]
    for note, units, bin in (("DN-2", 2, bins[0]), ("DN-3", 5, bins[1])):
        receive(alone.act("dock"), counted(alone, units, note=note, still_coming=True, bin=bin.pk))
    page = signed_in("dock").get(reverse("receive-order", args=[alone.order.pk]))
    assert page.context["form"][f"bin-i{alone.part.pk}"].initial == str(bins[1].pk)


def test_a_rest_that_is_cut_from_the_order_asks_nothing_any_more(alone):
    Company.objects.update(under_tolerance=D(10))
    receive(alone.act("dock"), counted(alone, 5, still_coming=False))
    assert Matter.objects.filter(kind="short").exists()
    cancel.cancel(alone.act("buyer"), cancel.StopRequest(alone.order.pk))
    assert not Matter.objects.filter(kind="short").exists()
    question = ShortQuestion.objects.get()
    answer_short.answer_short(alone.act("expediter"), answer_short.ShortAnswer(question.pk, True))
    question.refresh_from_db()
    assert question.answer == "settled"


def test_a_correction_speaks_for_all_rows_of_its_part(alone):
    rows = [
        ReceiveRow(None, D(units), True, instalment=alone.part.pk, lot=lot) for units, lot in ((6, "L1"), (4, "L2"))
    ]
    made = receive(alone.act("dock"), ReceiveRequest(None, alone.site.pk, "DN-2", TODAY, tuple(rows)))
    first = ReceiptLine.objects.filter(receipt=made).first()
    correct_receipt(alone.act("dock"), CorrectRequest(first.pk, D(5), "one too many", still_coming=False))
    summary = LineSummary.objects.get(pk=alone.part.line_id)
    assert (summary.in_store, summary.dropped, summary.outstanding) == (9, 1, 0)


def test_an_excess_stays_one_when_its_receipt_is_corrected(alone):
    made = receive(alone.act("dock"), counted(alone, 12, hold=True))
    line = ReceiptLine.objects.get(receipt=made, why="")
    again = correct_receipt(alone.act("dock"), CorrectRequest(line.pk, D(9), "one too many"))
    held = ReceiptLine.objects.exclude(why="").get(receipt=again)
    assert (held.why, held.quantity, held.stands_for_id) == ("excess", 2, alone.part.line_id)


def test_numbered_units_end_by_name_and_strange_numbers_are_refused(alone):
    type(alone.items["A"]).objects.filter(code="A").update(keeps_serial=True)
    row = ReceiveRow(None, D(3), item=alone.items["A"].pk, serials=("K1", "K2", "K3"))
    layer = layer_of(receive(alone.act("dock"), unordered(alone, row, note="DN-2")))
    end = held_goods.EndRequest(layer.pk, "kept", D(1), "sample", TODAY)
    with pytest.raises(Refused) as refused:
        held_goods.end_held_goods(alone.act("expediter"), end)
    assert what_is_wrong(refused) == ["These units have serial numbers: say which 1 of the 3 go."]
    held_goods.end_held_goods(alone.act("expediter"), replace(end, serials=("K2",)))
    kept = SerialNumber.objects.get(number="K2")
    assert (kept.status, SerialNumber.objects.filter(status="held").count()) == ("in_store", 2)
    count = AdjustRequest(kept.bin_id, alone.items["A"].pk, "", D(0), "lost", TODAY, ("K9",))
    with pytest.raises(Refused) as refused:
        adjust_stock(alone.act("dock"), count)
    assert what_is_wrong(refused) == ["Serial number K9 does not lie there."]
    adjust_stock(alone.act("dock"), replace(count, serials=("K2",)))
    assert SerialNumber.objects.get(number="K2").bin is None
