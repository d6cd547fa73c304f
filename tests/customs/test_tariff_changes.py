"""A change of the tariff: the worker finds the open lines whose expected landed cost it moves."""

import pytest
from django.urls import reverse

from northing.actions.customs.covers import Covers
from northing.actions.masterdata.records import RecordRequest, RowsRequest, keep_record, keep_rows
from northing.customs.models import TariffChange
from northing.jobs import jobs
from northing.jobs.models import Job
from northing.masterdata.models import CountryGroup, Item, TariffRule, Territory
from northing.orders.models import OrderLine
from northing.reports.cost_pieces import pieces_of
from northing.reports.expected_cost import Expectations
from tests.customs.test_parts import book
from tests.worlds import TODAY, D

BEFORE = "2026-01-01"


@pytest.fixture
def house(world):
    """Ten of A on order, twenty of A packed in a shipment; one rule of a tenth."""
    Item.objects.filter(code="A").update(hs_code="851610", origin="CN")
    TariffRule.objects.create(territory="NZ", hs="8516", valid_from=BEFORE, ad_valorem=D("0.1"))
    world.order = world.sent_order({"A": D(10)})
    world.other = world.sent_order({"A": D(20)})
    world.afloat = world.shipment([world.other])
    return world


def keep(world, kind, record=None, /, **facts):
    key = keep_record(world.act("administrator"), RecordRequest(kind, record, tuple(facts.items())))
    jobs.run(Job.objects.latest("pk").pk)
    return key, TariffChange.objects.latest("pk")


def moved(change):
    return {one.line.order_id: one for one in change.moves.select_related("line")}


def expected(order):
    """What an order's unpacked line costs landed, in all, seen from today."""
    lines = OrderLine.objects.filter(order=order).select_related(
        "item", "order__company", "order__supplier", "order__site"
    )
    return (
        Expectations(TODAY).of(pieces_of([], TODAY, list(lines.prefetch_related("instalments__position"))).all).costs[0]
    )


def test_a_rule_that_is_changed_moves_what_is_open_and_tells_both(house):
    rule, was = TariffRule.objects.get(territory="NZ", hs="8516"), expected(house.order).landed
    _, change = keep(house, "tariff", rule.pk, ad_valorem="12")
    found = moved(change)
    assert set(found) == {house.order.pk, house.other.pk} and change.job.state == "done"
    one = found[house.order.pk]
    assert (one.quantity, one.duty_before, one.duty_after) == (10, "10 %", "12 %")
    assert (one.before, one.after) == (was, expected(house.order).landed)
    assert one.after > one.before and one.unit_after - one.unit_before == (one.after - one.before) / 10
    assert found[house.other.pk].after - found[house.other.pk].before == 2 * (one.after - one.before)


def test_a_new_rule_and_one_that_ends_are_found_and_what_is_declared_is_left_out(house):
    house.say(house.afloat, "departure")
    book(house, Covers((house.afloat.pk,)), "E-1")
    key, change = keep(
        house, "tariff", territory="NZ", kind="extra", hs="85", name="levy", ad_valorem="2", valid_from=BEFORE
    )
    one = moved(change)[house.order.pk]
    assert set(moved(change)) == {house.order.pk} and one.duty_after == "10 % + levy 2 %"
    _, ended = keep(house, "tariff", key, valid_until="2026-01-31")
    back = moved(ended)[house.order.pk]
    assert (back.before, back.after) == (one.after, one.before)
    # What touches no open line is told, too.
    _, change = keep(house, "tariff", territory="NZ", hs="99", ad_valorem="2", valid_from=BEFORE)
    assert not moved(change) and change.job.said == "No open line costs otherwise."


def test_groups_and_territories_move_as_well(house):
    east = CountryGroup.objects.create(code="EAST", name="East", countries="VN")
    TariffRule.objects.create(territory="NZ", kind="preference", hs="85", group=east, name="treaty", valid_from=BEFORE)
    _, change = keep(house, "origins", east.pk, countries="CN VN")
    assert moved(change)[house.order.pk].duty_after == "free" and len(moved(change)) == 2
    east.refresh_from_db()
    _, change = keep(house, "origins", east.pk, countries="VN")
    assert moved(change)[house.order.pk].duty_before == "free"
    _, change = keep(house, "territory", code="NZ", unit="5", way="up", per="group")
    one = moved(change)[house.order.pk]
    assert one.after > one.before and one.duty_before == one.duty_after
    _, change = keep(house, "territory", Territory.objects.get(code="NZ").pk, way="down")
    assert moved(change)[house.order.pk].after < one.after


def test_a_file_is_one_change_and_a_second_run_finds_the_same(house):
    rows = [{"territory": "NZ", "hs": hs, "ad_valorem": "7", "valid_from": BEFORE} for hs in ("851610", "851620")]
    asked = RowsRequest("tariff", tuple((number, tuple(row.items())) for number, row in enumerate(rows, 2)))
    keep_rows(house.act("administrator"), asked)
    change = TariffChange.objects.get()
    jobs.run(change.job_id)
    assert change.words == "2 records: tariff"
    first = [(one.line_id, one.after) for one in change.moves.all()]
    Job.objects.filter(pk=change.job_id).update(state="running")
    jobs.run(change.job_id)
    assert [(one.line_id, one.after) for one in change.moves.all()] == first and len(first) == 2
    # The same file again changes nothing, so nothing is reckoned.
    keep_rows(house.act("administrator"), asked)
    assert TariffChange.objects.count() == 1


def test_the_pages_tell_each_person_their_own_lines(house, signed_in):
    admin, rule = signed_in("administrator"), TariffRule.objects.get(territory="NZ", hs="8516")
    facts = dict.fromkeys(("valid_until", "proof", "currency", "amount"), "")
    sent = facts | {"key": "k", "ad_valorem": "12", "per": "kg", "combine": "sum"}
    kept = admin.post(reverse("record", args=["tariff", rule.pk]), sent, follow=True)
    assert "are reckoned anew" in kept.content.decode()
    change = TariffChange.objects.get()
    address = reverse("tariff-change", args=[change.pk])
    assert "reload the page in a moment" in admin.get(address).content.decode()
    jobs.run(change.job_id)
    desk = signed_in("costs")
    page = desk.get(address).content.decode()
    assert f"{house.order.number}/1" in page and "12 %" in page
    assert address in desk.get(reverse("tariff-moves")).content.decode()
    table = b"".join(desk.get(address, {"as": "csv"}).streaming_content).decode()
    assert table.count("10 %") == 2 and "difference" in table
    stranger = signed_in("stranger").get(address)
    assert stranger.status_code == 200 and house.order.number not in stranger.content.decode()
