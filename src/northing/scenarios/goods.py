"""Orders and shipments of a scenario."""

from collections.abc import Sequence
from datetime import timedelta
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.claims.make_good import MakeGoodRequest, make_good
from northing.actions.confirmations import answers
from northing.actions.orders import cancel, send, set_parts, write
from northing.actions.shipping import milestones, pack
from northing.claims.queries import replacements_owed
from northing.confirmations.models import Answer
from northing.core.costing.ownership import INCOTERMS
from northing.formats.identifiers import with_container_check_digit
from northing.orders.models import Instalment, OrderLine
from northing.scenarios import shapes
from northing.scenarios.cases import Cases
from northing.scenarios.shapes import NotScenario
from northing.shipping.models import Leg
from northing.shipping.operations import LegPlan

ZERO = Decimal(0)
# Days of a passage of which nothing is said.
PASSAGE, TO_DOCK, TO_NEED = 30, 3, 90


class Goods(Cases):
    """What is ordered, and how it travels."""

    def order(self, action: shapes.Order) -> tuple[str, int]:
        """Write, check, approve, send; the supplier answers as asked."""
        if action.incoterm not in INCOTERMS:
            raise NotScenario(f"actions: {action.incoterm!r} is no Incoterms rule")
        request = write.OrderRequest(
            company=self.laid.one("companies", action.company).pk,
            supplier=self.laid.one("parties", action.supplier).pk,
            site=self.laid.one("sites", action.site).pk,
            incoterm=action.incoterm,
            ours_from=(action.ours_from or "").replace(" ", "_"),
            need_by=action.need_by or action.day + timedelta(days=TO_NEED),
            lines=tuple(write.LineRequest(one.item, "", one.quantity, one.price) for one in action.lines),
            number=action.id,
        )
        act = self.laid.act(action.day)
        key = write.write_order(act, request)
        if self._go_on(act, key, action):
            self._divide(act, key, action)
            self._answer(act, key, action.lines)
        return "order", key

    def make_good(self, action: shapes.MakeGood) -> tuple[str, int]:
        """Replacements are ordered; the order goes its way, and the supplier answers as asked."""
        units: dict[int, Decimal] = {}
        for one in action.cases:
            case, left = self.case_of(one.case), one.quantity
            for said in replacements_owed(case.authorisations.all()):
                units[said.pk] = said.to_order if left is None else min(left, said.to_order)
                left = None if left is None else left - units[said.pk]
            if left and units:
                # More than is owed of it goes with the last.
                units[next(reversed(units))] += left
        act, number = self.laid.act(action.day), action.id
        key = make_good(act, MakeGoodRequest({pk: one for pk, one in units.items() if one}, not action.priced, number))
        if self._go_on(act, key, action):
            self._answer(act, key, ())
        return "order", key

    def _go_on(self, act: Act, key: int, action: shapes.Order | shapes.MakeGood) -> bool:
        """Check, approve and send an order, as far as the action says; whether it is sent and may be answered."""
        steps = (
            ("checked", send.check_order, act),
            ("approved", send.approve_order, self.laid.act(action.day, self.laid.second)),
            ("sent", send.send_order, act),
        )
        if action.stop == "draft":
            return False
        for name, step, who in steps:
            step(who, send.OrderAct(key))
            if action.stop == name:
                return False
        return True

    def _answer(self, act: Act, order: int, lines: Sequence[shapes.LineShape]) -> None:
        """The supplier answers as asked, or with the price of a part, which we accept."""
        prices = {
            (number, place): part.price
            for number, line in enumerate(lines, 1)
            for place, part in enumerate(line.parts, 1)
            if part.price is not None
        }
        parts = Instalment.objects.filter(line__order=order).select_related("line").order_by("pk")
        rows = tuple(
            answers.AnswerRow(
                one.pk, one.quantity, one.asked_on, prices.get((one.line.number, one.number), one.pack_price)
            )
            for one in parts
        )
        answers.record_answers(act, answers.AnswersRequest(order, "", act.today, rows))
        for waiting in Answer.objects.filter(instalment__line__order=order, outcome="open").order_by("pk"):
            answers.decide_answer(act, answers.Decision(waiting.pk, accept=True))

    def _divide(self, act: Act, order: int, action: shapes.Order) -> None:
        """Ask for lines in dated parts, before the supplier answers; the first is the one that is there."""
        for number, line in enumerate(action.lines, 1):
            if not line.parts:
                continue
            record = OrderLine.objects.select_related("order").get(order=order, number=number)
            first = Instalment.objects.get(line=record)
            parts = tuple(
                set_parts.PartRequest(None if place else first.pk, part.quantity, part.ready)
                for place, part in enumerate(line.parts)
            )
            set_parts.set_parts(act, set_parts.PartsRequest(record.pk, record.order.version, parts))

    def stop(self, action: shapes.Stop) -> None:
        """Cancel or reopen an order, or lines of it."""
        key = self.find("order", action.order)
        lines = tuple(self.line(f"{action.order}/{number}").pk for number in action.lines)
        step = cancel.cancel if action.do == "cancel" else cancel.reopen
        step(self.laid.act(action.day), cancel.StopRequest(key, lines))

    def ship(self, action: shapes.Ship) -> tuple[str, int]:
        """Pack into containers, with a planned passage."""
        act = self.laid.act(action.day)
        key = pack.create_shipment(act, pack.ShipmentRequest(reference=action.id))
        departs = action.departs or action.day
        arrives = action.arrives or departs + timedelta(days=PASSAGE)
        dock = action.dock or arrives + timedelta(days=TO_DOCK)
        legs = (
            LegPlan("sea", "port of loading", "port of discharge", departs, arrives, True),
            LegPlan("road", "port of discharge", "dock", arrives, dock),
        )
        pack.plan_passage(act, pack.PassageRequest(key, None, legs))
        for name in dict.fromkeys(part.container for part in action.parts):
            self.boxes += 1
            number = with_container_check_digit(f"SCNU{self.boxes:06d}")
            box = pack.add_container(act, pack.ContainerRequest(key, number, "45G1"))
            self.made[f"{action.id} {name}"] = ("container", box)
            rows = [row for part in action.parts if part.container == name for row in self._portions(part)]
            pack.stow(act, pack.StowRequest(box, tuple(rows)))
        return "shipment", key

    def _portions(self, part: shapes.PartShape) -> list[tuple[int, Decimal]]:
        """Which instalments of a line the quantity is, the oldest first."""
        left, found = part.quantity, []
        parts = list(self.parts(part.line).select_related("position"))
        for one in parts:
            there = min(left, one.position.with_supplier) if one is not parts[-1] else left
            if there > 0:
                found.append((one.pk, there))
                left -= there
        return found

    def depart(self, action: shapes.Happened) -> None:
        """An actual departure."""
        self._happened(action, "departure")

    def arrive(self, action: shapes.Happened) -> None:
        """An actual arrival."""
        self._happened(action, "arrival")

    def _happened(self, action: shapes.Happened, milestone: str) -> None:
        leg = Leg.objects.get(shipment=self.find("shipment", action.shipment), main=True)
        request = milestones.DateRequest(leg.pk, milestone, "actual", action.day, accept=action.accept)
        milestones.say_date(self.laid.act(action.day), request)
