"""The connection of this thread."""

from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection


@contextmanager
def one_at_a_time(kind: str, word: str) -> Iterator[None]:
    """Hold a word of a kind: another holder of the same word waits. No transaction is open for it."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_advisory_lock(hashtext(%s), hashtext(%s))", [kind, word])
    try:
        yield
    finally:
        with connection.cursor() as cursor:
            cursor.execute("select pg_advisory_unlock(hashtext(%s), hashtext(%s))", [kind, word])


def release_connection() -> None:
    """Give the connection back while something slow outside is asked; the next query takes one again.

    Within a transaction there is nothing to give back.
    """
    if not connection.in_atomic_block:
        connection.close()
