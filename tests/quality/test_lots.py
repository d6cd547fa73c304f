"""Rules of inspection: which counts, the plan of a lot, its verdict, switching over lots, and lots let through."""

import pytest
from django.urls import reverse

from northing.access.models import Grant
from northing.actions.masterdata.records import RecordRequest, keep_record
from northing.actions.quality.inspect import InspectRequest, inspect
from northing.actions.quality.request import SampleRequest
from northing.actions.quality.reverse import reverse_inspection
from northing.actions.reversal import ReverseRequest
from northing.claims.models import Claim
from northing.core.problems import Refused
from northing.core.quality.switching import sealed
from northing.inventory.models import OnHand
from northing.ledger.models import CostLayer
from northing.masterdata.inspections import rules_of
from northing.masterdata.models import InspectionRule, Item
from northing.quality.models import Inspection, LotDraw
from northing.quality.queries import plan_of
from northing.worklist.models import Matter
from tests.worlds import TODAY, D


@pytest.fixture
def sampled(world):
    """Kettles of which a sample of every receipt is taken; their supplier."""
    world.rule = InspectionRule.objects.create(item=world.items["A"], how="sampling")
    return world


def lot_of(world):
    """Kettles that just came."""
    units = D(1200)
    order = world.sent_order({"A": units})
    shipment = world.shipment([order])
    world.say(shipment, "departure")
    world.receive(shipment, {"A": units})
    return CostLayer.objects.filter(item=world.items["A"], kind="stock").latest("pk")


def judge(world, layer, found=0, passed=None, failed=None, who="inspector", **sample):
    """A verdict on a lot by a sample as large as its plan asks for, with so many major defects."""
    asked = plan_of(layer)
    sample = {"size": asked.sample, "major": found} | sample
    failed = D(found) if failed is None else D(failed)
    passed = layer.received - failed if passed is None else D(passed)
    request = InspectRequest(layer.pk, passed, failed, "dents" if failed else "", TODAY, (), SampleRequest(**sample))
    return inspect(world.act(who), request)


def states(layer):
    rows = OnHand.objects.filter(layer=layer, quantity__gt=0)
    return {row.status: row.quantity for row in rows}


def test_the_narrowest_rule_counts(world):
    item, supplier, other = world.items["A"], world.parties["USD"], world.parties["EUR"]
    Item.objects.filter(pk=item.pk).update(group="kettles", inspected=True)
    item.refresh_from_db()
    assert rules_of([item]).of(item, supplier.pk) is None and rules_of([item]).holds(item, supplier.pk)
    rules = [("", None, None), ("", None, supplier), ("kettles", None, None), ("kettles", None, supplier)]
    for group, of, whose in [*rules, ("", item, None), ("", item, supplier)]:
        made = InspectionRule.objects.create(group=group, item=of, supplier=whose, how="none")
        found = rules_of([item])
        assert found.of(item, supplier.pk) == made and not found.holds(item, supplier.pk)
        assert found.of(item, other.pk).supplier is None
    assert rules_of([]).of(world.items["B"], other.pk).how == "none"


def test_goods_are_held_by_their_rule_alone(sampled):
    world = sampled
    layer = lot_of(world)
    assert states(layer) == {"held": 1200} and Matter.objects.filter(kind="layer", record=layer.pk).exists()
    world.rule.how = "none"
    world.rule.save()
    Item.objects.filter(pk=layer.item_id).update(inspected=True)
    assert states(lot_of(world)) == {"in_store": 1200}


def test_the_plan_is_kept_with_the_verdict_and_an_accepted_lot_passes(sampled):
    layer = lot_of(sampled)
    plan = plan_of(layer)
    assert (plan.major.letter, plan.sample, plan.major.accept, plan.standing.state) == ("J", 80, 2, "normal")
    judge(sampled, layer, found=2)
    made = Inspection.objects.get()
    assert (made.lot, made.sample, made.major, made.accepted, made.state) == (1200, 80, 2, True, "normal")
    assert states(layer) == {"in_store": 1198, "rejected": 2} and Claim.objects.get().quantity == 2
    assert "of 80 looked at 0 critical, 2 major, 0 minor" in made.history.text
    assert plan_of(layer) is None, "a lot is judged by a sample once"


WRONG = [
    ({"size": 1201}, "larger than the lot"),
    ({"size": 79}, "asks for 80 units; 79"),
    ({"size": 0}, "how many units were looked at"),
    ({"major": -1}, "how many units were looked at"),
    ({"found": 50, "minor": 31}, "Count each unit once|81 of 80"),
    ({"found": 3, "failed": 2}, "has failed|and 2 failed"),
    ({"found": 3, "failed": 3}, "The sample rejects the lot"),
    ({"found": 0, "critical": 1, "failed": 1}, "The sample rejects the lot"),
    ({"found": 3, "passed": 100, "failed": 3, "sorted": True}, "The sample rejects the lot"),
    ({"found": 0, "passed": 0, "failed": 1200}, "The sample accepts the lot"),
]


@pytest.mark.parametrize(("change", "words"), WRONG)
def test_what_the_sample_does_not_bear_out_is_refused(sampled, change, words):
    layer = lot_of(sampled)
    with pytest.raises(Refused, match=words):
        judge(sampled, layer, **change)
    assert states(layer) == {"held": 1200} and not Inspection.objects.exists()


def test_a_rejected_lot_is_sorted_or_rejected_whole_and_overruled_by_who_may(sampled):
    sorted_lot, whole, taken = lot_of(sampled), lot_of(sampled), lot_of(sampled)
    judge(sampled, sorted_lot, found=3, failed=9, sorted=True)
    assert states(sorted_lot) == {"in_store": 1191, "rejected": 9}
    judge(sampled, whole, found=3, passed=0, failed=1200)
    assert states(whole) == {"rejected": 1200}
    assert plan_of(taken).standing.state == "tightened"
    with pytest.raises(Refused, match="rejects the lot") as stop:
        judge(sampled, taken, found=2, overruled="wanted in the shop")
    assert "who may decide about goods" in stop.value.problems[0].mend
    assert states(taken) == {"held": 1200}


def test_who_may_decide_about_goods_overrules_with_a_reason(sampled):
    layer = lot_of(sampled)
    Grant.objects.create(person=sampled.people["approver"], company=sampled.nz, role="inspector")
    judge(sampled, layer, found=3, who="approver", overruled="wanted in the shop")
    made = Inspection.objects.get()
    assert (made.accepted, made.overruled) == (
        False,
        "wanted in the shop",
    ) and "wanted in the shop" in made.history.text
    assert states(layer) == {"in_store": 1197, "rejected": 3}


def test_lots_switch_and_a_reversed_verdict_counts_no_more(sampled):
    first, second = lot_of(sampled), lot_of(sampled)
    for layer in (first, second):
        judge(sampled, layer, found=3, sorted=True)
    third = lot_of(sampled)
    asked = plan_of(third)
    assert (asked.major.accept, asked.standing.state) == (1, "tightened") and "two of five" in asked.standing.why
    reverse_inspection(sampled.act("inspector"), ReverseRequest(Inspection.objects.latest("pk").pk, "miscounted"))
    assert plan_of(third).standing.state == "normal" and plan_of(second) is not None


def test_lots_are_let_through_by_a_draw_that_was_sealed_before(sampled):
    world = sampled
    InspectionRule.objects.update(how="skip-lot", skip_after=2, skip_one_in=1000)
    for _ in range(2):
        judge(world, lot_of(world))
    waiting = LotDraw.objects.get(opened_at=None)
    layer = lot_of(world)
    waiting.refresh_from_db()
    assert waiting.layer == layer and waiting.skipped and sealed(bytes.fromhex(waiting.seed)) == waiting.sealed
    assert states(layer) == {"in_store": 1200} and Inspection.objects.latest("pk").skipped
    assert not Matter.objects.filter(kind="layer", record=layer.pk).exists()
    assert LotDraw.objects.filter(opened_at=None).count() == 1 and LotDraw.objects.count() == 3
    InspectionRule.objects.update(skip_one_in=1)
    assert states(lot_of(world)) == {"held": 1200}, "one in one is inspected"


def test_the_page_shows_the_plan_and_takes_the_sample(sampled, signed_in):
    layer = lot_of(sampled)
    page, url = signed_in("inspector"), reverse("inspect", args=[layer.pk])
    content = page.get(url).content.decode()
    assert "Look at 80 of 1200" in content and "at most <strong>2</strong> major" in content
    asked = {"sample": "80", "occurred_on": TODAY.isoformat(), "key": "k"}
    for sample, words in (("1300", "larger than the lot"), ("x", "whole number"), ("-4", "greater than or equal")):
        answer = page.post(url, asked | {"sample": sample})
        assert answer.status_code == 422 and words in answer.content.decode()
    assert b"The sample rejects" in page.post(url, asked | {"major": "3", "passed": "1197", "reason": "dents"}).content
    page.post(url, asked | {"minor": "1", "major": "2", "reason": "dents", "failed": "3"})
    assert states(layer) == {"in_store": 1197, "rejected": 3}
    again = page.get(reverse("inspect", args=[lot_of(sampled).pk])).content.decode()
    assert "Lots of this supplier" in again and "accepted, normal" in again


def test_the_sample_alone_decides_where_nothing_else_is_said(sampled, signed_in):
    good, bad = lot_of(sampled), lot_of(sampled)
    page, asked = signed_in("inspector"), {"sample": "80", "occurred_on": TODAY.isoformat()}
    page.post(reverse("inspect", args=[good.pk]), asked | {"key": "a"})
    page.post(reverse("inspect", args=[bad.pk]), asked | {"key": "b", "major": "4", "reason": "dents"})
    assert states(good) == {"in_store": 1200} and states(bad) == {"rejected": 1200}


def test_a_rule_is_kept_as_a_record_with_what_the_standard_knows(world):
    facts = {"item": "A", "how": "sampling", "aql": "1.0"}
    made = keep_record(world.act("administrator"), RecordRequest("inspect-rule", None, tuple(facts.items())))
    rule = InspectionRule.objects.get(pk=made)
    assert (rule.level, rule.aql, rule.reduces) == ("II", 1, True) and str(rule) == "A: a sample of every receipt"
    for change, words in (({"aql": "1.1"}, "is no AQL"), ({"level": "V"}, "Level"), ({"supplier": "NO"}, "supplier")):
        with pytest.raises(Refused, match=words):
            changed = tuple((facts | {"item": "B"} | change).items())
            keep_record(world.act("administrator"), RecordRequest("inspect-rule", None, changed))
    with pytest.raises(Refused, match="such a rule already"):
        keep_record(world.act("administrator"), RecordRequest("inspect-rule", None, tuple(facts.items())))
