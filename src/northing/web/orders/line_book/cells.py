"""The cells of the line book as HTML text: at a hundred rows of a dozen columns a template loop is most of a page."""

from collections.abc import Callable, Sequence
from datetime import date
from decimal import Decimal
from html import escape

from northing.core.worklist.moves import PARTIES
from northing.drawings.figures import MINUS, count
from northing.drawings.figures import day as say_day
from northing.drawings.figures import money as say_money
from northing.drawings.strip import strip
from northing.reports.line_book.columns import Column

NONE = '<td class="n quiet">–</td>'
ZERO = Decimal(0)
SOFT_HYPHEN = "\u00ad"
CHANCE = "the chance that it is there by its need-by day, by past passages"
EVEN = 50


def _quantity(row: dict, value, _: date) -> str:
    if not value:
        return '<td class="n quiet">0</td>'
    return f'<td class="n">{count(value)} <small class="unit">{escape(row["unit"])}</small></td>'


def _money(row: dict, value, _: date) -> str:
    code = row["currency"]
    return f'<td class="n">{say_money(value, code)} <small class="unit">{code}</small></td>'


def _base(row: dict, value, _: date) -> str:
    return f'<td class="n">{say_money(value, row["base"])} <small class="unit">{row["base"]}</small></td>'


def _day(row: dict, value, today: date) -> str:
    return f'<td class="n">{say_day(value, today.year)}</td>' if value else NONE


def _expected(row: dict, value, today: date) -> str:
    return _day(row, max(value, today) if value else None, today)


def _days(row: dict, value, _: date) -> str:
    if value is None:
        return NONE
    return f'<td class="n">{f"{MINUS}{-value}" if value < 0 else value} d</td>'


def _slack(row: dict, value, today: date) -> str:
    """Days left to the need-by date as planned (below zero the promise to ourselves is broken), and how likely it is
    kept by what past passages took.
    """
    if value is None:
        return NONE
    chance = row.get("chance")
    likely = "" if chance is None else f' <small class="unit" title="{CHANCE}">{chance} %</small>'
    broken = " broken" if value < 0 or (chance is not None and chance < EVEN) else ""
    return f'<td class="n{broken}">{f"{MINUS}{-value}" if value < 0 else value} d{likely}</td>'


def _slip(row: dict, value, today: date) -> str:
    if value is None:
        return '<td class="n quiet">no promise</td>'
    return f'<td class="n broken">+{value} d</td>' if value > 0 else _days(row, value, today)


def _text(row: dict, value, _: date) -> str:
    text = escape(str(value or ""))
    return f'<td title="{text}">{text or "–"}</td>'


def _item(row: dict, value, _: date) -> str:
    words = escape(row["description"])
    return f'<td class="whole" title="{escape(row["code"])} {words}">{escape(row["code"])} <small>{words}</small></td>'


def _strip(row: dict, value, _: date) -> str:
    return f'<td class="whole">{strip(row, row["agreed_all"], row["unit"])}</td>'


def _move(row: dict, value, _: date) -> str:
    if not value:
        return '<td class="quiet">no one’s move</td>'
    return f'<td class="move-{value}" title="{escape(row["reason"])}">{PARTIES[value]}</td>'


KINDS: dict[str, Callable[[dict, object, date], str]] = {
    "quantity": _quantity,
    "money": _money,
    "base": _base,
    "day": _day,
    "days": _days,
    "text": _text,
    "item": _item,
    "strip": _strip,
    "move": _move,
}
OF_COLUMN = {"expected_on": _expected, "slack": _slack, "slip": _slip}


def cell_writers(columns: Sequence[tuple[Column, int]]) -> list[tuple[str, str, Callable[[dict, object, date], str]]]:
    """For each column after the line's own: the row's key, how its cell begins, and what writes it.

    The words of the column stand at the cell, for a screen on which a row is a card.
    """
    return [
        (
            f"col_{column.key}",
            "<td" if column.kind in ("item", "strip") else f'<td data-label="{column.label.replace(SOFT_HYPHEN, "")}"',
            OF_COLUMN.get(column.key, KINDS.get(column.kind, _text)),
        )
        for column, _ in columns
        if column.key != "line"
    ]


def row_html(rows: Sequence[dict], columns: Sequence[tuple[Column, int]], today: date) -> list[str]:
    """Each row as one text."""
    writers = cell_writers(columns)
    return [_row(row, writers, today) for row in rows]


def _row(row: dict, writers, today: date) -> str:
    name = escape(f"{row['order_number']}/{row['number']}")
    cells = "".join(begin + write(row, row[key], today)[3:] for key, begin, write in writers)
    return (
        f'<tr data-line="{row["id"]}"><th scope="row"><input type="checkbox" name="pick" value="{row["id"]}" '
        f'aria-label="Pick {name}"> <a href="/orders/lines/{row["id"]}/">{name}</a></th>{cells}</tr>'
    )
