"""How things are measured: both sides in turn, medians."""

import json
import statistics
import time

from django.db import connection, transaction
from psycopg.conninfo import make_conninfo


def clocked(work) -> float:
    """Seconds that `work` takes."""
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def side_by_side(ours, lean, rounds=15) -> tuple[float, float]:
    """Medians of both, taken in turn so that a busy moment hits both."""
    ours(), lean()
    pairs = [(clocked(ours), clocked(lean)) for _ in range(rounds)]
    return statistics.median(a for a, _ in pairs), statistics.median(b for _, b in pairs)


def undone(work):
    """`work` inside a transaction that is rolled back; only the work is timed, by the person who calls `clocked`."""

    def run():
        with transaction.atomic():
            work()
            # What a commit would check: foreign keys and the balance of entries.
            execute("set constraints all immediate")
            transaction.set_rollback(True)

    return run


def execute(sql, values=None):
    """The rows of a statement."""
    with connection.cursor() as cursor:
        cursor.execute(sql, values)
        return cursor.fetchall() if cursor.description else []


def address(database: str) -> str:
    """The connection string of a database beside the bench's."""
    given = connection.settings_dict
    where = {"host": given["HOST"], "port": given["PORT"], "user": given["USER"], "password": given["PASSWORD"]}
    return make_conninfo(dbname=database, **where)


def measured(name: str, figures: tuple[float, float], aim: float) -> str:
    """One line of the result, also printed at once: a run takes minutes."""
    ours, lean = figures
    ratio = ours / lean
    verdict = "met" if ratio <= aim else "MISSED"
    return told(f"{name:<58}{ours * 1000:>10.1f}{lean * 1000:>10.1f}{ratio:>8.2f}  aim {aim}  {verdict}")


def told(line: str) -> str:
    """Print a line and return it."""
    print(line, flush=True)
    return line


def insert_again(cursor, tables) -> None:
    """The same rows (by table: columns, rows), by executemany."""
    # Row by row no entry balances before its last posting; only this side goes without the guard.
    cursor.execute("alter table ledger_posting disable trigger balanced")
    for table, (names, rows) in tables.items():
        marks = ", ".join("%s" for _ in names)
        # A column may be called by a word of SQL, such as `into`.
        quoted = ", ".join(f'"{name}"' for name in names)
        plain = [tuple(json.dumps(cell) if isinstance(cell, (list, dict)) else cell for cell in row) for row in rows]
        cursor.executemany(f"insert into {table} ({quoted}) values ({marks})", plain)
