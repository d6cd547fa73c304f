"""Many rows in one statement: columns go over as arrays, without an object for each row.

The ORM's bulk writes build an expression for every cell; at thousands of rows that is most of a deed's time.
"""

from collections.abc import Mapping, Sequence

from django.db import connection


def insert_columns(table: str, types: Mapping[str, str], rows: Sequence[tuple]) -> None:
    """Insert rows; `types` names the columns with their SQL types, in the order of the tuples."""
    if not rows:
        return
    arrays = ", ".join(f"%s::{kind}[]" for kind in types.values())
    with connection.cursor() as cursor:
        cursor.execute(f"insert into {table} ({', '.join(types)}) select * from unnest({arrays})", _columns(rows))


def update_columns(table: str, types: Mapping[str, str], rows: Sequence[tuple]) -> None:
    """Set the named columns of rows by id; each tuple begins with the id."""
    if not rows:
        return
    arrays = ", ".join(["%s::bigint[]", *(f"%s::{kind}[]" for kind in types.values())])
    sets = ", ".join(f"{name} = d.{name}" for name in types)
    with connection.cursor() as cursor:
        cursor.execute(
            f"update {table} t set {sets} from unnest({arrays}) as d(id, {', '.join(types)}) where t.id = d.id",
            _columns(rows),
        )


def _columns(rows: Sequence[tuple]) -> list[list]:
    return [list(column) for column in zip(*rows, strict=True)]
