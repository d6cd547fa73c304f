"""Removal of jobs that are over."""

from collections.abc import Iterable
from datetime import datetime

from django.db import connection
from django.db.models import QuerySet

from northing.jobs.models import Job

OVER = """
delete from procrastinate_jobs j
 where status in ('succeeded', 'failed', 'cancelled', 'aborted')
   and not exists (select 1 from procrastinate_events e where e.job_id = j.id and e.at >= %s)
"""


def old_jobs(before: datetime, kept: Iterable[int]) -> QuerySet[Job]:
    """Return the jobs that ended before a time, without those that are `kept` (ids)."""
    return Job.objects.filter(ended_at__lt=before).exclude(pk__in=kept)


def purge_jobs(before: datetime, kept: Iterable[int]) -> int:
    """Remove the jobs that ended before a time, without those that are `kept` (ids). Returns how many there were."""
    return old_jobs(before, kept).delete()[0]


def purge_queue(before: datetime) -> int:
    """Remove the queue's own records that are over since before a time. Returns how many there were."""
    with connection.cursor() as cursor:
        cursor.execute(OVER, [before])
        return cursor.rowcount
