"""Whether the worker is there, and how long work waits for it."""

from dataclasses import dataclass
from datetime import timedelta

from django.db import connection
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateWorker

# It gives a sign of life every ten seconds.
SILENT = timedelta(seconds=35)
# How many jobs of a queue are done side by side, and for how long its oldest may wait. An address outside may be slow:
# what speaks to others has hands of its own.
QUEUES = {
    "letters": (1, timedelta(minutes=5)),
    "hooks": (4, timedelta(minutes=10)),
    "feeds": (4, timedelta(minutes=10)),
    "files": (1, timedelta(minutes=15)),
    "derived": (1, timedelta(hours=1)),
}
OTHERS = timedelta(minutes=5)
OLDEST = """
select j.queue_name, count(*), min(coalesce(j.scheduled_at, e.at))
  from procrastinate_jobs j
  left join lateral (
    select min(at) as at from procrastinate_events where job_id = j.id and type in ('deferred', 'deferred_for_retry')
  ) e on true
 where j.status = 'todo' and (j.scheduled_at is null or j.scheduled_at <= %s)
 group by j.queue_name order by j.queue_name
"""


@dataclass(frozen=True)
class Waiting:
    """The jobs of a queue that are due and not begun: how many, how old the oldest is, and whether that is too long."""

    queue: str
    jobs: int
    age: timedelta
    too_long: bool

    def __str__(self) -> str:
        minutes = int(self.age.total_seconds() // 60)
        return f"{self.jobs} in {self.queue}, the oldest since {minutes} minute{'' if minutes == 1 else 's'}"


def worker_is_there() -> bool:
    """Whether a worker gave a sign of life lately."""
    return ProcrastinateWorker.objects.filter(last_heartbeat__gte=timezone.now() - SILENT).exists()


def waiting() -> list[Waiting]:
    """Return the queues in which jobs are due and wait."""
    now, found = timezone.now(), []
    with connection.cursor() as cursor:
        cursor.execute(OLDEST, [now])
        for queue, jobs, since in cursor.fetchall():
            age = now - since if since else timedelta()
            found.append(Waiting(queue, jobs, age, age > QUEUES.get(queue, (1, OTHERS))[1]))
    return found
