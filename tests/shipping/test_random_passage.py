"""Packing, rolling, splitting, landing elsewhere, sailing and arriving in any order: every unit is somewhere, and every
date that is kept is the one that follows from what was said."""

import os
from datetime import timedelta
from decimal import Decimal as D

from django.db import transaction
from django.db.models import Sum
from hypothesis import strategies as some
from hypothesis.stateful import initialize, rule

from northing.actions.costing import ownership, revalue
from northing.actions.receiving import receive as receiving
from northing.actions.shipping import container_milestones, milestones, pack, reroute, retract
from northing.actions.shipping import load as loading
from northing.actions.worklist import expected_days
from northing.actions.worklist.deliveries import delivery_faults
from northing.actions.worklist.proof import move_faults
from northing.core.planning.passage import expected_legs
from northing.formats.identifiers import with_container_check_digit, with_imo_check_digit
from northing.orders.models import Instalment
from northing.positions.models import Position
from northing.reports.book_proof import book_faults
from northing.reports.proofs import position_faults
from northing.shipping.models import Container, DateStatement, Leg, PortCall, Shipment, ShipmentLine, Voyage
from northing.shipping.operations import CallPlan, LegPlan
from northing.shipping.queries import own_docks, planned_legs
from northing.worklist.models import LineSummary
from tests.across.machine import Machine, run
from tests.worlds import TODAY, small_world

EXAMPLES = int(os.environ.get("NORTHING_EXAMPLES", "5"))
DAY = timedelta(days=1)
PICK = some.integers(0, 30)
MILESTONES = some.sampled_from(["departure", "arrival"])
KINDS = some.sampled_from(["planned", "estimated", "actual", "actual"])


class Passages(Machine):
    """Two companies' parts, three voyages by the same ports, and all that can happen on the way."""

    @initialize(ours_from=some.sampled_from(["pickup", "on_board", "arrival", "receipt"]))
    def begin(self, ours_from):
        self.mark = transaction.savepoint()
        self.made = 0
        world = self.world
        world.daily_rates()
        orders = [
            world.sent_order({"A": D(60), "C": D(90)}, ours_from=ours_from),
            world.sent_order({"B": D(50)}),
            world.sent_order({"C": D(40)}, company=world.au, ours_from=ours_from),
        ]
        self.parts = list(Instalment.objects.filter(line__order__in=orders).order_by("pk"))
        self.total = D(240)
        for number, leaves in ((1, -2), (2, 0), (3, 9)):
            self.voyage(number, leaves)
        for number in range(2):
            self.shipment(number, [(part.pk, part.quantity // 3) for part in self.parts])

    def voyage(self, number, leaves):
        days = [TODAY + (leaves + more) * DAY for more in (0, 12, 13, 20)]
        calls = (CallPlan("CNNGB", None, days[0]), CallPlan("AUMEL", *days[1:3]), CallPlan("NZTRG", days[3], None))
        imo = with_imo_check_digit(f"90747{number}")
        asked = pack.VoyageRequest(f"V{number}", imo, f"{number}S", self.world.parties["provider"].pk, calls)
        pack.create_voyage(self.world.act("shipping"), asked)

    def shipment(self, pick, rows):
        world, voyage = self.world, self.one(Voyage.objects.all(), pick)
        key = pack.create_shipment(world.act("shipping"), pack.ShipmentRequest())
        leaves = voyage.calls.get(port="CNNGB").planned_departure
        days = [leaves + more * DAY for more in (-4, -1, 0, 20, 21, 22, 23)]
        plans = (
            LegPlan("road", "supplier", "CNNGB", days[0], days[1]),
            LegPlan("sea", "CNNGB", "NZTRG", days[2], days[3], True),
            LegPlan("customs", "NZTRG", "NZTRG", days[4], days[5]),
            LegPlan("road", "NZTRG", "TRG", days[6], days[6]),
        )
        self.ship(pack.plan_passage, pack.PassageRequest(key, voyage.pk, plans))
        boxes = tuple(loading.Box(None, self.number(), "22G1", "", tuple(rows)) for _ in range(2))
        self.ship(loading.load, loading.LoadRequest(key, boxes))

    def number(self):
        self.made += 1
        return with_container_check_digit(f"QXNU{self.made:06d}")

    def ship(self, action, request):
        self.attempt(action, "shipping", request)

    @rule(pick=PICK, part=some.integers(0, 3), quantity=some.integers(0, 40), new=some.booleans())
    def load(self, pick, part, quantity, new):
        box = self.one(Container.objects.all(), pick)
        if not box:
            return
        row = ((self.parts[part].pk, D(quantity)),)
        asked = loading.Box(None, self.number(), "45G1", "", row)
        if not new:
            asked = loading.Box(box.pk, box.number, box.size_type, box.seal, row)
        self.ship(loading.load, loading.LoadRequest(box.shipment_id, (asked,)))

    @rule(pick=PICK)
    def another_shipment(self, pick):
        part = self.parts[pick % 4]
        self.shipment(pick, [(part.pk, D(3))])

    @rule(pick=PICK, to=PICK)
    def roll(self, pick, to):
        shipment = self.one(Shipment.objects.filter(voyage__isnull=False), pick)
        if shipment:
            target = self.one(Voyage.objects.all(), to).pk
            self.ship(reroute.roll, reroute.RollRequest(shipment.voyage_id, target, (shipment.pk,)))

    @rule(pick=PICK, to=some.none() | PICK)
    def split_off(self, pick, to):
        box = self.one(Container.objects.all(), pick)
        if box:
            target = None if to is None else self.one(Voyage.objects.all(), to).pk
            self.ship(reroute.split_off, reroute.SplitRequest(box.shipment_id, (box.pk,), target))

    @rule(pick=PICK, call=PICK)
    def land_elsewhere(self, pick, call):
        shipment = self.one(Shipment.objects.filter(voyage__isnull=False), pick)
        if shipment:
            at = self.one(PortCall.objects.filter(voyage=shipment.voyage), call).pk
            self.ship(reroute.land_elsewhere, reroute.LandRequest(shipment.pk, at, "MEL", 2))

    @rule(pick=PICK, instead=PICK)
    def omit(self, pick, instead):
        call = self.one(PortCall.objects.all(), pick)
        other = self.one(PortCall.objects.filter(voyage=call.voyage), instead)
        self.ship(reroute.omit_port, reroute.OmitRequest(call.pk, other.pk))

    @rule(pick=PICK, to=PICK)
    def blank(self, pick, to):
        one, other = self.one(Voyage.objects.all(), pick), self.one(Voyage.objects.all(), to)
        self.ship(reroute.blank_sailing, reroute.BlankRequest(one.pk, other.pk))

    @rule(pick=PICK, milestone=MILESTONES, kind=KINDS, days=some.integers(-3, 30))
    def say(self, pick, milestone, kind, days):
        call = self.one(PortCall.objects.all(), pick)
        days = min(days, 0) if kind == "actual" else days
        asked = milestones.DateRequest(None, milestone, kind, TODAY + days * DAY, call=call.pk)
        self.ship(milestones.say_date, asked)

    @rule(pick=PICK, number=some.integers(1, 4), milestone=MILESTONES, kind=KINDS, days=some.integers(-3, 30))
    def say_of_a_leg(self, pick, number, milestone, kind, days):
        shipment = self.one(Shipment.objects.all(), pick)
        leg = Leg.objects.filter(shipment=shipment, number=number).first()
        if leg:
            days = min(days, 0) if kind == "actual" else days
            self.ship(milestones.say_date, milestones.DateRequest(leg.pk, milestone, kind, TODAY + days * DAY))

    @rule(
        pick=PICK,
        milestone=some.sampled_from(["discharged", "gate_out", "returned"]),
        kind=KINDS,
        days=some.integers(-3, 30),
    )
    def say_of_a_container(self, pick, milestone, kind, days):
        box = self.one(Container.objects.all(), pick)
        if box:
            days = min(days, 0) if kind == "actual" else days
            asked = container_milestones.BoxesRequest(
                box.shipment_id, (box.pk,), milestone, TODAY + days * DAY, kind=kind
            )
            self.ship(container_milestones.say_boxes, asked)

    @rule(pick=PICK)
    def take_back(self, pick):
        said = self.one(DateStatement.objects.all(), pick)
        if said:
            self.ship(retract.take_back, retract.TakeBackRequest(said.pk))

    @rule(pick=PICK, portion=some.sampled_from([0, 40, 100]), still=some.booleans())
    def receive(self, pick, portion, still):
        part = self.one(ShipmentLine.objects.filter(instalment__line__order__company=self.world.nz), pick)
        if part:
            row = receiving.ReceiveRow(part.pk, (part.quantity - part.accounted) * portion // 100, still)
            asked = receiving.ReceiveRequest(part.container_id, self.world.site.pk, "DN", TODAY, (row,))
            self.attempt(receiving.receive, "dock", asked)

    def prove(self):
        self.every_unit_is_somewhere()
        self.every_date_follows()

    def every_unit_is_somewhere(self):
        assert position_faults() == []
        assert book_faults() == delivery_faults() == []
        assert Instalment.objects.aggregate(total=Sum("quantity"))["total"] == self.total
        for place in ("packed", "under_way", "landed"):
            aboard = sum(
                part.quantity - part.accounted
                for part in ShipmentLine.objects.select_related("container__shipment")
                if part.place == place
            )
            assert (Position.objects.aggregate(total=Sum(place))["total"] or 0) == aboard, place

    def every_date_follows(self):
        shipments = list(Shipment.objects.all())
        planned, _ = planned_legs(shipments, TODAY)
        for shipment in shipments:
            legs, plan = planned[shipment.pk]
            days = expected_legs(plan, TODAY)
            kept = [(leg.expected_start, leg.expected_end) for leg in legs]
            assert kept == [(one.start, one.end) for one in days]
            assert shipment.expected_dock == (days[-1].end if days else None)
            assert ownership.owned_otherwise(revalue.moments_of({shipment.pk: shipment}, planned, TODAY)) == {}
            if shipment.departed_on and shipment.arrived_on:
                assert shipment.departed_on <= shipment.arrived_on
        kept = dict(Container.objects.values_list("pk", "own_dock"))
        assert {key: kept[key] for key in own_docks(planned, TODAY)} == own_docks(planned, TODAY)
        before = days_of_parts()
        expected_days.refresh_expected([part.pk for part in self.parts])
        assert days_of_parts() == before
        assert move_faults() == []


def days_of_parts():
    return [
        *Instalment.objects.order_by("pk").values_list("pk", "expected_on"),
        *LineSummary.objects.order_by("pk").values_list("pk", "expected_on"),
    ]


def test_identity_and_dates_hold_over_random_passages(db):
    run(Passages, small_world(), EXAMPLES, 24)
