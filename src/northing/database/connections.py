"""The connection of this thread."""

from django.db import connection


def release_connection() -> None:
    """Give the connection back while something slow outside is asked; the next query takes one again.

    Within a transaction there is nothing to give back.
    """
    if not connection.in_atomic_block:
        connection.close()
