"""Many rows in one statement, without an object for each row.

The ORM's bulk writes build an expression for every cell, and the driver quotes every cell of a list by itself; at
thousands of rows that is most of an action's time. New rows go over by COPY, what is written on old ones as one
literal a column.
"""

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from decimal import Decimal
from typing import Any

from django.db import connection

# As many rows as make it worthwhile to begin a COPY.
FEW = 4


def insert_columns(table: str, types: Mapping[str, str], rows: Sequence[tuple]) -> None:
    """Insert rows; `types` names the columns with their SQL types, in the order of the tuples."""
    if not rows:
        return
    with connection.cursor() as cursor:
        if len(rows) <= FEW:
            source, values = _source(types, rows)
            cursor.execute(f"insert into {table} ({', '.join(types)}) {source}", values)
            return
        with (
            connection.wrap_database_errors,
            cursor.cursor.copy(f"copy {table} ({', '.join(types)}) from stdin") as copy,
        ):
            for row in rows:
                copy.write_row(row)


def draw_keys(table: str, number: int) -> list[int]:
    """Ids for so many rows that are still to be inserted, ascending."""
    with connection.cursor() as cursor:
        sequence = "select nextval(pg_get_serial_sequence(%s, 'id')) from generate_series(1, %s)"
        cursor.execute(sequence, [table, number])
        return [key for (key,) in cursor.fetchall()]


def update_columns(table: str, types: Mapping[str, str], rows: Sequence[tuple]) -> None:
    """Set the named columns of rows by id; each tuple begins with the id."""
    if not rows:
        return
    source, values = _source({"id": "bigint", **types}, rows)
    sets = ", ".join(f"{name} = d.{name}" for name in types)
    with connection.cursor() as cursor:
        cursor.execute(f"update {table} t set {sets} from ({source}) d where t.id = d.id", values)


def _source(types: Mapping[str, str], rows: Sequence[tuple]) -> tuple[str, list[Any]]:
    """A select of the rows. A column with one value throughout is sent once, the others as arrays."""
    columns = dict(zip(types, zip(*rows, strict=True), strict=True))
    first = next(iter(columns))  # at least one array, so that there are as many rows as there are
    once = {name: column[0] for name, column in columns.items() if column.count(column[0]) == len(rows)}
    once.pop(first, None)
    many = {name: array(column) for name, column in columns.items() if name not in once}
    cells = ", ".join(f"%s::{types[name]} as {name}" if name in once else f"u.{name}" for name in types)
    arrays = ", ".join(f"%s::{types[name]}[]" for name in many)
    return f"select {cells} from unnest({arrays}) as u({', '.join(many)})", [*once.values(), *many.values()]


def array(values: Iterable[Any]) -> str:
    """An array as PostgreSQL writes it, to be cast: of texts, numbers, days, instants or truths; None is null.

    >>> array([1, None, 'a "b" \\\\', True])
    '{1,NULL,"a \\\\"b\\\\" \\\\\\\\",true}'
    """
    return "{" + ",".join(map(_cell, values)) + "}"


def _cell(value: Any) -> str:
    if value is None:
        return "NULL"
    if isinstance(value, str):
        return '"' + str(value).replace("\\", "\\\\").replace('"', '\\"') + '"'
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | Decimal):
        return str(value)
    if isinstance(value, date):  # a datetime too
        return f'"{value.isoformat()}"'
    raise TypeError(f"no array of {type(value).__name__}")
