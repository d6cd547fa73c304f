"""The worker is killed in the middle of a long file of events, for real: nothing is lost, nothing is there twice."""

import json
import os
import subprocess
import sys
import time

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from northing.actions.shipping import carrier_events
from northing.activity.models import HistoryEntry
from northing.jobs.models import Job
from northing.shipping.models import CarrierEvent, DateStatement
from tests.database import address
from tests.shipping.test_carrier_events import call, cargo
from tests.worlds import small_world

REAL_CLOCK = True
RUN = "import django; django.setup(); from northing.jobs import jobs; jobs.run({})"
BATCHES = 2


@pytest.fixture
def worker(settings):
    """Starts the job in a process of its own, on the test's database."""
    env = os.environ | {"DATABASE_URL": address(), "DJANGO_SETTINGS_MODULE": "northing.settings.testing"}
    started = []

    def start(job):
        process = subprocess.Popen([sys.executable, "-c", RUN.format(job.pk)], env=env)
        started.append(process)
        return process

    yield start
    for process in started:
        process.kill()
        process.wait()


def test_killed_after_its_first_lot(transactional_db, client, worker):
    world = cargo(small_world(), 2, 30)
    many = [call(f"e{n}", "ARRI", 30 + n % 9, -n) for n in range(BATCHES * carrier_events.BATCH)]
    file = SimpleUploadedFile("events.json", json.dumps(many).encode())
    client.force_login(world.people["shipping"])
    client.post(reverse("events"), {"key": "k", "source": "Vantara", "file": file})
    job = Job.objects.get()
    process = worker(job)
    until = time.monotonic() + 60
    while not CarrierEvent.objects.exists() and time.monotonic() < until:
        time.sleep(0.02)
    process.kill()
    process.wait()
    taken = CarrierEvent.objects.count()
    assert 0 < taken < len(many) and taken % carrier_events.BATCH == 0, "batches are whole or not there"
    job.refresh_from_db()
    assert job.state != "done"
    assert worker(job).wait(timeout=120) == 0
    job.refresh_from_db()
    assert (job.state, job.done) == ("done", len(many))
    assert CarrierEvent.objects.count() == DateStatement.objects.filter(event__isnull=False).count() == len(many)
    assert HistoryEntry.objects.filter(action="hear").count() == BATCHES
