"""Despatch notices: judged against what was agreed, taken in one act, and refused where they cannot be meant."""

from dataclasses import replace
from datetime import date, timedelta
from decimal import Decimal as D
from unittest.mock import patch

import pytest

from northing.access.acts import Act
from northing.actions.confirmations import supplier_links
from northing.actions.receiving.scans import Context, Scanned, goods_of
from northing.actions.shipping import despatch_notices, required_documents
from northing.actions.shipping import load as load_action
from northing.actions.worklist.proof import move_faults
from northing.core.problems import NotAllowed, Refused
from northing.formats.despatch import Line, Notice
from northing.masterdata.models import Company, Pack, Party
from northing.reports.labels import notice_labels
from northing.reports.packing_list import packed_rows
from northing.reports.proofs import position_faults
from northing.reports.readiness import readiness_of
from northing.shipping.models import Container, DespatchNotice, HandlingUnit, RequiredDocument, Shipment, ShipmentLine
from northing.web.worklist.words import name_all
from northing.worklist.models import Matter
from tests.worlds import CONTAINERS, NOW, TODAY

ONE, TWO = CONTAINERS
SSCC = "106141412345678908"
DAY = timedelta(days=1)


@pytest.fixture
def orders(world):
    """100 kettles and 300 infusers of the dollar supplier, 50 cups of the euro supplier."""
    return world.sent_order({"A": D(100), "C": D(300)}), world.sent_order({"B": D(50)})


def line(order, quantity, item="", number="", box=ONE, **more):
    return Line(1, order if isinstance(order, str) else order.number, number, item, D(quantity), box, **more)


def read(world, *lines, who="shipping", supplier=None, **more):
    rows = tuple(replace(one, number=place) for place, one in enumerate(lines, 2))
    notice = replace(Notice("PL-1", rows, TODAY + 60 * DAY), **more)
    return despatch_notices.read(world.act(who), despatch_notices.NoticeRequest(notice, supplier))


def judged(world, key):
    found = despatch_notices.judge(DespatchNotice.objects.get(pk=key), {world.nz.pk, world.au.pk})
    return [(one.state, "; ".join(one.says)) for one in found]


def test_matches_differences_unknown_and_wrong(world, orders):
    Pack.objects.filter(item__code="C").update(gtin="09521000000124")
    dollars, euros = orders
    unagreed = world.sent_order({"A": D(10)}, agreed=False)
    key = read(
        world,
        line(dollars, 100, number="1"),
        line(dollars, 310, item="9521000000124"),
        line("kln-00001", 1, item="B"),
        line(unagreed, 10, item="a"),
        line(euros, 5, item="B"),
        line("KLN-77777", 5, number="1"),
        line(euros, "0.5", number="1", box="QXNU1000011"),
        supplier=world.parties["USD"].pk,
    )
    assert judged(world, key) == [
        ("matches", ""),
        ("differs", "10 pc more than are still with the supplier"),
        ("unknown", "no sent order kln-00001 with B"),
        ("differs", "not agreed yet"),
        ("wrong", "KLN-00002 is an order to Supplier EUR"),
        ("unknown", "no sent order KLN-77777 with line 1"),
        (
            "wrong",
            "KLN-00002 is an order to Supplier EUR; B is counted in whole pc; QXNU1000011: the check digit is wrong; "
            "for these letters and digits it would be 5.",
        ),
    ]


def take(world, key, who="shipping", **more):
    return despatch_notices.take(world.act(who), despatch_notices.TakeRequest(key, **more))


def test_taken_into_a_new_shipment_with_its_pallets(world, orders):
    dollars, euros = orders
    key = read(
        world,
        line(dollars, 60, number="1", seal="S1", size_type="22G1", sscc=SSCC),
        line(dollars, 40, number="1", box=TWO),
        line(euros, 50, item="B", box=""),
        document="BL 9",
    )
    assert Matter.objects.get(kind="notice").party == "us"
    done = take(world, key, route="Ningbo to TRG")
    made = Shipment.objects.get(pk=done["shipment"])
    held = ShipmentLine.objects.values_list("container__number", "instalment__line__item__code", "quantity")
    assert sorted((box, item, int(count)) for box, item, count in held) == [
        ("PACKAGES", "B", 50), (ONE, "A", 60), (TWO, "A", 40),
    ]  # fmt: skip
    assert (made.document, made.legs.count()) == ("BL 9", 3)
    assert (Container.objects.get(number=ONE).seal, Container.objects.get(number=TWO).size_type) == ("S1", "45G1")
    rows = [(row.container, row.sscc, int(row.quantity)) for row in packed_rows(made, {world.nz.pk})]
    assert rows == [("PACKAGES", "", 50), (ONE, SSCC, 60), (TWO, "", 40)]
    assert not Matter.objects.filter(kind="notice").exists()
    assert (position_faults(), move_faults()) == ([], [])
    with pytest.raises(Refused, match="is taken already"):
        take(world, key)


def test_one_scan_of_an_announced_pallet_says_its_lots_and_days(world, orders):
    Pack.objects.filter(item__code="A").update(gtin="09521000000124")
    lots = {"number": "1", "sscc": SSCC, "best_before": date(2027, 11, 30)}
    rows = [line(orders[0], units, lot=lot, **lots) for units, lot in ((60, "L1"), (30, "L2"), (10, "L1"))]
    key = read(world, *rows)
    notice = DespatchNotice.objects.get(pk=key)
    with patch("northing.reports.labels.to_pdf") as printed:
        notice_labels(notice, notice.lines.select_related("order_line__item"), copies=2)
    label, twin = printed.call_args.args[1]["labels"]
    assert (label.big, label.facts[0], twin) == (SSCC, ("Item", "2 kinds of goods"), label)
    assert [words for _, words in label.codes] == [f"(00) {SSCC}"]
    take(world, key, route="Ningbo to TRG")
    goods, _ = goods_of([Scanned(f"(00){SSCC}")], Context(world.site, container=Container.objects.get().pk))
    assert [(one.scan.lot, one.quantity, one.scan.best_before) for one in goods] == [
        ("L1", D(70), date(2027, 11, 30)), ("L2", D(30), date(2027, 11, 30)),
    ]  # fmt: skip
    said = [(row.lot, row.quantity) for row in packed_rows(Shipment.objects.get(), {world.nz.pk})]
    assert said == [("L1", 70), ("L2", 30)]


def test_taken_on_top_of_what_is_there(world, orders):
    dollars, _ = orders
    first = take(world, read(world, line(dollars, 60, number="1")))["shipment"]
    take(world, read(world, line(dollars, 40, number="1", sscc=SSCC), number="PL-2"), shipment=first)
    assert ShipmentLine.objects.get().quantity == 100
    # Of 100 pieces 40 stand on the pallet. What is taken off leaves it unknown how the rest is palletised.
    shipment = Shipment.objects.get()
    assert [int(row.quantity) for row in packed_rows(shipment, {world.nz.pk})] == [40, 60]
    with pytest.raises(Refused, match="is in this shipment already"):
        take(world, read(world, line(dollars, 9, item="C", sscc=SSCC), number="PL-3"), shipment=first)
    load_action.load(
        world.act("shipping"),
        load_action.LoadRequest(
            first,
            (
                load_action.Box(
                    Container.objects.get().pk, ONE, "22G1", "", ((ShipmentLine.objects.get().instalment_id, D(70)),)
                ),
            ),
        ),
    )
    assert [row.sscc for row in packed_rows(shipment, {world.nz.pk})] == [""]
    assert HandlingUnit.objects.count() == 1


def test_sent_twice_and_dropped(world, orders):
    dollars, _ = orders
    key = read(world, line(dollars, 10, number="1"))
    with pytest.raises(Refused, match="The notice PL-1 came already"):
        read(world, line(dollars, 10, number="1"))
    despatch_notices.drop(world.act("shipping"), despatch_notices.DropRequest(key))
    assert read(world, line(dollars, 10, number="1")) != key
    with pytest.raises(Refused, match="is dropped already"):
        take(world, key)
    with pytest.raises(Refused, match="no such notice"):
        take(world, 10**9)
    with pytest.raises(Refused, match="has no row"):
        read(world, number="PL-9")


def test_rows_that_cannot_be_taken_stop_it_or_stay_out(world, orders):
    dollars, _ = orders
    key = read(world, line(dollars, 10, number="1"), line("KLN-7", 5, number="1"))
    with pytest.raises(Refused, match="Row 3: no sent order KLN-7 with line 1"):
        take(world, key)
    take(world, key, leave_out=True)
    assert ShipmentLine.objects.get().quantity == 10
    with pytest.raises(Refused, match="No row of it fits"):
        take(world, read(world, line("KLN-7", 5, number="1"), number="PL-2"), leave_out=True)


def test_more_than_was_ordered_asks(world, orders):
    dollars, _ = orders
    key = read(world, line(dollars, 110, number="1"))
    with pytest.raises(Refused, match="Only 100 pc of A are still with the supplier"):
        take(world, key)
    Party.objects.filter(code="SUSD").update(over_tolerance=D(10))
    assert take(world, key)["warnings"] == ["10 pc of A more than KLN-00001/1 orders are packed."]


def test_a_container_that_has_sailed(world, orders):
    dollars, euros = orders
    shipment = world.shipment([euros])
    world.say(shipment, "departure")
    key = read(world, line(dollars, 10, number="1"))
    assert judged(world, key) == [("wrong", f"{ONE} is under way with {shipment.reference}")]


def test_by_a_suppliers_link_for_its_own_orders_only(world, orders):
    dollars, euros = orders
    supplier = world.parties["USD"]
    act = Act(supplier_links.acting_person(supplier), NOW, channel="link", supplier=supplier.pk)
    rows = (line(dollars, 10, number="1"), line(euros, 5, number="1"))
    key = despatch_notices.read(act, despatch_notices.NoticeRequest(Notice("N", rows), supplier.pk))
    assert [state for state, _ in judged(world, key)] == ["differs", "wrong"]
    with pytest.raises(NotAllowed):
        despatch_notices.read(act, despatch_notices.NoticeRequest(Notice("N2", rows), world.parties["EUR"].pk))
    with pytest.raises(NotAllowed):
        despatch_notices.take(act, despatch_notices.TakeRequest(key))
    with pytest.raises(NotAllowed):
        read(world, line(dollars, 10, number="1"), who="dock", number="X")


# Papers due, and what a shipment needs for its next step.


def ask(world, shipment, **more):
    facts = {"kind": "lading", "party": "carrier", "anchor": "departure", "anchor_days": 4} | more
    return required_documents.require_document(
        world.act("shipping"), required_documents.DocumentRequest(shipment.pk, **facts)
    )


def settle(world, key, day=TODAY, **more):
    return required_documents.complete_document(world.act("shipping"), required_documents.DoneRequest(key, day, **more))


def test_a_paper_follows_the_date_it_is_counted_from(world, orders):
    shipment = world.shipment(list(orders))
    key = ask(world, shipment)
    # The vessel was to leave two days ago and has not: four days from today.
    assert RequiredDocument.objects.get().due == TODAY + 4 * DAY
    world.say(shipment, "departure", TODAY + 6 * DAY, "estimated")
    assert RequiredDocument.objects.get().due == TODAY + 10 * DAY
    matter = Matter.objects.get(kind="document")
    assert (matter.party, matter.due) == ("carrier", TODAY + 10 * DAY)
    assert name_all([matter])[0].subject == "Bill of lading of S-00001"
    settle(world, key, reference="BL 1", form="original")
    assert not Matter.objects.filter(kind="document").exists()
    settle(world, key, None)
    assert Matter.objects.filter(kind="document").exists()
    assert move_faults() == []


def test_the_balance_releases_the_papers(world, orders):
    shipment = world.shipment(list(orders))
    lading = ask(world, shipment)
    balance = ask(world, shipment, kind="balance", party="accounts", what="Balance of 70 %")
    with pytest.raises(Refused, match="held until it is paid: Balance of 70 %"):
        settle(world, lading)
    settle(world, balance)
    settle(world, lading)
    with pytest.raises(Refused, match="has not come yet"):
        settle(world, lading, TODAY + DAY)
    with pytest.raises(Refused, match="no such paper"):
        settle(world, 10**9)


def test_the_usual_papers_once(world, orders):
    world.items["B"].hs_code = "090210"
    world.items["B"].save()
    shipment = world.shipment(list(orders))
    usual = required_documents.UsualRequest(shipment.pk)
    assert required_documents.ask_usual(world.act("shipping"), usual) == 6
    assert required_documents.ask_usual(world.act("shipping"), usual) == 0
    assert set(RequiredDocument.objects.values_list("kind", flat=True)) >= {"lading", "plant_health", "cut_off"}
    shipment.required_documents.all().delete()
    Shipment.objects.update(mode="air")
    required_documents.ask_usual(world.act("shipping"), usual)
    assert RequiredDocument.objects.filter(kind="waybill").exists()


@pytest.mark.parametrize(
    ("facts", "words"),
    [
        ({"kind": "x"}, "no kind of paper"),
        ({"kind": "other"}, "Say which paper"),
        ({"party": "nobody"}, "whose move"),
        ({"anchor": ""}, "Say the day"),
        ({"anchor_days": 200}, "at most 99 days"),
        ({"needed_for": "fun"}, "what it stops"),
        ({"form": "copy"}, "original, released"),
        ({"owner": 10**9}, "no such person"),
        ({"due": TODAY.replace(year=2199)}, "years away"),
    ],
)
def test_a_paper_that_is_none(world, orders, facts, words):
    with pytest.raises(Refused, match=words):
        ask(world, world.shipment(list(orders)), **facts)


def missing(world, shipment):
    found = readiness_of(Shipment.objects.get(pk=shipment.pk), {world.nz.pk}, TODAY)
    return found.step, [(one.what, str(one.strength)) for one in found.missing]


def test_what_is_missing_for_the_next_step(world, orders):
    """The company decides what stops: a paper that is missing only warns."""
    Company.objects.update(depart_without_voyage="warn", receive_without_entry="block")
    unagreed = world.sent_order({"A": D(10)}, agreed=False)
    shipment = world.shipment([*orders, unagreed])
    ask(world, shipment, kind="cut_off", party="us", anchor_days=-6, needed_for="departure")
    lading = ask(world, shipment, needed_for="customs")
    assert missing(world, shipment) == (
        "depart",
        [
            ("No voyage is chosen.", "warn"),
            ("Not agreed: KLN-00003/1.", "warn"),
            (f"No seal: {ONE}.", "warn"),
            ("Cut-off is not met, due 18 Nov (late).", "warn"),
        ],
    )
    world.say(shipment, "departure")
    world.items["A"].hs_code = ""
    world.items["A"].save()
    late = ("Bill of lading is not there, due 28 Nov.", "warn")
    entry, tariff = ("KLN has no customs entry.", "block"), ("A has no tariff number.", "warn")
    assert missing(world, shipment) == ("arrive", [(what, "warn") for what, _ in (entry, tariff, late)])
    world.say(shipment, "arrival")
    assert missing(world, shipment) == ("clear customs", [entry, tariff, late])
    settle(world, lading)
    assert missing(world, shipment)[1] == [entry, tariff]
