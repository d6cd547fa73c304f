"""Order files: read and shown, then taken; by the worker where they are long, and exactly once.

A lot of rows is one transaction: the orders it writes and the mark that its rows are taken stand or fall together,
so that a worker that was killed goes on where it was.
"""

import hashlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby
from pathlib import Path

from django.conf import settings
from django.db import transaction

from northing.access.acts import Act
from northing.access.permissions import require_somewhere
from northing.actions.orders.check_file import CHANGES, NEW, SAME, WRONG, Judge, Judged
from northing.actions.orders.revise import change_order
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import HistoryDraft, add_history_rows, once
from northing.activity.store import settle, written_beside
from northing.core.problems import KeyReused, Problem, Refused
from northing.formats import grids, order_rows, ubl
from northing.orders import operations as orders
from northing.orders.models import OrderFile
from northing.orders.operations import FileRow

# Rows that are judged, or taken, together; an order's rows are never divided.
LOT = 2_000
# Told how many rows are done, of how many.
Progress = Callable[[int, int], None]


@dataclass(frozen=True)
class FileRequest:
    """A file that was put on disk: its name there is its content's digest."""

    name: str
    sha256: str


def folder() -> Path:
    """Where order files lie, outside what the web server serves."""
    return Path(settings.FILES) / "orders"


def keep(chunks: Iterable[bytes]) -> str:
    """Put a file on disk and return its digest. Raises Refused when it is too large."""
    digest, size = hashlib.sha256(), 0
    with written_beside(folder()) as (file, path):
        for chunk in chunks:
            size += len(chunk)
            if size > grids.LARGEST:
                what = f"The file is larger than {grids.LARGEST // 1_000_000} MB."
                raise Refused(Problem(what, "file", "Split it."))
            digest.update(chunk)
            file.write(chunk)
        settle(file, path, folder() / digest.hexdigest())
    return digest.hexdigest()


@once
def enter(act: Act, request: FileRequest) -> int:
    """Note a file that is to be read."""
    require_somewhere(act.person, "write_order")
    facts = {"name": request.name[-120:], "sha256": request.sha256}
    return orders.write_file(OrderFile(person=act.person, made_at=act.at, **facts)).pk


def read_file(act: Act, file: OrderFile, progress: Progress = lambda *_: None) -> None:
    """Read the rows and say of each what it would do. Begun again, it begins anew: nothing was done yet."""
    orders.empty_file(file)
    try:
        file.said, rows = _rows(folder() / file.sha256)
        header = next(rows, (0, []))[1]
        file.columns = order_rows.columns_of(header)
        total = orders.copy_rows(file, _entries(file.columns, rows))
        if not total:
            raise Refused(Problem("The file has no rows below its header.", "file"))
        _judge_all(act, file, total, progress)
    except Refused as refused:
        orders.empty_file(file)
        file.state, file.said = OrderFile.State.FAILED, str(refused)[:240]
        orders.write_file(file)
        raise
    file.state = OrderFile.State.SHOWN
    orders.write_file(file)


def _rows(path: Path) -> tuple[str, Iterator[tuple[int, list[str]]]]:
    with path.open("rb") as file:
        head = file.read(200).lstrip(b"\xef\xbb\xbf \r\n\t")
    if not head.startswith(b"<"):
        return grids.read_grid(path)
    lines = ubl.read_order(path.read_bytes())
    table = [list(order_rows.COLUMNS), *([line.get(name, "") for name in order_rows.COLUMNS] for line in lines)]
    return "a UBL Order", iter(enumerate(table, 1))


def _entries(columns: Sequence[str], rows: Iterable[tuple[int, list[str]]]) -> Iterator[tuple[int, str, dict]]:
    for number, cells in rows:
        found = {name: cell for name, cell in zip(columns, cells, strict=False) if name and cell}
        yield number, order_rows.group_of(found)[:200], found


def _judge_all(act: Act, file: OrderFile, total: int, progress: Progress) -> None:
    judge, done = Judge(act), 0
    for lot in _lots(orders.file_rows(file)):
        judged = judge.judge(lot)
        rows = [
            (row.pk, state, says, one.order.pk if one.order else None)
            for one in judged
            for (row, state), says in zip(one.each(), one.says, strict=True)
        ]
        orders.mark_rows(rows)
        done += len(lot)
        progress(done, total)


def _lots(rows: Iterable[FileRow]) -> Iterator[list[FileRow]]:
    """Rows in lots of about LOT, never dividing an order."""
    lot: list[FileRow] = []
    for _, group in groupby(rows, key=lambda row: row.group):
        of_order = list(group)
        if lot and len(lot) + len(of_order) > LOT:
            yield lot
            lot = []
        lot += of_order
    if lot:
        yield lot


def take_file(act: Act, file: OrderFile, progress: Progress = lambda *_: None) -> None:
    """Do what was shown, lot by lot. Rows that have changed since they were shown are left and say so."""
    orders.mark_file(file, OrderFile.State.TAKING)
    judge, done = Judge(act), file.rows.filter(state="taken").count()
    total = done + file.rows.filter(state__in=(NEW, CHANGES)).count()
    while True:
        with transaction.atomic():
            lot = _next_lot(file)
            if not lot:
                break
            _take(act, file, judge, lot)
        done += len(lot)
        progress(done, total)
    orders.mark_file(file, OrderFile.State.TAKEN)


def _next_lot(file: OrderFile) -> list[FileRow]:
    """The next orders that wait, about LOT rows of them, locked. The last one may have more rows than were read."""
    rows = orders.waiting_rows(file, limit=LOT)
    if len(rows) < LOT:
        return rows
    last = rows[-1].group
    whole = [row for row in rows if row.group != last]
    return whole or orders.waiting_rows(file, group=last)


def _take(act: Act, file: OrderFile, judge: Judge, rows: Sequence[FileRow]) -> None:
    shown = {row.pk: row.state for row in rows}
    judged = judge.judge(rows)
    for one in judged:
        if not one.wrong and any(shown[row.pk] != state for row, state in one.each() if state != SAME):
            one.states = [WRONG] * len(one.rows)
            one.says = ["The order has changed since the file was shown: read it again."] * len(one.rows)
    new = [one for one in judged if not one.wrong and one.terms is not None and one.order is None]
    written = orders.write_orders(act, [(one.terms, one.lines) for one in new if one.terms]) if new else []
    for one, order in zip(new, written, strict=True):
        one.order = order
    _tell(act, file, new)
    bring_along(orders=[order.pk for order in written])
    for one in judged:
        if one.change is not None and not one.wrong:
            _change(act, file, one)
    orders.mark_rows(
        (row.pk, state if state in (WRONG, "waits") else "taken", says, one.order.pk if one.order else None)
        for one in judged
        for (row, state), says in zip(one.each(), one.says, strict=True)
    )


def _tell(act: Act, file: OrderFile, new: Sequence[Judged]) -> None:
    lines = orders.line_keys([one.order.pk for one in new if one.order])
    told = []
    for one in new:
        order = one.order
        if order is not None:
            links = [("order", order.pk, order.company_id)]
            links += [("line", pk, order.company_id) for pk in lines[order.pk]]
            words = f"Wrote order {order.number} to {order.supplier} from the file {file.name}"
            told.append(HistoryDraft("write_order", words, links))
    add_history_rows(act, told)


def _change(act: Act, file: OrderFile, one: Judged) -> None:
    digest = hashlib.sha256(f"{file.pk}:{one.rows[0].group}".encode()).hexdigest()[:40]
    try:
        with transaction.atomic():
            change_order(Act(act.person, act.at, f"file:{digest}", act.channel), one.change)
    except KeyReused:
        one.says = ["This order was taken from this file before."] * len(one.rows)
    except Refused as refused:
        one.states = [WRONG] * len(one.rows)
        one.says = [" ".join(str(problem) for problem in refused.problems)] * len(one.rows)
