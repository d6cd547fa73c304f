"""Remove what is kept for a time only: keys of repeated requests, jobs that are over, tries to sign in, knocks."""

import contextlib
from datetime import datetime, timedelta
from pathlib import Path

from axes.models import AccessFailureLog
from django.conf import settings
from django.db import connection

from northing.access.models import Knock
from northing.activity.models import IdempotencyKey
from northing.customs.models import TariffChange
from northing.jobs.models import Job

# docs/running.md says these times.
KEYS, JOBS, QUEUED, TRIES, KNOCKS = (timedelta(days=days) for days in (90, 90, 30, 30, 1))
# Logs of requests are put aside each night; so many are kept.
MOST_LOGS = 30
OVER = """
delete from procrastinate_jobs j
 where status in ('succeeded', 'failed', 'cancelled', 'aborted')
   and not exists (select 1 from procrastinate_events e where e.job_id = j.id and e.at >= %s)
"""


def purge_old(now: datetime) -> dict[str, int]:
    """Remove what is older than its time. Returns how many of each kind were removed."""
    # A change of the tariff keeps the job that reckoned it.
    old = Job.objects.filter(ended_at__lt=now - JOBS).exclude(pk__in=TariffChange.objects.values("job"))
    for file in old.exclude(file="").values_list("file", flat=True):
        with contextlib.suppress(OSError):
            (Path(settings.FILES) / file).unlink(missing_ok=True)
    with connection.cursor() as cursor:
        cursor.execute(OVER, [now - QUEUED])
        queued = cursor.rowcount
    counts = {
        "keys": IdempotencyKey.objects.filter(at__lt=now - KEYS).delete()[0],
        "jobs": old.delete()[0],
        "queued": queued,
        "tries": AccessFailureLog.objects.filter(attempt_time__lt=now - TRIES).delete()[0],
        "knocks": Knock.objects.filter(minute__lt=now - KNOCKS).delete()[0],
    }
    put_aside(settings.REQUEST_LOG, now)
    return counts


def put_aside(log: str, now: datetime) -> None:
    """Put the log of requests aside under its day; every process begins a new one, and the oldest are removed."""
    path = Path(log)
    if not log or not path.exists() or not path.stat().st_size:
        return
    path.rename(path.with_name(f"{path.name}.{now:%Y%m%d-%H%M%S}"))
    aside = sorted(path.parent.glob(f"{path.name}.*"))
    for oldest in aside[:-MOST_LOGS]:
        oldest.unlink()
