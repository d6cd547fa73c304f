"""Tie goods without an order to an order: they are received against it on that day, where they lie."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from northing.access.acts import Act
from northing.actions.receiving.receive import Reason, ReceiveRequest, ReceiveRow, take_in
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import once
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.inventory import operations as inventory
from northing.inventory.models import OnHand, SerialNumber
from northing.inventory.operations import Place, StockMove
from northing.inventory.serials import forget_gone
from northing.ledger import operations as ledger
from northing.ledger.models import CostLayer, Entry, LayerTake
from northing.orders import operations as orders
from northing.orders.models import Instalment, OrderLine
from northing.receiving import operations as receiving
from northing.receiving.models import HeldDecision, Receipt

ZERO = Decimal(0)


@dataclass(frozen=True)
class TieRequest:
    """Held goods of a receipt (id) and the order line (id) that they are; all of its item, or a `quantity`."""

    receipt: int
    order_line: int
    occurred_on: date
    quantity: Decimal | None = None
    # More than the order's tolerance allows is taken all the same.
    accept: bool = False


@dataclass(frozen=True)
class Lying:
    """Held units of a layer in a bin, with their serial numbers."""

    layer: CostLayer
    bin: int
    quantity: Decimal
    serials: tuple[str, ...] = ()


@once
def tie(act: Act, request: TieRequest) -> int:
    """Receive held goods against an order line, its oldest open instalments first. Returns the new receipt's id."""
    receipt = Receipt.objects.select_related("site__company").get(pk=request.receipt)
    act.require("decide_goods", receipt.company_id)
    line = OrderLine.objects.select_related("order__supplier", "item").filter(pk=request.order_line).first()
    lying = _lying(receipt, line, request)
    rows = _rows(lying, line)
    reference = f"receipt {receipt}"
    units = plain(sum((one.quantity for one in lying), ZERO))
    what = f"Tied {units} {line.item.unit} of {line.item.code} of {reference} to {line.order.number}/{line.number}"

    def release(history: HistoryEntry, entry: Entry) -> None:
        _take_out(history, entry, lying)

    wanted = ReceiveRequest(
        None, receipt.site_id, receipt.delivery_note, request.occurred_on, rows, accept=request.accept
    )
    made = take_in(act, wanted, receipt.site, Reason("tie", what, receipt, release))
    receiving.write_decisions(
        [
            HeldDecision(
                line_id=one.layer.receipt_line_id,
                way=HeldDecision.Way.TIED,
                quantity=one.quantity,
                reference=f"{line.order.number}/{line.number}",
                occurred_on=request.occurred_on,
                decided_by=act.person,
                at=act.at,
                entry=made.entry,
                receipt=made,
            )
            for one in lying
        ]
    )
    bring_along(layers=[one.layer.pk for one in lying])
    return made.pk


def _lying(receipt: Receipt, line: OrderLine | None, request: TieRequest) -> list[Lying]:
    """The held units to be tied, the first that came first; their layers are locked."""
    if line is None or line.order.company_id != receipt.company_id:
        raise Refused(Problem("This line is of no order of the company.", "order_line", "Choose one of the list."))
    if line.order.sent_at is None:
        raise Refused(Problem(f"{line.order.number} is not sent yet.", "order_line", "Send it first."))
    orders.lock([line.order_id])
    layers = CostLayer.objects.select_for_update(of=("self",)).filter(
        receipt_line__receipt=receipt, kind="stock", item=line.item_id
    )
    layers = list(layers.exclude(receipt_line__why="").select_related("company", "receipt_line").order_by("pk"))
    theirs = [layer for layer in layers if layer.receipt_line.supplier_id == line.order.supplier_id]
    if layers and not theirs:
        whose = f"{line.order.number} is an order to {line.order.supplier}; these goods are another supplier's."
        raise Refused(Problem(whose, "order_line", "Choose an order to that supplier."))
    found = _from_bins(theirs, request.quantity)
    if not found:
        what = f"Nothing of {line.item.code} is held without an order in {receipt}."
        raise Refused(Problem(what, "order_line", "Reload the page."))
    return found


def _from_bins(layers: Sequence[CostLayer], quantity: Decimal | None) -> list[Lying]:
    rows = OnHand.objects.select_for_update().filter(layer__in=layers, status="held", quantity__gt=0)
    of_layer, found = {layer.pk: layer for layer in layers}, []
    left = quantity
    for row in rows.order_by("layer", "pk"):
        part = row.quantity if left is None else min(left, row.quantity)
        if part > 0:
            found.append(Lying(of_layer[row.layer_id], row.bin_id, part, _numbers(row, part)))
            left = None if left is None else left - part
    if left is not None and (left > 0 or quantity <= 0):
        there = sum((one.quantity for one in found), ZERO)
        raise Refused(Problem(f"Only {plain(there)} are held.", "quantity", "Tie at most that many, and more than 0."))
    return found


def _numbers(row: OnHand, part: Decimal) -> tuple[str, ...]:
    """The serial numbers of what lies there. Raises Refused where only a part of them would go."""
    rows = SerialNumber.objects.filter(layer=row.layer_id, bin=row.bin_id, status="held").order_by("number")
    numbers = tuple(rows.values_list("number", flat=True))
    if numbers and part != len(numbers):
        what = f"{len(numbers)} units with serial numbers lie together."
        raise Refused(Problem(what, "quantity", "Tie all of them, or move those that stay to another bin."))
    return numbers


def _rows(lying: Sequence[Lying], line: OrderLine) -> tuple[ReceiveRow, ...]:
    """Rows against the instalments of the line, the oldest open first; what is more is more of the last."""
    parts = list(Instalment.objects.filter(line=line, position__isnull=False).select_related("position"))
    parts.sort(key=lambda part: part.number)
    if not parts:
        raise Refused(Problem(f"{line.order.number} has nothing open on this line.", "order_line"))
    left = [[part.pk, part.position.with_supplier] for part in parts if part.position.with_supplier > 0]
    left = left or [[parts[-1].pk, ZERO]]
    rows = []
    for one in lying:
        units, numbers = one.quantity, list(one.serials)
        while units > 0:
            last = len(left) == 1
            part = units if last else min(units, left[0][1])
            serials = tuple(numbers[: int(part)])
            rows.append(replace(_row(one, left[0][0], part), serials=serials))
            del numbers[: len(serials)]
            units, left[0][1] = units - part, left[0][1] - part
            if left[0][1] <= 0 and not last:
                left.pop(0)
    return tuple(rows)


def _row(one: Lying, instalment: int, quantity: Decimal) -> ReceiveRow:
    line = one.layer.receipt_line
    return ReceiveRow(
        None,
        quantity,
        still_coming=True,
        lot=line.lot,
        best_before=line.best_before,
        bin=one.bin,
        instalment=instalment,
        sscc=line.sscc,
        tied_from=line.pk,
    )


def _take_out(history: HistoryEntry, entry: Entry, lying: Sequence[Lying]) -> None:
    """The goods leave the layers that belong to no order, in the action that receives them against one."""
    inventory.move_stock(
        history, [StockMove(one.layer.pk, one.quantity, Place(one.bin, "held"), None, one.serials) for one in lying]
    )
    forget_gone(one.layer.pk for one in lying)
    for one in lying:
        ledger.take(one.layer, one.quantity, LayerTake.Reason.TIED, entry, one.layer.company.currency)


def untie(history: HistoryEntry, entry: Entry, receipt: Receipt) -> list[int]:
    """The receipt that tied goods is reversed: they are held without an order again. Returns their layers (ids)."""
    decisions = list(HeldDecision.objects.filter(receipt=receipt, reversed_by=None).select_related("line"))
    locked = CostLayer.objects.select_for_update(of=("self",)).select_related("company")
    layers = {
        layer.receipt_line_id: layer
        for layer in locked.filter(receipt_line__in=[one.line_id for one in decisions], kind="stock").order_by("pk")
    }
    for one in decisions:
        ledger.give_back(layers[one.line_id], one.quantity, ZERO, ZERO, LayerTake.Reason.TIED, entry)
    inventory.move_back(history, receipt.history)
    receiving.mark_decisions_reversed(decisions, entry)
    return [layer.pk for layer in layers.values()]
