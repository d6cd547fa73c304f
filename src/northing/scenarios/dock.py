"""The dock of a scenario: its receipts, and the ends of held goods."""

from dataclasses import replace
from decimal import Decimal
from typing import Any

from django.db import transaction

from northing.actions.inventory.adjust import AdjustRequest, adjust_stock
from northing.actions.receiving.answer_short import ShortAnswer, answer_short
from northing.actions.receiving.correct import CorrectRequest, correct_receipt
from northing.actions.receiving.held_goods import EndRequest, end_held_goods
from northing.actions.receiving.receive import receive
from northing.actions.receiving.request import ReceiveRequest, ReceiveRow, rest_said
from northing.actions.receiving.scans import Context, Scanned, goods_of, rows_of
from northing.actions.receiving.tie import TieRequest, tie
from northing.actions.receiving.told import TakeTold, ToldRequest, read_told, take_told
from northing.core.problems import Problem, Refused
from northing.core.receiving.serials import numbers_of
from northing.formats.told_receipts import Told, ToldLine
from northing.ledger.models import CostLayer
from northing.orders.models import PurchaseOrder
from northing.receiving.models import Receipt, ReceiptLine, ShortQuestion
from northing.receiving.queries import pallets_of
from northing.scenarios import shapes
from northing.scenarios.played import Played
from northing.scenarios.shapes import NotScenario
from northing.shipping.models import Container, ShipmentLine

ZERO = Decimal(0)


class Dock(Played):
    """Receipts, and the ends of held goods."""

    def receive(self, action: shapes.Receive) -> tuple[str, int]:
        """Goods out of a shipment's container, unpacked against an order, or without one from a supplier."""
        site = self.laid.one("sites", action.site)
        box, order = self._source(action)
        supplier = self.laid.one("parties", action.supplier).pk if action.supplier else _supplier(order)
        if action.scans:
            context = Context(site, box.pk if box else None, order, supplier)
            found = [(row, "scans") for row in _scanned(action, context)]
        else:
            used: dict[object, Decimal] = {}
            found = [
                (row, one.line) for one in action.rows for row in self._counted(box, order, one, action.site, used)
            ]
        rows = tuple(replace(row, not_there=action.emptied) for row, _ in found)
        head = (box.pk if box else None, site.pk, action.note, action.day)
        request = ReceiveRequest(*head, rows, action.accept, supplier, action.reason)
        try:
            return "receipt", receive(self.laid.act(action.day), request)
        except Refused as refused:
            lines = {row.key: line for row, line in found}
            raise Refused(_at_line(problem, lines) for problem in refused.problems) from None

    def _source(self, action: shapes.Receive) -> tuple[Container | None, int | None]:
        if not action.source:
            if not action.supplier:
                raise NotScenario("actions: receive names `from`, or a `supplier`")
            return None, None
        if self.made.get(action.source, ("order", 0))[0] == "order":
            return None, self.find("order", action.source)
        return self._box(action), None

    def _box(self, action: shapes.Receive) -> Container:
        shipment = self.find("shipment", action.source)
        boxes = Container.objects.filter(shipment=shipment).order_by("pk")
        if action.container:
            boxes = boxes.filter(pk=self.find("container", f"{action.source} {action.container}"))
        box = boxes.first()
        if box is None or boxes.count() > 1:
            raise NotScenario(f"actions: {action.source} has {boxes.count()} containers; name one")
        return box

    def _counted(
        self, box: Container | None, order: int | None, row: shapes.RowShape, site: str, used: dict[object, Decimal]
    ) -> list[ReceiveRow]:
        """The rows of a count: of the parts of a line, the oldest first; or of an item that is not ordered there."""
        if row.item:
            item, line = self.laid.one("items", row.item).pk, self.line(row.line).pk if row.line else None
            return [ReceiveRow(None, row.quantity, item=item, stands_for=line, **self._kept(row, site))]
        if not row.line:
            raise NotScenario("actions: a row names its line, or an item")
        if box:
            parts = ShipmentLine.objects.filter(container=box, instalment__in=self.parts(row.line))
            there = [(part.pk, None, part.quantity - part.accounted) for part in parts.order_by("instalment")]
        else:
            parts = self.parts(row.line).filter(line__order=order, position__isnull=False).select_related("position")
            there = [(None, part.pk, part.position.with_supplier) for part in parts]
        return self._rows(row, site, there, used)

    def _kept(self, row: shapes.RowShape, site: str) -> dict[str, Any]:
        bin = self.laid.one("bins", (site, row.bin)).pk if row.bin else None
        return {
            "lot": row.lot,
            "best_before": row.best_before,
            "bin": bin,
            "sscc": row.sscc,
            "condition": row.condition,
            "serials": numbers_of(row.serials),
        }

    def _rows(
        self, row: shapes.RowShape, site: str, there: list[tuple], used: dict[object, Decimal]
    ) -> list[ReceiveRow]:
        """The last part is the one that is over or short; parts that earlier rows filled are full."""
        said = {
            **rest_said(row.rest),
            "hold": row.over == "hold",
            **self._kept(row, site),
        }
        found, left, serials = [], row.quantity, said["serials"]
        for number, (part, instalment, open_units) in enumerate(there, 1):
            before = used.get((part, instalment), ZERO)
            units = left if number == len(there) else min(left, max(open_units - before, ZERO))
            said["serials"] = serials[: int(units)]
            serials = serials[int(units) :]
            found.append(ReceiveRow(part, units, instalment=instalment, **said))
            used[part, instalment] = before + units
            left -= units
        return found

    def told(self, action: shapes.TakeTold) -> tuple[str, int]:
        """A contract warehouse's receipt, read and taken at once."""
        site, act = self.laid.one("sites", action.site), self.laid.act(action.day)
        rows = tuple(self._told_row(place, row) for place, row in enumerate(action.rows, 1))
        with transaction.atomic():
            key = read_told(act, ToldRequest(site.pk, Told(action.number, action.day, "", rows)))
            take_told(act, TakeTold(key, action.rest, action.leave_out, action.accept, action.reason))
        return "told", key

    def _told_row(self, place: int, row: shapes.ToldShape) -> ToldLine:
        line = self.line(row.line) if row.line else None
        box = Container.objects.get(pk=self.find("container", row.container)).number if row.container else ""
        named = (line.order.number, str(line.number), "") if line else ("", "", row.item)
        return ToldLine(
            place,
            *named,
            row.quantity,
            row.rest,
            box,
            row.lot,
            row.best_before,
            numbers_of(row.serials),
            row.sscc,
            row.bin or "",
            row.condition,
            row.supplier,
            row.note,
        )

    def correct(self, action: shapes.Correct) -> tuple[str, int]:
        """A quantity of a receipt is another one."""
        receipt, line = self.find("receipt", action.receipt), self.line(action.line)
        found = ReceiptLine.objects.filter(receipt=receipt, instalment__line=line).order_by("pk").first()
        if found is None:
            raise Refused(Problem(f"{action.receipt} received nothing of {action.line}.", "line"))
        still, serials = action.rest == "coming", numbers_of(action.serials)
        request = CorrectRequest(found.pk, action.quantity, action.reason, still, serials)
        return "receipt", correct_receipt(self.laid.act(action.day), request)

    def tie(self, action: shapes.Tie) -> tuple[str, int]:
        """Held goods are those of an order line."""
        receipt, line = self.find("receipt", action.receipt), self.line(action.line)
        request = TieRequest(receipt, line.pk, action.day, action.quantity, action.accept)
        return "receipt", tie(self.laid.act(action.day), request)

    def end_held(self, action: shapes.EndHeld) -> tuple[str, int]:
        """Held goods without an order went back, or are kept."""
        receipt, item = self.find("receipt", action.receipt), self.laid.one("items", action.item)
        layers = CostLayer.objects.filter(receipt_line__receipt=receipt, item=item, kind="stock")
        layers = layers.exclude(receipt_line__why="").filter(on_hand__status="held", on_hand__quantity__gt=0)
        layer = layers.order_by("pk").first()
        if layer is None:
            raise Refused(Problem(f"Nothing of {action.item} is held without an order.", "item"))
        way = "sent back" if action.do == "send back" else "kept"
        said = numbers_of(action.serials)
        request = EndRequest(layer.pk, way, action.quantity, action.reference, action.day, said)
        return "held goods", end_held_goods(self.laid.act(action.day), request)

    def answer_short(self, action: shapes.AnswerShort) -> tuple[str, int]:
        """The buyer closes a rest, or leaves it open."""
        receipt, line = self.find("receipt", action.receipt), self.line(action.line)
        asked = ShortQuestion.objects.filter(line__receipt=receipt, instalment__line=line).order_by("answer", "pk")
        if not asked:
            raise Refused(Problem(f"Nothing was asked about {action.line}.", "line"))
        request = ShortAnswer(asked[0].pk, action.rest == "no more")
        return "receipt", answer_short(self.laid.act(action.day), request)

    def adjust(self, action: shapes.Adjust) -> tuple[str, int]:
        """Goods in a bin were counted."""
        bin, item = self.laid.one("bins", (action.site, action.bin)), self.laid.one("items", action.item)
        request = AdjustRequest(bin.pk, item.pk, action.lot, action.counted, action.reason, action.day)
        request = replace(request, serials=numbers_of(action.serials))
        return "adjustment", adjust_stock(self.laid.act(action.day), request)


def told_facts(key: int) -> dict[str, Any]:
    """Our numbers of the receipts that a told one became."""
    return {"receipts": list(Receipt.objects.filter(told_by=key).order_by("pk").values_list("number", flat=True))}


def receipt_facts(key: int) -> dict[str, Any]:
    """Our number of a receipt, and the SSCCs of its pallets."""
    return {"receipt": Receipt.objects.get(pk=key).number, "sscc": pallets_of(key)}


def _scanned(action: shapes.Receive, context: Context) -> list[ReceiveRow]:
    """The rows of the scans, as the dock's page reads them."""
    scans = [Scanned(one) if isinstance(one, str) else Scanned(one.scan, one.times) for one in action.scans]
    goods, bin = goods_of(scans, context)
    rest = rest_said(action.rest)
    return [replace(row, **rest) for row in rows_of(goods, context, bin)]


def _supplier(order: int | None) -> int | None:
    """Whose goods are that came with an order, and were not ordered there."""
    return PurchaseOrder.objects.values_list("supplier", flat=True).filter(pk=order).first()


def _at_line(problem: Problem, lines: dict[str, str]) -> Problem:
    """A problem of a row (`short-12`) as the file names its line (`short PO1/1`)."""
    field, _, rest = problem.where.partition("-")
    line = lines.get(rest.partition("-")[0])
    return replace(problem, where=f"{field} {line}") if line else problem
