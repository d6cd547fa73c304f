"""Many rows in one statement: columns go over as arrays, without an object for each row.

The ORM's bulk writes build an expression for every cell; at thousands of rows that is most of a deed's time.
"""

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import connection


def insert_columns(table: str, types: Mapping[str, str], rows: Sequence[tuple], returning: str = "") -> dict[Any, int]:
    """Insert rows; `types` names the columns with their SQL types, in the order of the tuples.

    With `returning`, a column that tells the rows apart, their ids by it.
    """
    if not rows:
        return {}
    source, values = _source(types, rows)
    back = f" returning {returning}, id" if returning else ""
    with connection.cursor() as cursor:
        cursor.execute(f"insert into {table} ({', '.join(types)}) {source}{back}", values)
        return dict(cursor.fetchall()) if returning else {}


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
    many = {name: list(column) for name, column in columns.items() if name not in once}
    cells = ", ".join(f"%s::{types[name]} as {name}" if name in once else f"u.{name}" for name in types)
    arrays = ", ".join(f"%s::{types[name]}[]" for name in many)
    return f"select {cells} from unnest({arrays}) as u({', '.join(many)})", [*once.values(), *many.values()]
