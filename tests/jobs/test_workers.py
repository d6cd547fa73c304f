"""Several workers: none does what another does; what a lost worker still does is not written; old things go."""

import os
import subprocess
import sys
import time
from datetime import timedelta

import pytest
from django.db import connection
from django.utils import timezone
from procrastinate.contrib.django import app

from northing.actions.purge import purge_old, put_aside
from northing.activity.models import IdempotencyKey
from northing.jobs import jobs
from northing.jobs.jobs import Overtaken, Run
from northing.jobs.models import Job
from northing.jobs.queries import waiting
from tests.database import address
from tests.worlds import NOW, small_world

REAL_CLOCK = True


def begun(world, **facts):
    return Job.objects.create(
        kind="set_need_by", title="t", person=world.people["expediter"], key="k", request={}, made_at=NOW, **facts
    )


def test_a_worker_that_lost_its_job_writes_nothing(world):
    job = begun(world, total=2)
    first = Run(Job.objects.get(pk=job.pk))
    done = []

    def do(act, key):
        act.guard()
        done.append(key)
        # Another worker takes the job up in between.
        Job.objects.filter(pk=job.pk).update(fence=first.job.fence + 1)

    with pytest.raises(Overtaken):
        first.each([1, 2], do, {})
    assert done == [1]
    for write in (lambda: first.count(9), lambda: first.file(".csv"), lambda: first.keep(said="x")):
        with pytest.raises(Overtaken):
            write()
    job.refresh_from_db()
    assert (job.done, job.file, job.said) == (0, "", "")


def test_a_job_that_is_over_is_not_begun_again(world, monkeypatch):
    job = begun(world, state=Job.State.DONE, ended_at=NOW)
    jobs.run(job.pk)
    job.refresh_from_db()
    assert job.fence == 0


def work(*words):
    env = os.environ | {"DATABASE_URL": address(), "DJANGO_SETTINGS_MODULE": "northing.settings.testing"}
    return subprocess.Popen([sys.executable, "-m", "django", "work", *words], env=env)


def doing(worker_is):
    """A job that stands as begun by a worker that gave a sign of life at that time."""
    with connection.cursor() as cursor:
        cursor.execute("insert into procrastinate_workers (last_heartbeat) values (%s) returning id", [worker_is])
        [worker] = cursor.fetchone()
        cursor.execute(
            "insert into procrastinate_jobs (queue_name, task_name, status, args, attempts, worker_id)"
            " values ('files', 'job', 'doing', '{\"job\": 0}', 0, %s) returning id",
            [worker],
        )
        return cursor.fetchone()[0]


def status(job):
    with connection.cursor() as cursor:
        cursor.execute("select status from procrastinate_jobs where id = %s", [job])
        return cursor.fetchone()[0]


def test_a_second_worker_leaves_what_a_living_one_does(transactional_db):
    small_world()
    theirs, lost = doing(timezone.now()), doing(timezone.now() - timedelta(minutes=2))
    assert work("--once").wait(timeout=60) == 0
    assert status(theirs) == "doing"
    assert status(lost) != "doing", "what a lost worker did is begun again"


def test_a_slow_queue_keeps_no_other_waiting(transactional_db, settings):
    """A feed that takes long is asked while a letter goes."""
    import socket

    from northing.masterdata.models import Party
    from northing.shipping.models import CarrierFeed

    world = small_world()
    door = socket.create_server(("127.0.0.1", 0))  # takes the call and says nothing
    feed = CarrierFeed.objects.create(
        carrier=Party.objects.get(code="FWD"),
        url=f"http://127.0.0.1:{door.getsockname()[1]}/",
        set_by=world.people["administrator"],
        next_at=timezone.now(),
    )
    app.configure_task("poll feed", queue="feeds").defer(feed=feed.pk)
    worker = work()
    try:
        until = time.monotonic() + 30
        while not _in("doing", "poll feed") and time.monotonic() < until:
            time.sleep(0.1)
        assert _in("doing", "poll feed")
        app.configure_task("job", queue="files").defer(job=0)
        while not _in("failed", "job") and time.monotonic() < until:
            time.sleep(0.1)
        assert _in("failed", "job") and _in("doing", "poll feed")
    finally:
        worker.terminate()
        worker.wait(timeout=60)
        door.close()


def _in(state, task):
    with connection.cursor() as cursor:
        cursor.execute("select count(*) from procrastinate_jobs where status = %s and task_name = %s", [state, task])
        return cursor.fetchone()[0]


def test_waiting_is_told_by_queue(db):
    app.configure_task("letter", queue="letters").defer(message=1)
    letters = lambda: next(one for one in waiting() if one.queue == "letters")  # noqa: E731
    assert (letters().jobs, letters().too_long) == (1, False)
    with connection.cursor() as cursor:
        cursor.execute("update procrastinate_events set at = now() - interval '6 minutes'")
    assert letters().too_long and str(letters()) == "1 in letters, the oldest since 6 minutes"
    app.configure_task("letter", queue="letters", schedule_in={"hours": 1}).defer(message=2)
    assert letters().jobs == 1, "what is to be done later does not wait"


def test_old_things_go(world, settings, tmp_path):
    settings.FILES, now = str(tmp_path), timezone.now()
    settings.REQUEST_LOG = str(tmp_path / "requests.log")
    (tmp_path / "requests.log").write_text("{}\n")
    (tmp_path / "jobs").mkdir()
    (tmp_path / "jobs" / "1.csv").write_text("x")
    IdempotencyKey.objects.all().delete()
    begun(world, state=Job.State.DONE, ended_at=now - timedelta(days=91), file="jobs/1.csv")
    person = world.people["dock"]
    for key, days in (("old", 91), ("new", 89)):
        IdempotencyKey.objects.create(key=key, actor=person, action="a", digest="d", at=now - timedelta(days=days))
    counts = purge_old(now)
    assert (counts["keys"], counts["jobs"]) == (1, 1)
    assert IdempotencyKey.objects.get().key == "new" and not list((tmp_path / "jobs").iterdir())
    assert not (tmp_path / "requests.log").exists() and len(list(tmp_path.glob("requests.log.*"))) == 1


def test_only_the_newest_logs_are_kept(tmp_path):
    log = tmp_path / "requests.log"
    for day in range(40):
        log.write_text("x")
        put_aside(str(log), NOW + timedelta(days=day))
    kept = sorted(tmp_path.glob("requests.log.*"))
    assert len(kept) == 30 and kept[-1].name.endswith(f"{NOW + timedelta(days=39):%Y%m%d-%H%M%S}")
