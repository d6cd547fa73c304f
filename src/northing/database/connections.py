"""The connection of this thread."""

from django.db import connection


def lock_word(kind: str, word: str) -> None:
    """Hold a word of a kind until the transaction ends; who wants the same word meanwhile waits."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_advisory_xact_lock(hashtext(%s), hashtext(%s))", [kind, word])


def release_connection() -> None:
    """Give the connection back while something slow outside is asked; the next query takes one again.

    Within a transaction there is nothing to give back.
    """
    if not connection.in_atomic_block:
        connection.close()
