"""Whether what the application runs on is well: the database, the worker, the jobs that wait."""

import time
from dataclasses import dataclass

from django.db import DatabaseError

from northing.database.releases import CURRENT, Fit, fit
from northing.database.schema import applied
from northing.jobs.queries import waiting, worker_is_there

# Seconds for which a process believes that the fingerprints of a database with the same migrations are the same.
BELIEVED = 60
_fits: list[tuple[float, set[str], Fit]] = []


@dataclass(frozen=True)
class Part:
    """A part of the application: whether it is well, and what there is to say of it."""

    name: str
    well: bool
    words: str


def health(*, worker: bool = True) -> list[Part]:
    """Return the state of each part; without `worker` only of what answers requests."""
    try:
        found = _fit()
        parts = [Part("database", found.how == CURRENT, found.words)]
        if worker:
            there = worker_is_there()
            parts.append(Part("worker", there, "The worker is there." if there else "The worker is away."))
            queues = waiting()
            late = [queue for queue in queues if queue.too_long]
            words = "; ".join(map(str, late or queues)) or "no job waits"
            parts.append(Part("jobs", not late, f"{'Waiting too long' if late else 'Waiting'}: {words}."))
    except DatabaseError:
        return [Part("database", False, "The database is away.")]
    return parts


def _fit() -> Fit:
    now, has = time.monotonic(), applied()
    known = next((found for at, of, found in _fits if at > now - BELIEVED and of == has), None)
    if known is None or known.how != CURRENT:
        known = fit()
        _fits[:] = [(now, has, known)]
    return known
