"""The rows of the line book: a page by keyset, groups with subtotals, counts, and everything for a file."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from django.db import connection, transaction

from northing.core.orders.sentence import Clause
from northing.core.positions.places import COLUMNS as PLACE_COLUMNS
from northing.core.worklist.moves import PARTIES
from northing.drawings.figures import day
from northing.reports.line_book.asked import Asked
from northing.reports.line_book.columns import BUYER, COMPANY, ITEM, SITE, SUPPLIER
from northing.reports.line_book.columns import COLUMNS as BOOK_COLUMNS
from northing.reports.line_book.where import Where, where

PAGE = 100
COUNTED = 1_000
CHUNK = 2_000
TABLE = "worklist_linesummary b"
JOINS = f"""
  join orders_purchaseorder o on o.id = b.order_id
  join orders_orderline l on l.id = b.line_id
  {ITEM} {SUPPLIER} {SITE} {BUYER} {COMPANY}
"""
_SHOWN = f"""
       b.agreed as agreed_all, b.need_by as needed,
       b.line_id as id, b.order_id, o.number as order_number, l.number, i.code, i.description, i.unit, b.currency,
       c.currency as base, b.reason, {", ".join(f"b.{name}" for name in PLACE_COLUMNS)}
"""


def _select(columns: Sequence[str]) -> str:
    return ", ".join([_SHOWN, *(f"{BOOK_COLUMNS[key].sql} as col_{key}" for key in columns)])


@dataclass
class Group:
    """Lines that belong together: how many, and what is outstanding on them in base currency."""

    key: Any
    label: str
    phrase: str
    lines: int = 0
    units: Decimal = Decimal(0)
    values: dict[str, Decimal] = field(default_factory=dict)


@dataclass
class BookPage:
    """A page: rows, the address of the next (empty at the end), what it counted, what it did not know."""

    rows: list[dict]
    next: str = ""
    start: str = ""
    counted: int = 0
    more: bool = False
    unknown: dict[Clause, str] = field(default_factory=dict)
    groups: list[Group] = field(default_factory=list)


def fetch(sql: str, values: dict) -> list[dict]:
    """The rows of a statement as dictionaries."""
    with connection.cursor() as cursor:
        cursor.execute(sql, values)
        names = [column.name for column in cursor.description]
        return [dict(zip(names, row, strict=True)) for row in cursor.fetchall()]


def book_page(asked: Asked, companies: set[int], today: date) -> BookPage:
    """The page that is asked for."""
    found = where(asked.clauses, companies, today)
    start = asked.address() if asked.after else ""
    if asked.group:
        from_groups = grouped_page(asked, found, today)
        return BookPage(*from_groups[:2], start=start, unknown=found.unknown, **from_groups[2])
    sql, values = page_sql(asked, found)
    rows = fetch(sql, values)
    counted, more = _count(found)
    following = asked.address(after=_mark(rows[PAGE - 1])) if len(rows) > PAGE else ""
    return BookPage(rows[:PAGE], following, start, counted, more, found.unknown)


def flat_page(asked: Asked, companies: set[int], today: date) -> tuple[list[dict], str, list[str]]:
    """Rows, the mark after the last (empty at the end), and what the sentence named that nothing is called."""
    found = where(asked.clauses, companies, today)
    rows = fetch(*page_sql(replace(asked, group=""), found))
    return rows[:PAGE], _mark(rows[PAGE - 1]) if len(rows) > PAGE else "", list(found.unknown.values())


def page_sql(asked: Asked, found: Where) -> tuple[str, dict]:
    """The statement of a page: rows are found in the line summary alone, names joined to those that are shown."""
    column = BOOK_COLUMNS[asked.sort]
    nullable = _nullable(asked)
    condition, values = _beyond(asked, column.order, nullable)
    way = "desc" if asked.down else "asc"
    order = f"b.sorted {way} nulls last, b.line_id {way}"
    inner = f"""select b.*, {column.order} as sorted from {TABLE} {column.joins}
                 where {found.text()} {condition}
                 order by {column.order} {_way(asked)}, b.line_id {way} limit %(limit)s"""
    sql = f"select b.sorted::text as mark, {_select(_keys(asked))} from ({inner}) b {JOINS} order by {order}"
    return sql, found.values | values | {"limit": PAGE + 1}


def _nullable(asked: Asked) -> bool:
    """Whether the sorted column may be empty; an open line is always expected some day."""
    shown = {clause.values[0] for clause in asked.clauses if clause.kind == "show"}
    return BOOK_COLUMNS[asked.sort].nullable and not (asked.sort == "expected_on" and shown <= {"open"})


def _way(asked: Asked) -> str:
    return ("desc" if asked.down else "asc") + (" nulls last" if _nullable(asked) and asked.down else "")


def _keys(asked: Asked) -> list[str]:
    return [column.key for column, _ in asked.columns]


def _mark(row: dict) -> str:
    return f"{row['id']}~{'' if row['mark'] is None else row['mark']}"


def _beyond(asked: Asked, order: str, nullable: bool) -> tuple[str, dict]:
    """The rows after the last one of the page before: by its place in the order, not by counting."""
    line, _, value = asked.after.partition("~")
    if not (line.isascii() and line.isdigit() and len(line) < 16):
        return "", {}
    than = "<" if asked.down else ">"
    if nullable and not value:
        return f"and {order} is null and b.line_id {than} %(after_line)s", {"after_line": int(line)}
    known = f"({order}, b.line_id) {than} (%(after_value)s::{_type(order)}, %(after_line)s)"
    return f"and ({known}{f' or {order} is null' if nullable else ''})", {
        "after_value": _clean(value, _type(order)),
        "after_line": int(line),
    }


def _type(order: str) -> str:
    for column in BOOK_COLUMNS.values():
        if column.order == order:
            kinds = {"quantity": "numeric", "money": "numeric", "base": "numeric", "day": "date", "days": "integer"}
            return "bigint" if column.key == "line" else kinds.get(column.kind, "text")
    raise LookupError(order)


def _clean(value: str, kind: str) -> object:
    """The value of a mark, or one before all where a person wrote nonsense into the address."""
    try:
        if kind == "date":
            return date.fromisoformat(value)
        if kind in ("integer", "bigint"):
            return max(min(int(value), 2**31 - 1), -(2**31))
        if kind == "numeric":
            number = Decimal(value)
            return number if number.is_finite() and abs(number) < Decimal(10) ** 18 else Decimal(0)
    except (ValueError, ArithmeticError):
        return {"date": date.min + timedelta(days=1), "numeric": Decimal(0)}.get(kind, 0)
    return value


def _count(found: Where) -> tuple[int, bool]:
    """How many lines there are, counted no further than COUNTED."""
    inner = f"select 1 from {TABLE} where {found.text()} limit {COUNTED + 1}"
    counted = fetch(f"select count(*) as n from ({inner}) x", found.values)[0]["n"]
    return min(counted, COUNTED), counted > COUNTED


def finished(asked: Asked, companies: set[int], today: date) -> tuple[int, bool]:
    """How many finished lines the question fits that looks at open ones only, and whether there are more."""
    if any(clause.kind == "show" for clause in asked.clauses):
        return 0, False
    return _count(where((Clause("show", ("finished",)), *asked.clauses), companies, today))


EXPECTED = "greatest(b.expected_on, %(today)s::date)"
_KEYS = {
    "supplier": "b.supplier_id",
    "item": "b.item_id",
    "order": "b.order_id",
    "site": "b.site_id",
    "port": "b.port",
    "week": f"date_trunc('week', {EXPECTED})::date",
    "move": "b.party",
}
# The week that today is in holds whatever was expected before; said so that an index on the day serves.
_IN_GROUP = {
    "week": """(b.expected_on between case when k.key <= %(today)s::date then '-infinity' else k.key end and k.key + 6
                or (k.key is null and b.expected_on is null))"""
}
_LABELS = {
    "supplier": "select id, name, code from masterdata_party where id = any(%(keys)s)",
    "item": "select id, code || ' ' || description, code from masterdata_item where id = any(%(keys)s)",
    "order": "select id, number, number from orders_purchaseorder where id = any(%(keys)s)",
    "site": "select id, name, code from masterdata_site where id = any(%(keys)s)",
    "port": "select code, name || ' (' || code || ')', code from masterdata_port where code = any(%(keys)s)",
}
_PHRASES = {"supplier": "from", "item": "of", "order": "order", "site": "to", "port": "from"}


def subtotals(asked: Asked, found: Where, today: date) -> list[Group]:
    """All the groups with their subtotals, in the order in which they stand."""
    key = _KEYS[asked.group]
    sql = f"""
      select {key} as key, c.currency, count(*) as lines, sum(b.outstanding) as units, sum(b.value_base) as value
        from {TABLE} {COMPANY}
       where {found.text()} group by 1, 2
    """
    groups: dict[Any, Group] = {}
    for row in fetch(sql, found.values):
        group = groups.setdefault(row["key"], Group(row["key"], "", ""))
        group.lines += row["lines"]
        group.units += row["units"]
        group.values[row["currency"]] = row["value"]
    _name(asked.group, groups, today)
    newest_first = asked.group == "order"
    dated = asked.group == "week"
    return sorted(
        groups.values(),
        key=lambda group: (group.key or date.max) if dated else (group.label.lower(), str(group.key)),
        reverse=newest_first,
    )


def _name(kind: str, groups: dict[Any, Group], today: date) -> None:
    if kind in _LABELS:
        keys = [key for key in groups if key not in (None, "")]
        with connection.cursor() as cursor:
            cursor.execute(_LABELS[kind], {"keys": keys})
            for key, label, phrase in cursor.fetchall():
                groups[key].label, groups[key].phrase = label, f"{_PHRASES[kind]} {phrase}"
    for key, group in groups.items():
        if kind == "week":
            group.label = f"week of {day(key, today.year)}" if key else "nothing expected"
            last = key + timedelta(days=6) if key else None
            group.phrase = f"expected {key.isoformat()} to {last.isoformat()}" if last else "expected never"
        elif kind == "move":
            group.label = group.phrase = PARTIES.get(key, "no one's move")
        elif not group.label:
            group.label, group.phrase = "none", ""


def grouped_page(asked: Asked, found: Where, today: date) -> tuple[list[dict], str, dict]:
    """A page of lines, group after group; one statement however many groups it touches."""
    groups = subtotals(asked, found, today)
    line, _, rest = asked.after.partition("~")
    index_text, _, mark = rest.partition("~")
    first = int(index_text) if index_text.isascii() and index_text.isdigit() and len(index_text) < 9 else 0
    column = BOOK_COLUMNS[asked.sort]
    way = "desc" if asked.down else "asc"
    within = replace(asked, after=f"{line}~{mark}" if asked.after else "")
    beyond, values = _beyond(within, column.order, _nullable(asked))
    here = _groups_of_page(groups, first)
    sql = f"""
      with keys as (select * from unnest(%(places)s::int[], %(keys)s::{_key_type(asked.group)}[]) as k(place, key))
      select b.place, b.sorted::text as mark, {_select(_keys(asked))}
        from (
          select k.place, x.* from keys k cross join lateral (
            select b.*, {column.order} as sorted from {TABLE} {column.joins}
             where {found.text()} and {_IN_GROUP.get(asked.group, f"{_KEYS[asked.group]} = k.key")}
               and (k.place > %(first)s or (true {beyond}))
             order by {column.order} {_way(asked)}, b.line_id {way} limit %(limit)s
          ) x
          order by k.place, x.sorted {way} nulls last, x.line_id {way} limit %(limit)s
        ) b {JOINS}
       order by b.place, b.sorted {way} nulls last, b.line_id {way}
    """
    rows = (
        fetch(
            sql,
            found.values
            | values
            | {
                "places": [place for place, _ in here],
                "keys": [key for _, key in here],
                "first": first,
                "limit": PAGE + 1,
            },
        )
        if here
        else []
    )
    for row in rows:
        row["group"] = groups[row["place"]]
    following = ""
    if len(rows) > PAGE:
        last = rows[PAGE - 1]
        following = asked.address(after=f"{last['id']}~{last['place']}~{last['mark'] or ''}")
    counted = sum(group.lines for group in groups)
    return rows[:PAGE], following, {"counted": counted, "groups": groups}


def _groups_of_page(groups: Sequence[Group], first: int) -> list[tuple[int, Any]]:
    """(place, key) of the groups that a page can reach: as many as hold a page of lines beyond the first of them."""
    found, lines = [], 0
    for place in range(first, len(groups)):
        found.append((place, groups[place].key))
        lines += groups[place].lines if place > first else 0
        if lines > PAGE:
            break
    return found


def _key_type(group: str) -> str:
    return {"port": "text", "move": "text", "week": "date"}.get(group, "bigint")


def totals(found: Where) -> list[dict]:
    """Lines, and the value outstanding, of all that match: by base currency."""
    sql = f"""select c.currency, count(*) as lines, sum(b.value_base) as value
                from {TABLE} {COMPANY} where {found.text()} group by 1 order by 1"""
    return fetch(sql, found.values)


def all_lines(found: Where, limit: int | None = None) -> list[int]:
    """The ids of all lines that match."""
    sql = f"select b.line_id from {TABLE} where {found.text()} order by b.line_id"
    with connection.cursor() as cursor:
        cursor.execute(sql + (f" limit {limit}" if limit else ""), found.values)
        return [key for (key,) in cursor.fetchall()]


def every_row(asked: Asked, found: Where) -> Iterator[dict]:
    """All the rows in their order, through a cursor of the server: memory does not grow with them."""
    column = BOOK_COLUMNS[asked.sort]
    way = "desc" if asked.down else "asc"
    sql = f"""select {_select(_keys(asked))} from {TABLE} {JOINS} where {found.text()}
               order by {column.order} {way} nulls last, b.line_id {way}"""
    with transaction.atomic(), connection.chunked_cursor() as cursor:
        cursor.execute(sql, found.values)
        names: list[str] = []
        while rows := cursor.fetchmany(CHUNK):
            names = names or [one.name for one in cursor.description]
            for row in rows:
                yield dict(zip(names, row, strict=True))
