"""Goods are put away, moved, sent to another site, and undone: bins keep to their rules, layers to their value."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from northing.actions.inventory.move import MoveRequest, MovesRequest, move_goods, move_together
from northing.actions.inventory.put_away import PutAwayRequest, put_away
from northing.actions.inventory.transfer import ArrivedRow, ArriveRequest, SendRequest, arrive_goods, send_goods
from northing.actions.inventory.undo_move import undo_move
from northing.actions.receiving.reverse import reverse_receipt
from northing.actions.reversal import ReverseRequest
from northing.activity.models import HistoryEntry
from northing.core.problems import NotAllowed, Refused
from northing.inventory.models import OnHand, SerialNumber, TransferLine
from northing.inventory.queries import stock_faults
from northing.ledger.models import CostLayer, Posting
from northing.masterdata.models import Bin, Item, Site
from northing.receiving.models import Receipt
from tests.inventory.goods import at_dock, bin_of, lies
from tests.worlds import TODAY, D, small_world

pytestmark = pytest.mark.django_db


def row(layer, units, target, *, source="DOCK", status="in_store", **more):
    return MoveRequest(layer.pk, bin_of(source).pk, status, D(units), bin_of(target).pk, **more)


def test_goods_at_the_dock_are_put_into_several_bins_and_back(world):
    layer = at_dock(world, 60)
    posted, other = Posting.objects.count(), Bin.objects.create(site=world.site, code="S-02", purpose="store")
    rows = (row(layer, 40, "STORE"), row(layer, 20, "S-02"))
    made = put_away(world.act("dock"), PutAwayRequest(rows))
    assert lies(layer) == {("STORE", "in_store"): 40, ("S-02", "in_store"): 20}
    assert (
        HistoryEntry.objects.latest("pk").text == "Put away 40 pc of A from DOCK to STORE, 20 pc of A from DOCK to S-02"
    )
    undo_move(world.act("dock"), ReverseRequest(made, "wrong aisle"))
    assert lies(layer) == {("DOCK", "in_store"): 60}
    assert Posting.objects.count() == posted and not stock_faults() and other.pk
    with pytest.raises(Refused, match="reversed already|undone already"):
        undo_move(world.act("dock"), ReverseRequest(made, "again"))


def test_what_has_gone_elsewhere_since_is_not_put_back(world):
    layer = at_dock(world, 60)
    made = put_away(world.act("dock"), PutAwayRequest((row(layer, 60, "STORE"),)))
    move_goods(world.act("dock"), row(layer, 5, "QUARANTINE", source="STORE"))
    with pytest.raises(Refused, match="Not all of it lies in STORE any more: A"):
        undo_move(world.act("dock"), ReverseRequest(made, "wrong aisle"))
    assert lies(layer) == {("STORE", "in_store"): 55, ("QUARANTINE", "in_store"): 5}


def test_another_bin_than_the_one_that_suits_best_needs_a_reason(world):
    layer = at_dock(world, 60)
    Bin.objects.create(site=world.site, code="S-02", purpose="store", home_of=world.items["A"])
    with pytest.raises(Refused, match="A is best put into S-02: it is the place of A.") as refused:
        put_away(world.act("dock"), PutAwayRequest((row(layer, 60, "STORE", end="7"),)))
    assert [one.where for one in refused.value.problems] == ["reason-7"]
    put_away(world.act("dock"), PutAwayRequest((row(layer, 60, "STORE", reason="S-02 is full of boxes"),)))
    assert "STORE (S-02 is full of boxes)" in HistoryEntry.objects.latest("pk").text


@pytest.mark.parametrize(
    ("facts", "words"),
    [
        ({"blocked": "shelf broken"}, "S-02 is blocked: shelf broken."),
        ({"most_units": D(50)}, "S-02 holds 50 units; 0 lie there. Put 50 there and the rest into another bin."),
        ({"one_item": True}, "S-02 holds one item only, and B lies there."),
        ({"one_lot": True}, "S-02 holds one lot only, and B lies there."),
    ],
)
def test_a_bin_refuses_wherever_goods_come_from(world, facts, words):
    if "one" in str(facts):
        at_dock(world, 4, item="B", bin=Bin.objects.create(site=world.site, code="S-02", purpose="store"))
        Bin.objects.filter(code="S-02").update(**facts)
    else:
        Bin.objects.create(site=world.site, code="S-02", purpose="store", **facts)
    layer = at_dock(world, 60)
    target = row(layer, 60, "S-02", reason="by hand")
    for action, asked in (
        (put_away, PutAwayRequest((target,))),
        (move_goods, target),
        (move_together, MovesRequest((target,))),
    ):
        with pytest.raises(Refused, match=words.replace("(", r"\(")):
            action(world.act("dock"), asked)
    with pytest.raises(Refused, match=words):
        at_dock(world, 60, bin=bin_of("S-02"))
    assert lies(layer) == {("DOCK", "in_store"): 60}


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"quantity": D(0)}, "The quantity must be above 0"),
        ({"quantity": D(-1)}, "The quantity must be above 0"),
        ({"quantity": D("1.5")}, "A is counted in whole pc"),
        ({"quantity": D(61)}, "Only 60 pc lie in DOCK"),
        ({"quantity": D(10**9)}, "Only 60 pc lie in DOCK"),
        ({"target": 10**9}, "This bin is not of the company"),
        ({"source": 10**9}, "These goods are not there"),
        ({"layer": 10**9}, "These goods are not there"),
        ({"status": "nonsense"}, "Only 0 pc lie in DOCK"),
    ],
)
def test_nonsense_is_refused_in_words(world, change, words):
    layer = at_dock(world, 60)
    with pytest.raises(Refused, match=words):
        put_away(world.act("dock"), PutAwayRequest((replace(row(layer, 60, "STORE"), **change),)))
    with pytest.raises(Refused, match=r"Only 20 pc lie in DOCK"):
        put_away(world.act("dock"), PutAwayRequest((row(layer, 40, "STORE"), row(layer, 40, "STORE"))))
    with pytest.raises(Refused, match="Nothing is to be moved"):
        put_away(world.act("dock"), PutAwayRequest(()))


def test_held_goods_go_to_quarantine_and_who_may_not_moves_nothing(world):
    Item.objects.filter(code="A").update(inspected=True)
    layer = at_dock(world, 10)
    with pytest.raises(Refused, match="Goods that are held do not go into the store"):
        put_away(world.act("dock"), PutAwayRequest((row(layer, 10, "STORE", status="held"),)))
    with pytest.raises(NotAllowed):
        put_away(world.act("viewer"), PutAwayRequest((row(layer, 10, "QUARANTINE", status="held"),)))
    put_away(world.act("dock"), PutAwayRequest((row(layer, 10, "QUARANTINE", status="held"),)))
    assert lies(layer) == {("QUARANTINE", "held"): 10}


def test_many_rows_take_as_many_statements_as_few(world):
    Bin.objects.bulk_create(Bin(site=world.site, code=f"E-{number:02}", purpose="store") for number in range(30))
    layers, seen = [at_dock(world, 1) for _ in range(14)], []
    for some in (layers[:2], layers[2:]):
        rows = tuple(row(layer, 1, f"E-{number:02}", reason="x") for number, layer in enumerate(some))
        with CaptureQueriesContext(connection) as found:
            put_away(world.act("dock"), PutAwayRequest(rows))
        seen.append(len(found))
    assert seen[1] <= seen[0] < 40


def north(world) -> Site:
    """A second site of the same company."""
    site = Site.objects.create(company=world.nz, code="NTH", name="North")
    for code, purpose in (("N-DOCK", "dock"), ("N-STORE", "store")):
        Bin.objects.create(site=site, code=code, purpose=purpose)
    return site


def test_goods_sent_to_another_site_are_on_their_way_until_they_arrive(world):
    layer = at_dock(world, 60, bin=bin_of("STORE"))
    sent = send_goods(
        world.act("dock"), SendRequest(north(world).pk, (row(layer, 50, "STORE", source="STORE"),), TODAY, "truck 7")
    )
    line = TransferLine.objects.get(transfer=sent)
    assert lies(layer) == {("STORE", "in_store"): 10, ("N-DOCK", "on_way"): 50}
    with pytest.raises(Refused, match="on their way from another site"):
        move_goods(world.act("dock"), row(layer, 5, "N-STORE", source="N-DOCK", status="on_way"))
    first = arrive_goods(world.act("dock"), ArriveRequest(sent, (ArrivedRow(line.pk, D(20), bin_of("N-STORE").pk),)))
    arrive_goods(world.act("dock"), ArriveRequest(sent, (ArrivedRow(line.pk, D(10)),)))
    assert lies(layer)["N-STORE", "in_store"] == 20 and lies(layer)["N-DOCK", "in_store"] == 10
    with pytest.raises(Refused, match="Only 20 pc of A are on their way"):
        arrive_goods(world.act("dock"), ArriveRequest(sent, (ArrivedRow(line.pk, D(21)),)))
    undo_move(world.act("dock"), ReverseRequest(first, "wrong count"))
    line.refresh_from_db()
    assert line.left == 40 and lies(layer)["N-DOCK", "on_way"] == 40
    arrive_goods(world.act("dock"), ArriveRequest(sent, (ArrivedRow(line.pk, D(40)),), back=True))
    assert lies(layer) == {("STORE", "in_store"): 50, ("N-DOCK", "in_store"): 10}
    assert not stock_faults()


def test_the_layer_is_of_the_site_where_all_of_it_lies(world):
    layer = at_dock(world, 6, bin=bin_of("STORE"))
    sent = send_goods(world.act("dock"), SendRequest(north(world).pk, (row(layer, 6, "STORE", source="STORE"),), TODAY))
    line = TransferLine.objects.get(transfer=sent)
    arrive_goods(world.act("dock"), ArriveRequest(sent, (ArrivedRow(line.pk, D(6)),)))
    assert CostLayer.objects.get(pk=layer.pk).site.code == "NTH"


def test_a_receipt_is_not_reversed_while_its_goods_are_on_their_way(world):
    layer = at_dock(world, 6, bin=bin_of("STORE"))
    send_goods(world.act("dock"), SendRequest(north(world).pk, (row(layer, 6, "STORE", source="STORE"),), TODAY))
    with pytest.raises(Refused, match="6 pc of A are on their way to North."):
        reverse_receipt(world.act("dock"), ReverseRequest(Receipt.objects.get().pk, "wrong"))


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"target": "TRG"}, "The goods are at this site"),
        ({"sent_on": TODAY.replace(year=TODAY.year + 1)}, "has not come yet"),
        ({"rows": ()}, "Nothing is to be moved"),
    ],
)
def test_a_wrong_sending_is_refused(world, change, words):
    layer = at_dock(world, 6, bin=bin_of("STORE"))
    request = SendRequest(north(world).pk, (row(layer, 6, "STORE", source="STORE"),), TODAY)
    if "target" in change:
        change = {"target": Site.objects.get(code=change["target"]).pk}
    with pytest.raises(Refused, match=words):
        send_goods(world.act("dock"), replace(request, **change))


def test_numbered_units_go_by_their_numbers(world):
    Item.objects.filter(code="A").update(keeps_serial=True)
    layer = at_dock(world, 3, serials=("K1", "K2", "K3"))
    with pytest.raises(Refused, match="say which 1 of the 3 go"):
        put_away(world.act("dock"), PutAwayRequest((row(layer, 1, "STORE"),)))
    put_away(world.act("dock"), PutAwayRequest((row(layer, 1, "STORE", serials=("K2",)),)))
    assert SerialNumber.objects.get(number="K2").bin == bin_of("STORE")
    sent = send_goods(world.act("dock"), SendRequest(north(world).pk, (row(layer, 2, "STORE", source="DOCK"),), TODAY))
    line = TransferLine.objects.get(transfer=sent)
    arrive_goods(world.act("dock"), ArriveRequest(sent, (ArrivedRow(line.pk, D(1), None, ("K3",)),)))
    assert SerialNumber.objects.get(number="K3").status == "in_store" and not stock_faults()


@pytest.mark.django_db(transaction=True)
def test_a_bin_is_not_filled_beyond_its_most_by_several_at_once():
    world = small_world()
    Bin.objects.create(site=world.site, code="S-02", purpose="store", most_units=D(40))
    layers = [at_dock(world, 30) for _ in range(4)]

    def put(layer):
        try:
            put_away(world.act("dock", f"k{layer.pk}"), PutAwayRequest((row(layer, 30, "S-02", reason="x"),)))
        except Refused as refused:
            return str(refused.problems[0].what)
        finally:
            connection.close()
        return ""

    with ThreadPoolExecutor(4) as pool:
        said = sorted(pool.map(put, layers))
    assert said == ["", *["S-02 holds 40 units; 30 lie there."] * 3]
    assert OnHand.objects.filter(bin__code="S-02", quantity__gt=0).count() == 1 and not stock_faults()
