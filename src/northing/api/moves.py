"""The calls of goods that go into other bins: putaway, moves, and goods between the sites of a company."""

from collections.abc import Iterable
from typing import Annotated

from django.db.models import F
from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Query, Router

from northing.access.queries import scoped
from northing.actions.inventory.move import MoveRequest, MovesRequest, move_together
from northing.actions.inventory.put_away import PutAwayRequest, put_away
from northing.actions.inventory.transfer import ArrivedRow, ArriveRequest, SendRequest, arrive_goods, send_goods
from northing.actions.inventory.undo_move import undo_move
from northing.actions.reversal import ReverseRequest
from northing.api.callers import act_of, require
from northing.api.paging import USUAL, page
from northing.api.parameters import After, Key, Limit, answers
from northing.api.shapes import inventory as shapes
from northing.api.shapes.common import NO_NUL
from northing.core.problems import Problem, Refused
from northing.core.receiving.serials import numbers_of
from northing.inventory.models import BinMove, Transfer, TransferLine
from northing.masterdata.models import Bin, Site
from northing.reports.putaway import Task, busiest, tasks_of, to_put_away

router = Router()
Code = Annotated[str, Query("", max_length=40, pattern=NO_NUL)]


def _site(request: HttpRequest, code: str) -> Site:
    found = scoped(Site.objects.select_related("company"), request.auth.person).filter(code__iexact=code).first()
    if found is None:
        raise Http404
    return found


@router.get("/stock/putaway", response=answers(shapes.Tasks), tags=["stock"])
def tasks(request: HttpRequest, site: Code = ""):
    """Goods that wait to be put away at a site, the oldest 200 of them, with the bins in which they are best put.

    Without a site it is the one where most waits.
    """
    require(request, "read")
    mine = list(scoped(Site.objects.select_related("company"), request.auth.person))
    place = _site(request, site) if site else busiest(mine)
    rows = to_put_away([place] if place else [])
    return {"waiting": rows.count(), "items": [_task(one) for one in tasks_of(place, rows)] if place else []}


def _task(task: Task) -> dict[str, object]:
    lies, layer = task.lies, task.lies.layer
    came = layer.receipt_line
    return {
        "item": layer.item.code,
        "layer": layer.pk,
        "bin": lies.bin.code,
        "status": lies.status,
        "quantity": lies.quantity,
        "lot": layer.lot,
        "since": layer.occurred_on,
        "receipt": str(came.receipt) if came else None,
        "sscc": came.sscc if came else "",
        "proposed": [{"bin": one.code, "quantity": one.units, "why": one.why} for one in task.proposals],
    }


@router.post("/stock/putaway", response=answers(shapes.Made, 201), tags=["stock"])
def put(request: HttpRequest, asked: shapes.MovesIn):
    """Put goods away that lie at the dock; another bin than one that suits best needs a reason."""
    require(request, "dock")
    return 201, {"id": put_away(act_of(request), PutAwayRequest(_rows(request, asked)))}


@router.post("/stock/moves", response=answers(shapes.Made, 201), tags=["stock"])
def move(request: HttpRequest, asked: shapes.MovesIn):
    """Move goods between bins of a site."""
    require(request, "dock")
    return 201, {"id": move_together(act_of(request), MovesRequest(_rows(request, asked)))}


def _rows(request: HttpRequest, asked: shapes.MovesIn) -> tuple[MoveRequest, ...]:
    bins = _bins(_site(request, asked.site))
    return tuple(
        MoveRequest(
            row.layer,
            _bin(bins, row.bin, f"rows-{number}-bin"),
            row.status,
            row.quantity,
            _bin(bins, row.to, f"rows-{number}-to"),
            numbers_of(row.serials, f"rows-{number}-serials"),
            row.reason,
            str(number),
        )
        for number, row in enumerate(asked.rows)
    )


def _bins(site: Site) -> dict[str, int]:
    return {bin.code.upper(): bin.pk for bin in Bin.objects.filter(site=site)}


def _bin(bins: dict[str, int], code: str, where: str) -> int:
    if code.upper() not in bins:
        raise Refused(Problem(f"{code!r} is not a bin of this site.", where))
    return bins[code.upper()]


@router.post("/stock/moves/{move_id}/undo", response=answers(shapes.Made), tags=["stock"])
def undo(request: HttpRequest, move_id: Key, asked: shapes.UndoIn):
    """Undo a move, a putaway or an arrival: its goods lie where they lay."""
    require(request, "dock")
    get_object_or_404(scoped(BinMove.objects.all(), request.auth.person), pk=move_id)
    return 200, {"id": undo_move(act_of(request), ReverseRequest(move_id, asked.reason))}


@router.get("/stock/transfers", response=answers(shapes.TransferLines), tags=["stock"])
def on_way(request: HttpRequest, after: After = "", limit: Limit = USUAL):
    """What is on its way from one site of a company to another."""
    require(request, "read")
    found = scoped(TransferLine.objects.filter(ended__lt=F("quantity")), request.auth.person, "transfer__company")
    found = found.select_related("transfer__source", "transfer__target", "layer__item")
    rows, following = page(found, after, limit)
    return {"items": [_line(row) for row in rows], "next": following}


def _line(row: TransferLine) -> dict[str, object]:
    sent = row.transfer
    ends = {"source": sent.source.code, "target": sent.target.code, "sent_on": sent.sent_on}
    goods = {"item": row.layer.item.code, "layer": row.layer_id, "quantity": row.quantity, "on_way": row.left}
    return {"id": row.pk, "transfer": sent.pk} | ends | goods


@router.post("/stock/transfers", response=answers(shapes.Made, 201), tags=["stock"])
def send(request: HttpRequest, asked: shapes.TransferIn):
    """Send goods to another site of the company: they are on their way until they arrive."""
    require(request, "dock")
    source, target = _site(request, asked.site), _site(request, asked.to)
    bins = _bins(source)
    rows = tuple(_sent(bins, number, row) for number, row in enumerate(asked.rows))
    return 201, {"id": send_goods(act_of(request), SendRequest(target.pk, rows, asked.sent_on, asked.reference))}


def _sent(bins: dict[str, int], number: int, row: shapes.SentRowIn) -> MoveRequest:
    source, said = _bin(bins, row.bin, f"rows-{number}-bin"), numbers_of(row.serials, f"rows-{number}-serials")
    return MoveRequest(row.layer, source, row.status, row.quantity, 0, said, end=str(number))


@router.post("/stock/transfers/{transfer_id}/arrivals", response=answers(shapes.Made, 201), tags=["stock"])
def arrive(request: HttpRequest, transfer_id: Key, asked: shapes.ArrivalIn):
    """Units of a transfer arrive in bins, or come back; the rest is on its way still."""
    require(request, "dock")
    found = Transfer.objects.select_related("target")
    transfer = get_object_or_404(scoped(found, request.auth.person), pk=transfer_id)
    wanted = ArriveRequest(transfer.pk, _arrived(transfer, asked.rows), asked.back)
    return 201, {"id": arrive_goods(act_of(request), wanted)}


def _arrived(transfer: Transfer, rows: Iterable[shapes.ArrivedRowIn]) -> tuple[ArrivedRow, ...]:
    bins = _bins(transfer.target)
    return tuple(
        ArrivedRow(
            row.line,
            row.quantity,
            _bin(bins, row.bin, f"rows-{number}-bin") if row.bin else None,
            numbers_of(row.serials, f"rows-{number}-serials"),
        )
        for number, row in enumerate(rows)
    )
