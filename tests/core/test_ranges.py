"""Arrival ranges: by hand where one can count, and on generated histories where one can only measure."""

import random
from datetime import date, timedelta

import pytest

from northing.core.planning.ranges import ENOUGH, Range, Stretch, added, arrival_range, centred, learn, pooled, quantile

TODAY = date(2026, 11, 24)
DAY = timedelta(days=1)


def test_pooling_where_there_are_few():
    lane, carrier, every = ("VAN", "NGB"), ("VAN",), ()
    some = [([lane, carrier, every], 4)] * 5 + [([("VAN", "SGN"), carrier, every], 0)] * 40 + [([every], 9)] * 100
    learnt = learn(some)
    # 5 passages of the lane count whole; 40 of its carrier share the 15 that are lacking; all the others are not asked.
    spread, passages = pooled(learnt, [lane, carrier, every])
    assert passages == pytest.approx(ENOUGH)
    assert spread == pytest.approx({4: 5 / 20, 0: 15 / 20})
    # A lane that no one sailed speaks by its carrier alone, a carrier no one knows by all.
    assert pooled(learnt, [("VAN", "X"), carrier])[0] == pytest.approx({4: 5 / 45, 0: 40 / 45})
    assert set(pooled(learnt, [("X",), every])[0]) == {0, 4, 9}
    # A key with enough of its own asks no one.
    assert pooled(learn([([lane, every], 1)] * 30 + [([every], 7)] * 30), [lane, every]) == ({1: 1.0}, 30.0)


def test_too_few_say_nothing():
    assert pooled(learn([([()], 3)] * 4), [()]) == ({}, 0.0)
    assert pooled({}, [("A",), ()]) == ({}, 0.0)
    assert learn([([()], 999), ([()], -999)]) == {}


def test_sums_and_quantiles():
    assert added([{0: 0.5, 2: 0.5}, {0: 0.5, 1: 0.5}]) == {0: 0.25, 1: 0.25, 2: 0.25, 3: 0.25}
    assert added([]) == {0: 1.0}
    assert centred({3: 0.5, 5: 0.5}) == {0: 0.5, 2: 0.5}
    assert quantile({5: 1.0}, 0.9, 3) == 5


def test_a_range_by_hand():
    # Half arrive as planned, half four days late; then one day more in one case of ten.
    sea = Stretch("at sea", {0: 0.5, 4: 0.5}, 100)
    inland = Stretch("inland", {0: 0.9, 1: 0.1}, 100)
    found = arrival_range(TODAY + 10 * DAY, [sea, inland], TODAY)
    assert (found.likely, found.safe) == (TODAY + 11 * DAY, TODAY + 14 * DAY)
    assert found.chance(TODAY + 10 * DAY) == pytest.approx(0.45)
    assert found.chance(TODAY + 9 * DAY) == 0
    assert found.chance(TODAY + 20 * DAY) == pytest.approx(1)
    assert [(one.name, round(one.loses, 1)) for one in found.stretches] == [("at sea", 2.0), ("inland", 0.1)]
    # Two days late already, it is among those that come four days late.
    late = arrival_range(TODAY + 10 * DAY, [Stretch("at sea", {0: 0.5, 4: 0.5}, 100, gone=2)], TODAY)
    assert (late.likely, late.safe) == (TODAY + 14 * DAY, TODAY + 14 * DAY)
    # An estimate moves the base: only the spread around it is left.
    said = arrival_range(TODAY + 10 * DAY, [Stretch("at sea", {2: 0.6, 5: 0.4}, 100, estimated=True)], TODAY)
    assert (said.likely, said.safe) == (TODAY + 10 * DAY, TODAY + 13 * DAY)


def test_without_history_it_says_so_and_nothing_lies_before_today():
    nothing = arrival_range(TODAY, [Stretch("at sea", {}, 0)], TODAY)
    assert (nothing.likely, nothing.safe, nothing.chance(TODAY)) == (None, None, None)
    past = arrival_range(TODAY - 9 * DAY, [Stretch("at sea", {0: 0.5, 12: 0.5}, 50)], TODAY)
    assert (past.likely, past.safe) == (TODAY, TODAY + 3 * DAY)
    assert isinstance(past, Range)


def history(seed, passages):
    """Passages of eight lanes, six carriers and twelve suppliers, some seldom: three stretches off plan, skewed,
    each lane, carrier and supplier with a character of its own."""
    chance = random.Random(seed)
    lanes = {f"L{n}": chance.choice([0, 1, 2, 4]) for n in range(8)}
    carriers = {f"C{n}": chance.choice([0, 0, 1, 3]) for n in range(6)}
    suppliers = {f"S{n}": chance.choice([-1, 0, 2, 5]) for n in range(12)}

    def late(mean, spread):
        return round(mean + chance.gammavariate(2, spread / 2) - spread / 2)

    for _ in range(passages):
        lane = chance.choices(list(lanes), weights=[8, 8, 5, 3, 2, 1, 1, 0.3])[0]
        carrier = chance.choices(list(carriers), weights=[8, 6, 4, 2, 1, 0.5])[0]
        supplier = chance.choice(list(suppliers))
        days = {
            "ready": late(suppliers[supplier], 4),
            "sea": late(lanes[lane] + carriers[carrier], 5),
            "inland": late(1, 2),
        }
        keys = {
            "ready": [("ready", supplier), ("ready",)],
            "sea": [("sea", lane, carrier), ("sea", lane), ("sea", carrier), ("sea",)],
            "inland": [("inland", lane), ("inland",)],
        }
        yield keys, days


@pytest.mark.parametrize("seed", [1, 2, 3, 4, 5])
def test_the_range_holds_and_beats_the_plan_on_generated_histories(seed):
    *known, _ = history(seed, 1_500)
    learnt = learn((keys[name], days[name]) for keys, days in known for name in days)
    held, off_range, off_plan, count = 0, 0, 0, 0
    # The same lanes, carriers and suppliers go on: other passages of the same world.
    for place, (keys, days) in enumerate(history(seed, 4_500)):
        if place < 1_500:
            continue
        stretches = [Stretch(name, *pooled(learnt, keys[name])) for name in days]
        found = arrival_range(TODAY + 40 * DAY, stretches, TODAY)
        actual = TODAY + (40 + sum(days.values())) * DAY
        held += actual <= found.safe
        off_range += abs((actual - found.likely).days)
        off_plan += abs(sum(days.values()))
        count += 1
    assert 0.87 <= held / count <= 0.93, held / count
    assert off_range < off_plan
