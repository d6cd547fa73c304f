"""Goods go from one site of a company to another in two steps: sent, and arrived. In between they are on their way."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.inventory.move import MoveRequest, follow_site, links_of, locked_rows, row_problems, words_of
from northing.actions.inventory.shelves import refusals
from northing.activity.operations import Link, add_history, once
from northing.core.inventory.bins import Goods
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory import operations
from northing.inventory.models import BinMove, Status, Transfer, TransferLine
from northing.inventory.operations import Place, StockMove
from northing.ledger.models import CostLayer
from northing.masterdata.models import Bin, Site
from northing.masterdata.queries import default_bin

ZERO = Decimal(0)


@dataclass(frozen=True)
class SendRequest:
    """Units of layers that lie in bins of one site, and the site (id) they go to. The rows name no target."""

    target: int
    rows: tuple[MoveRequest, ...]
    sent_on: date
    reference: str = ""


@dataclass(frozen=True)
class ArrivedRow:
    """Units of a line of the transfer, and the bin (ids) they are put into; without one it is the dock's."""

    line: int
    quantity: Decimal
    bin: int | None = None
    serials: tuple[str, ...] = ()


@dataclass(frozen=True)
class ArriveRequest:
    """Units of a transfer (id) that arrived; with `back`, units that came back into the bins they left."""

    transfer: int
    rows: tuple[ArrivedRow, ...]
    back: bool = False


@once
def send_goods(act: Act, request: SendRequest) -> int:
    """The goods leave their bins; they are of the company still, and on their way. Returns the transfer's id."""
    target = Site.objects.select_related("company").get(pk=request.target)
    dock = default_bin(target.pk, Bin.Purpose.DOCK)
    rows = locked_rows([_to(row, dock) for row in request.rows])
    source = rows[0].source.site
    for site in sorted({row.source.site_id for row in rows}):
        act.require_at("issue_stock", rows[0].layer.company_id, site)
    problems = future_problem(request.sent_on, act, "sent_on")
    if any(row.source.site_id == target.pk for row in rows):
        problems.append(Problem("The goods are at this site.", "target", "Choose another site, or move them."))
    if len({row.source.site_id for row in rows}) > 1:
        problems.append(Problem("The goods are at several sites.", "rows", "Send those of one site."))
    refuse_if([*problems, *row_problems(rows)])
    what = f"Sent {words_of([row.units for row in rows])} to {target}"
    history = add_history(act, "send_goods", what, links_of(rows), request.sent_on)
    moves = [
        StockMove(
            row.layer.pk,
            row.asked.quantity,
            Place(row.source.pk, row.asked.status),
            Place(dock.pk, Status.ON_WAY),
            row.asked.serials,
        )
        for row in rows
    ]
    operations.move_stock(history, moves)
    transfer = Transfer(company=target.company, source=source, target=target, sent_on=request.sent_on, history=history)
    transfer.reference, transfer.sent_by, transfer.at = request.reference.strip(), act.person, act.at
    lines = [
        TransferLine(
            layer=row.layer, source=row.source, dock=dock, status=row.asked.status, quantity=row.asked.quantity
        )
        for row in rows
    ]
    return operations.write_transfer(transfer, lines).pk


def _to(row: MoveRequest, dock: Bin) -> MoveRequest:
    return MoveRequest(row.layer, row.source, row.status, row.quantity, dock.pk, row.serials, row.reason, row.end)


@once
def arrive_goods(act: Act, request: ArriveRequest) -> int:
    """Units of a transfer lie in bins of its site, or back in their own; the rest is on its way. Returns the move."""
    found = Transfer.objects.select_for_update(of=("self",)).select_related("source", "target", "company")
    transfer = found.get(pk=request.transfer)
    site = transfer.source if request.back else transfer.target
    act.require_at("issue_stock", transfer.company_id, site.pk)
    lines = {one.pk: one for one in _locked_lines(transfer)}
    rows = [row for row in request.rows if row.quantity]
    refuse_if(_arrival_problems(rows, lines))
    ended = [(lines[row.line], row.quantity) for row in rows]
    bins = _bins(request, rows, lines, site)
    refuse_if(_bin_problems(rows, lines, bins, site))
    units = words_of([f"{plain(units)} {line.layer.item.unit} of {line.layer.item.code}" for line, units in ended])
    what = f"{units} {'came back to' if request.back else 'arrived at'} {site}"
    links: list[Link] = [("item", line.layer.item_id, transfer.company_id) for line, _ in ended]
    links += [("layer", line.layer_id, transfer.company_id) for line, _ in ended]
    history = add_history(act, "arrive_goods", what, links)
    moves = [
        StockMove(
            lines[row.line].layer_id,
            row.quantity,
            Place(lines[row.line].dock_id, Status.ON_WAY),
            Place(bins[row.line].pk, lines[row.line].status),
            row.serials,
        )
        for row in rows
    ]
    operations.move_stock(history, moves)
    operations.end_lines(ended)
    follow_site(line.layer for line, _ in ended)
    return operations.write_bin_move(act, BinMove.What.ARRIVED, site, history, transfer).pk


def _locked_lines(transfer: Transfer) -> list[TransferLine]:
    """The lines of a transfer, locked, after their layers."""
    list(CostLayer.objects.select_for_update(of=("self",)).filter(transfer_lines__transfer=transfer).order_by("pk"))
    lines = TransferLine.objects.select_for_update(of=("self",)).filter(transfer=transfer)
    return list(lines.select_related("layer__item", "layer__company", "source__site").order_by("pk"))


def _arrival_problems(rows: Sequence[ArrivedRow], lines: dict[int, TransferLine]) -> list[Problem]:
    if not rows:
        return [Problem("Nothing arrived.", "rows", "Enter what arrived.")]
    if len({row.line for row in rows}) < len(rows):
        return [Problem("A line is there twice.", "rows", "Let the parts arrive one after the other.")]
    found = []
    for row in rows:
        line, where = lines.get(row.line), f"quantity-{row.line}"
        if line is None:
            raise Refused(Problem("These goods are not of this transfer.", where, "Reload the page."))
        item = line.layer.item
        if row.quantity < 0:
            found.append(Problem("The quantity must not be negative.", where))
        elif round(row.quantity, item.decimals) != row.quantity:
            found.append(Problem(f"{item.code} is counted in whole {item.unit}.", where, "Enter whole units."))
        elif row.quantity > line.left:
            what = f"Only {plain(line.left)} {item.unit} of {item.code} are on their way."
            found.append(Problem(what, where, "Enter at most that; count what is too many in its bin."))
    return found


def _bins(
    request: ArriveRequest, rows: Sequence[ArrivedRow], lines: dict[int, TransferLine], site: Site
) -> dict[int, Bin]:
    """By line (id): the bin the goods are put into; one of another site is left out."""
    if request.back:
        return {row.line: lines[row.line].source for row in rows}
    known = Bin.objects.select_related("site").filter(site=site).in_bulk([row.bin for row in rows if row.bin])
    docks = Bin.objects.in_bulk({lines[row.line].dock_id for row in rows})
    return {
        row.line: bin
        for row in rows
        if (bin := known.get(row.bin) if row.bin else docks[lines[row.line].dock_id]) is not None
    }


def _bin_problems(
    rows: Sequence[ArrivedRow], lines: dict[int, TransferLine], bins: dict[int, Bin], site: Site
) -> list[Problem]:
    found, placed = [], []
    for row in rows:
        where, bin, line = f"bin-{row.line}", bins.get(row.line), lines[row.line]
        if bin is None:
            found.append(Problem(f"This bin is not at {site}.", where, "Choose one of the list."))
        elif line.status != Status.IN_STORE and bin.purpose == Bin.Purpose.STORE:
            what = f"Goods that are {line.status} do not go into the store."
            found.append(Problem(what, where, "Choose a dock or quarantine bin."))
        else:
            placed.append((bin, Goods(line.layer.item.code, row.quantity, line.layer.lot), where))
    return found or refusals(placed)
