"""`manage work`: the worker. Does jobs, sends mails, wakes at set times; stops cleanly at a signal."""

import logging

from django.core.management.base import BaseCommand
from django.db import connection
from procrastinate.contrib.django import app

STALLED = "update procrastinate_jobs set status = 'todo' where status = 'doing'"


class Command(BaseCommand):
    help = "Run the worker until it is stopped"

    def add_arguments(self, parser):
        parser.add_argument("--once", action="store_true", help="do what waits, then stop")

    def handle(self, *args, once, **options):
        logging.getLogger("procrastinate").setLevel(logging.WARNING)
        # One worker serves a database: what stands as begun when it starts was cut off, and begins again.
        with connection.cursor() as cursor:
            cursor.execute(STALLED)
        connection.close()
        with app.replace_connector(app.connector.get_worker_connector()) as working:
            working.run_worker(wait=not once, concurrency=1, install_signal_handlers=True, listen_notify=not once)
