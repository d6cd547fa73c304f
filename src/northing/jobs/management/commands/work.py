"""`manage work`: the worker. Does jobs, sends mails, wakes at set times; stops cleanly at a signal."""

import logging
import time

from django.core.management.base import BaseCommand
from django.db import OperationalError, connection
from procrastinate.contrib.django import app

STALLED = "update procrastinate_jobs set status = 'todo' where status = 'doing'"


PATIENCE, PAUSE = 120, 1


def _wait_for_database() -> None:
    """A worker that starts before its database waits for it; what is away for long ends it, and it is started again."""
    for _ in range(PATIENCE):
        try:
            connection.ensure_connection()
            return
        except OperationalError:
            time.sleep(PAUSE)
    connection.ensure_connection()


class Command(BaseCommand):
    help = "Run the worker until it is stopped"

    def add_arguments(self, parser):
        parser.add_argument("--once", action="store_true", help="do what waits, then stop")

    def handle(self, *args, once, **options):
        logging.getLogger("procrastinate").setLevel(logging.WARNING)
        _wait_for_database()
        # One worker serves a database: what stands as begun when it starts was cut off, and begins again.
        with connection.cursor() as cursor:
            cursor.execute(STALLED)
        connection.close()
        with app.replace_connector(app.connector.get_worker_connector()) as working:
            working.run_worker(wait=not once, concurrency=1, install_signal_handlers=True, listen_notify=not once)
