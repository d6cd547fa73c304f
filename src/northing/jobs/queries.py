"""Whether the worker is there, and whether work waits for it."""

from datetime import timedelta

from django.db.models import Q
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob, ProcrastinateWorker

# It gives a sign of life every ten seconds.
SILENT = timedelta(seconds=35)
TOO_LONG = timedelta(minutes=1)


def worker_is_there() -> bool:
    """Whether a worker gave a sign of life lately."""
    return ProcrastinateWorker.objects.filter(last_heartbeat__gte=timezone.now() - SILENT).exists()


def waiting_too_long() -> int:
    """How many jobs should have begun more than a minute ago."""
    late = timezone.now() - TOO_LONG
    due = Q(scheduled_at__isnull=True) | Q(scheduled_at__lt=late)
    told = {"procrastinateevent__type": "deferred", "procrastinateevent__at__lt": late}
    return ProcrastinateJob.objects.filter(due, status="todo", **told).distinct().count()
