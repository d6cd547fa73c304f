"""`manage work`: the worker. Does jobs, sends mails, wakes at set times; stops cleanly at a signal."""

import asyncio
import logging
import signal
import time

from django.core.management.base import BaseCommand
from django.db import OperationalError, connection
from procrastinate.contrib.django import app
from procrastinate.worker import Worker

from northing.jobs.queries import QUEUES, SILENT

PATIENCE, PAUSE = 120, 1
# Seconds between looks for jobs whose worker is gone.
AGAIN = 10


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
        parser.add_argument("--queues", nargs="*", default=list(QUEUES), choices=list(QUEUES), help="all, unless said")

    def handle(self, *args, once, queues, **options):
        logging.getLogger("procrastinate").setLevel(logging.WARNING)
        _wait_for_database()
        connection.close()
        with app.replace_connector(app.connector.get_worker_connector()) as working:
            asyncio.run(_work(working, queues, once))


async def _work(working, queues: list[str], once: bool) -> None:
    """Run a worker for each queue, side by side: none waits for what another does."""
    async with working.open_async():
        working.perform_import_paths()
        workers = [
            Worker(
                working,
                queues=[queue],
                name=queue,
                concurrency=QUEUES[queue][0],
                wait=not once,
                listen_notify=not once,
                install_signal_handlers=False,
            )
            for queue in queues
        ]

        def stop() -> None:
            for worker in workers:
                worker.stop()

        for which in (signal.SIGTERM, signal.SIGINT):
            asyncio.get_running_loop().add_signal_handler(which, stop)
        await _begin_again(working)
        again = asyncio.create_task(_keep_beginning_again(working))
        try:
            await asyncio.gather(*(worker.run() for worker in workers))
        finally:
            again.cancel()


async def _keep_beginning_again(working) -> None:
    while True:
        await asyncio.sleep(AGAIN)
        await _begin_again(working)


async def _begin_again(working) -> None:
    """Queue again the jobs whose worker gave no sign of life: those of a worker that lives stay its own."""
    manager = working.job_manager
    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=SILENT.total_seconds()):
        await manager.retry_job(job)
