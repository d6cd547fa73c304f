"""Remove what is kept for a time only: keys of repeated requests, jobs that are over, tries to sign in, knocks."""

import contextlib
from datetime import datetime, timedelta
from pathlib import Path

from django.conf import settings

from northing.access.operations import purge_knocks, purge_tries
from northing.activity.operations import purge_keys
from northing.customs.models import TariffChange
from northing.jobs.operations import old_jobs, purge_jobs, purge_queue

# docs/running.md says these times.
KEYS, JOBS, QUEUED, TRIES, KNOCKS = (timedelta(days=days) for days in (90, 90, 30, 30, 1))
# Logs of requests are put aside each night; so many are kept.
MOST_LOGS = 30


def purge_old(now: datetime) -> dict[str, int]:
    """Remove what is older than its time. Returns how many of each kind were removed."""
    # A change of the tariff keeps the job that reckoned it.
    kept = list(TariffChange.objects.values_list("job", flat=True))
    for file in old_jobs(now - JOBS, kept).exclude(file="").values_list("file", flat=True):
        with contextlib.suppress(OSError):
            (Path(settings.FILES) / file).unlink(missing_ok=True)
    counts = {
        "keys": purge_keys(now - KEYS),
        "jobs": purge_jobs(now - JOBS, kept),
        "queued": purge_queue(now - QUEUED),
        "tries": purge_tries(now - TRIES),
        "knocks": purge_knocks(now - KNOCKS),
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
