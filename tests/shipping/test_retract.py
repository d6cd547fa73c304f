"""A departure or an arrival corrected, or taken back: goods, dates and books follow, or it is refused whole."""

from datetime import timedelta
from decimal import Decimal as D

import pytest
from django.urls import reverse

from northing.access.models import Person
from northing.actions.receiving import reverse as reversing
from northing.actions.reversal import ReverseRequest
from northing.actions.shipping import container_milestones, milestones, pack, retract
from northing.actions.shipping.ripple import foresee
from northing.actions.worklist import proof
from northing.activity.models import HistoryEntry
from northing.core.problems import NotAllowed, Refused
from northing.ledger.models import Account, Entry, Posting
from northing.masterdata.models import ExchangeRate
from northing.positions.models import Position
from northing.receiving.models import Receipt
from northing.shipping.models import Container, DateStatement, Shipment, ShipmentLine
from northing.shipping.operations import LegPlan
from tests.worlds import TODAY

DAY = timedelta(days=1)


def rate(ago):
    """The book rate so many days ago."""
    return D("1.60") + D(ago) / 1000


@pytest.fixture
def sea(world):
    """A shipment to be fetched, sailed and delivered, a rate for each day; at the end the Watch is proved as well."""
    world.daily_rates()
    yield world
    assert proof.move_faults() == []


def cargo(world, rule="on_board"):
    world.cargo = world.shipment([world.sent_order({"A": D(240)}, ours_from=rule)])
    days = (-30, -28, -28, -9, -8, -6)
    first, second, third, fourth, fifth, sixth = (TODAY + day * DAY for day in days)
    plan = (
        LegPlan("road", "Ningbo mill", "CNNGB", first, second),
        LegPlan("sea", "CNNGB", "NZTRG", third, fourth, True),
        LegPlan("road", "NZTRG", "AKL", fifth, sixth),
    )
    pack.plan_passage(world.act("shipping"), pack.PassageRequest(world.cargo.pk, None, plan))
    return world


def say(world, milestone, ago, leg=2, who="shipping"):
    leg = world.cargo.legs.get(number=leg)
    asked = milestones.DateRequest(leg.pk, milestone, "actual", TODAY - ago * DAY)
    milestones.say_date(world.act(who), asked)
    return DateStatement.objects.latest("pk")


def take_back(world, said, who="shipping"):
    return retract.take_back(world.act(who), retract.TakeBackRequest(said.pk))


def stands(world):
    """Since how many days the goods are ours, at which rate, and where they are."""
    world.cargo.refresh_from_db()
    part = ShipmentLine.objects.get()
    assert part.goods_base is None or part.goods_base == round(part.goods_amount * part.goods_rate, 2)
    return (TODAY - part.ours_on).days if part.ours_on else None, part.goods_rate, world.cargo.place


def afloat():
    return sum(Posting.objects.filter(account=Account.OWNED_AFLOAT).values_list("amount", flat=True))


@pytest.mark.parametrize(
    ("rule", "said", "since"),
    [
        ("on_board", [("departure", 20, 2), ("departure", 22, 2)], 22),
        ("on_board", [("departure", 20, 2), ("departure", 18, 2), ("departure", 20, 2)], 20),
        ("on_board", [("arrival", 9, 2), ("departure", 25, 2)], 25),
        ("pickup", [("departure", 20, 2), ("departure", 22, 2)], 22),
        ("pickup", [("departure", 29, 1), ("departure", 20, 2), ("departure", 22, 2)], 29),
        ("pickup", [("departure", 20, 2), ("departure", 29, 1)], 29),
        ("pickup", [("departure", 29, 1), ("departure", 31, 1)], 31),
        ("arrival", [("departure", 20, 2), ("arrival", 9, 2), ("departure", 22, 2)], 9),
        ("arrival", [("departure", 20, 2), ("arrival", 9, 2), ("arrival", 7, 2)], 7),
        ("receipt", [("departure", 20, 2), ("arrival", 9, 2), ("departure", 22, 2)], None),
    ],
)
def test_goods_are_valued_by_the_day_that_is_believed(sea, rule, said, since):
    cargo(sea, rule)
    for milestone, ago, leg in said:
        say(sea, milestone, ago, leg)
    assert stands(sea)[:2] == (since, rate(since) if since else None)


def test_what_is_valued_anew_goes_back_at_its_own_rate(sea):
    cargo(sea)
    say(sea, "departure", 20)
    before, entries = ShipmentLine.objects.get().goods_base, Entry.objects.count()
    shown = milestones.preview(
        milestones.DateRequest(sea.cargo.legs.get(number=2).pk, "departure", "actual", TODAY - 22 * DAY),
        TODAY,
        {sea.nz.pk},
    )
    say(sea, "departure", 22)
    after = ShipmentLine.objects.get().goods_base
    assert [(one.company, one.before, one.after) for one in shown.worth] == [(sea.nz, before, after)]
    assert Entry.objects.count() == entries + 2, "what was posted stands; two entries follow it"
    owed = Posting.objects.filter(account=Account.OWNED_NOT_BILLED).order_by("pk")
    assert list(owed.values_list("amount", "rate")) == [(-before, rate(20)), (before, rate(20)), (-after, rate(22))]
    assert (
        f"ours since {TODAY - 22 * DAY:%-d %b %Y}, not" in HistoryEntry.objects.filter(action="value_anew").get().text
    )


def test_a_correction_needs_a_rate(sea):
    cargo(sea)
    say(sea, "departure", 20)
    ExchangeRate.objects.filter(day__lte=TODAY - 21 * DAY).delete()
    with pytest.raises(Refused, match="no book rate for USD"):
        say(sea, "departure", 21)
    assert stands(sea) == (20, rate(20), "under_way")


def test_where_the_day_left_has_no_rate_the_value_stays_and_the_story_says_so(sea):
    cargo(sea)
    say(sea, "departure", 30)
    second = say(sea, "departure", 20)
    ExchangeRate.objects.filter(day__lte=TODAY - 21 * DAY).delete()
    take_back(sea, second)
    assert stands(sea)[:2] == (20, rate(20))
    assert "the value stays that of" in HistoryEntry.objects.filter(action="value_anew").latest("pk").text


def test_what_the_dock_has_received_keeps_its_value(sea):
    cargo(sea)
    say(sea, "departure", 20)
    say(sea, "arrival", 9)
    sea.receive(sea.cargo, {"A": D(100)})
    say(sea, "departure", 22)
    assert stands(sea)[:2] == (20, rate(20))
    assert Shipment.objects.get().departed_on == TODAY - 22 * DAY


@pytest.mark.parametrize("rule", ["pickup", "on_board", "arrival", "receipt"])
def test_what_never_left_goes_back_to_where_it_was(sea, rule):
    cargo(sea, rule)
    at_first = stands(sea)
    left = say(sea, "departure", 20)
    landed = say(sea, "arrival", 9)
    with_departure = stands(sea)
    take_back(sea, landed)
    assert stands(sea) == ((20, rate(20)) if rule in ("pickup", "on_board") else (None, None)) + ("under_way",)
    take_back(sea, left)
    assert stands(sea) == at_first == (None, None, "packed")
    assert (sea.cargo.departed_on, sea.cargo.arrived_on, afloat()) == (None, None, 0)
    assert Position.objects.filter(packed=240).count() == 1
    say(sea, "departure", 20)
    say(sea, "arrival", 9)
    assert stands(sea) == with_departure


def test_a_departure_that_is_taken_back_follows_from_the_arrival(sea):
    cargo(sea)
    left = say(sea, "departure", 20)
    say(sea, "arrival", 9)
    take_back(sea, left)
    ago, at, place = stands(sea)
    assert place == "landed" and ago == (TODAY - sea.cargo.departed_on).days != 20 and at == rate(ago)


def test_one_of_two_words_is_taken_back(sea):
    cargo(sea)
    say(sea, "departure", 20)
    wrong = say(sea, "departure", 15)
    take_back(sea, wrong)
    assert stands(sea) == (20, rate(20), "under_way")
    with pytest.raises(Refused, match="taken back already"):
        take_back(sea, wrong)


def test_a_pickup_is_taken_back(sea):
    cargo(sea, "pickup")
    fetched = say(sea, "departure", 29, leg=1)
    assert stands(sea) == (29, rate(29), "packed")
    take_back(sea, fetched)
    assert stands(sea) == (None, None, "packed") and afloat() == 0


def test_an_arrival_that_nobody_spoke_of_goes_with_what_implied_it(sea):
    cargo(sea)
    say(sea, "departure", 20)
    box = Container.objects.get()
    asked = container_milestones.BoxesRequest(sea.cargo.pk, (box.pk,), "discharged", TODAY - 8 * DAY)
    container_milestones.say_boxes(sea.act("shipping"), asked)
    assert stands(sea)[2] == "landed"
    take_back(sea, DateStatement.objects.get(container=box))
    assert stands(sea)[2] == "under_way"
    assert DateStatement.objects.filter(retracted=False).count() == 1


def test_what_something_else_follows_from_stays(sea):
    cargo(sea)
    left, landed = say(sea, "departure", 20), say(sea, "arrival", 9)
    box = Container.objects.get()
    asked = container_milestones.BoxesRequest(sea.cargo.pk, (box.pk,), "gate_out", TODAY - 7 * DAY)
    container_milestones.say_boxes(sea.act("shipping"), asked)
    with pytest.raises(Refused, match="was taken out of the port"):
        take_back(sea, landed)
    take_back(sea, DateStatement.objects.get(container=box))
    sea.receive(sea.cargo, {"A": D(240)})
    before = stands(sea)
    with pytest.raises(Refused, match="Reverse the receipt first"):
        take_back(sea, landed)
    assert stands(sea) == before
    reversing.reverse_receipt(sea.act("dock"), ReverseRequest(Receipt.objects.get().pk, "wrong"))
    take_back(sea, landed)
    take_back(sea, left)
    assert stands(sea) == (None, None, "packed")


def test_who_may_take_back(sea):
    cargo(sea)
    left = say(sea, "departure", 20)
    for who in ("viewer", "dock", "costs"):
        with pytest.raises(NotAllowed):
            take_back(sea, left, who)
    assert stands(sea)[2] == "under_way"


def test_what_it_would_do_is_shown_first(sea, client):
    cargo(sea)
    left = say(sea, "departure", 20)
    value = ShipmentLine.objects.get().goods_base
    ripple = foresee(sea.act("shipping"), retract.take_back, retract.TakeBackRequest(left.pk), {sea.nz.pk})
    assert [(one.before, one.after) for one in ripple.worth] == [(value, 0)] and len(ripple.lines) == 1
    assert ripple.places == [(sea.cargo.reference, "under_way", "packed")]
    client.force_login(Person.objects.get(username="shipping"))
    there = reverse("shipment", args=[sea.cargo.pk])
    address = reverse("take-back", args=[left.pk]) + f"?then={there}"
    assert address in client.get(there).content.decode()
    page = client.get(address).content.decode()
    assert f"{sea.cargo}: under way → <b>packed</b>" in page and "not ours after all" in page and "Take it back" in page
    assert stands(sea)[2] == "under_way", "looking at it changes nothing"
    done = client.post(address, {"key": "k", "confirmed": "yes"}, follow=True)
    assert done.redirect_chain == [(there, 302)] and "taken back" in done.content.decode()
    assert stands(sea)[2] == "packed"
    again = client.get(address)
    assert again.status_code == 422 and "taken back already" in again.content.decode()
    for username in ("viewer", "dock"):
        client.force_login(Person.objects.get(username=username))
        assert client.get(address).status_code == 403
