"""Orders, shipments and receipts of a scenario."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.confirmations import answers
from northing.actions.orders import cancel, send, set_parts, write
from northing.actions.receiving.receive import receive
from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.actions.shipping import milestones, pack
from northing.confirmations.models import Answer
from northing.core.costing.ownership import INCOTERMS
from northing.core.problems import Problem, Refused
from northing.formats.identifiers import with_container_check_digit
from northing.orders.models import Instalment, OrderLine
from northing.scenarios import shapes
from northing.scenarios.played import Played
from northing.scenarios.shapes import NotScenario
from northing.shipping.models import Container, Leg, ShipmentLine
from northing.shipping.operations import LegPlan

ZERO = Decimal(0)
# Days of a passage of which nothing is said.
PASSAGE, TO_DOCK, TO_NEED = 30, 3, 90


class Goods(Played):
    """What is ordered, how it travels and what the dock finds."""

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
        steps = (
            ("checked", send.check_order, act),
            ("approved", send.approve_order, self.laid.act(action.day, self.laid.second)),
            ("sent", send.send_order, act),
        )
        if action.stop == "draft":
            return "order", key
        for name, step, who in steps:
            step(who, send.OrderAct(key))
            if action.stop == name:
                return "order", key
        self._divide(act, key, action)
        self._answer(act, key, action)
        return "order", key

    def _answer(self, act: Act, order: int, action: shapes.Order) -> None:
        """The supplier answers as asked, or with the price of a part, which we accept."""
        prices = {
            (number, place): part.price
            for number, line in enumerate(action.lines, 1)
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
        answers.record_answers(act, answers.AnswersRequest(order, "", action.day, rows))
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

    def receive(self, action: shapes.Receive) -> tuple[str, int]:
        """Goods out of a shipment's container, or unpacked against an order."""
        site = self.laid.one("sites", action.site)
        box = None
        if self.made.get(action.source, ("order", 0))[0] == "order":
            order = self.find("order", action.source)
            found = [(row, one) for one in action.rows for row in self._unpacked(order, one, action.site)]
        else:
            box = self._box(action)
            found = [(row, one) for one in action.rows for row in self._packed(box, one, action.site)]
        rows = tuple(replace(row, not_there=action.emptied) for row, _ in found)
        request = ReceiveRequest(box.pk if box else None, site.pk, action.note, action.day, rows, action.accept)
        try:
            return "receipt", receive(self.laid.act(action.day), request)
        except Refused as refused:
            lines = {row.key: one.line for row, one in found}
            raise Refused(_at_line(problem, lines) for problem in refused.problems) from None

    def _box(self, action: shapes.Receive) -> Container:
        shipment = self.find("shipment", action.source)
        boxes = Container.objects.filter(shipment=shipment).order_by("pk")
        if action.container:
            boxes = boxes.filter(pk=self.find("container", f"{action.source} {action.container}"))
        box = boxes.first()
        if box is None or boxes.count() > 1:
            raise NotScenario(f"actions: {action.source} has {boxes.count()} containers; name one")
        return box

    def _packed(self, box: Container, row: shapes.RowShape, site: str) -> list[ReceiveRow]:
        """The parts of a line in a container, the oldest first; what is over or short is so of the last."""
        parts = ShipmentLine.objects.filter(container=box, instalment__in=self.parts(row.line)).order_by("instalment")
        there = [(part.pk, None, part.quantity - part.accounted) for part in parts]
        return self._rows(row, site, there)

    def _unpacked(self, order: int, row: shapes.RowShape, site: str) -> list[ReceiveRow]:
        """The instalments of a line, the oldest first."""
        parts = self.parts(row.line).filter(line__order=order, position__isnull=False).select_related("position")
        return self._rows(row, site, [(None, part.pk, part.position.with_supplier) for part in parts])

    def _rows(self, row: shapes.RowShape, site: str, there: list[tuple]) -> list[ReceiveRow]:
        bin = self.laid.one("bins", (site, row.bin)).pk if row.bin else None
        coming = {"coming": True, "no more": False}.get(row.rest)
        found, left = [], row.quantity
        for number, (part, instalment, open_units) in enumerate(there, 1):
            units = left if number == len(there) else min(left, open_units)
            found.append(ReceiveRow(part, units, coming, row.lot, row.best_before, bin, instalment))
            left -= units
        return found


def _at_line(problem: Problem, lines: dict[str, str]) -> Problem:
    """A problem of a row (`short-12`) as the file names its line (`short PO1/1`)."""
    field, _, rest = problem.where.partition("-")
    line = lines.get(rest.partition("-")[0])
    return replace(problem, where=f"{field} {line}") if line else problem
