"""Jobs: who begins one waits for nothing; the worker does it, and may do it again after it was killed.

settings.JOB_HANDLERS says which function does a kind; it gets a `Run`. It counts what it did with `Run.count`, so that
a second run goes on where the first was cut off; what it does for each record goes through an action with a key of
its own, so that nothing is done twice in between.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import structlog
from django.conf import settings
from django.db import transaction
from django.utils import timezone
from django.utils.module_loading import import_string
from procrastinate.contrib.django import app

from northing.access.acts import Act
from northing.core.problems import KeyReused, Problem, Refused
from northing.jobs.models import Job

LOG = structlog.get_logger(__name__)
TASK = "job"
MOST_REFUSED = 500
# What follows from facts waits for nothing that a person waits for.
DERIVED = ("tariff_change",)


class Overtaken(Exception):
    """Another worker has begun the job since: this one stops, and its last step is undone."""


@dataclass(frozen=True)
class Named:
    """A record as a job names it: by words, and by kind and key where a page shows it."""

    name: str
    kind: str = ""
    record: int | None = None


@dataclass
class Run:
    """A job while it runs. Each of its steps holds the job, so that no second worker does the same."""

    job: Job

    @property
    def request(self) -> dict[str, Any]:
        return self.job.request

    def act(self, key: str = "") -> Act:
        """The act of the person whose job it is, with a key that is the job's own."""
        whole = f"job {self.job.pk}:{key}" if key else ""
        return Act(self.job.person, timezone.now(), whole, "job", guard=self.hold)

    def hold(self) -> None:
        """Hold the job within the transaction of a step: another worker that begins it waits. Raises Overtaken."""
        held = Job.objects.select_for_update().filter(pk=self.job.pk, fence=self.job.fence, ended_at=None)
        if not held.exists():
            raise Overtaken(f"job {self.job.pk}")

    def keep(self, **facts: Any) -> None:
        """Write facts of the job. Raises Overtaken."""
        if not Job.objects.filter(pk=self.job.pk, fence=self.job.fence).update(**facts):
            raise Overtaken(f"job {self.job.pk}")
        for name, value in facts.items():
            setattr(self.job, name, value)

    def count(self, done: int) -> None:
        """Say how far it is."""
        self.keep(done=done)

    def far(self, done: int, total: int) -> None:
        """Say how far it is, and of how much."""
        self.keep(done=done, total=total)

    def refuse(self, named: Named, refused: Refused) -> None:
        """Keep what was refused, and why; only the first of very many, but all of them counted."""
        words = " ".join(str(problem) for problem in refused.problems)
        if len(self.job.refused) < MOST_REFUSED:
            self.keep(refused=[*self.job.refused, {**asdict(named), "why": words}])

    def each(self, keys: Sequence[int], do: Callable[[Act, int], None], names: Mapping[int, Named]) -> None:
        """Do an action for each of the records that are not done yet; `names` gives what each is called."""
        for place in range(self.job.done, len(keys)):
            key = keys[place]
            try:
                do(self.act(str(key)), key)
            except Refused as refused:
                self.refuse(names.get(key, Named(str(key))), refused)
            self.count(place + 1)

    def file(self, suffix: str) -> Path:
        """Where the job may write its file: outside what the web server serves."""
        folder = Path(settings.FILES) / "jobs"
        folder.mkdir(parents=True, exist_ok=True)
        self.keep(file=f"jobs/{self.job.pk}{suffix}")
        return Path(settings.FILES) / self.job.file


@transaction.atomic
def begin(
    act: Act, kind: str, title: str, request: dict[str, Any], total: int, back: str = "", later: bool = True
) -> Job:
    """Write the job down and queue it in the same transaction; the same key begins it once.

    With `later` False it is short, and the person who begins it runs it at once.
    """
    found, made = Job.objects.get_or_create(
        person=act.person,
        key=act.key,
        defaults={
            "kind": kind,
            "title": title[:160],
            "request": request,
            "total": total,
            "made_at": act.at,
            "back": back[:600],
        },
    )
    if not made and (found.kind, found.request) != (kind, request):
        raise KeyReused(
            Problem("This form was sent before with other contents.", mend="Reload the page to see what was done.")
        )
    if made and later:
        app.configure_task(TASK, queue="derived" if kind in DERIVED else "files").defer(job=found.pk)
    return found


def run(pk: int) -> None:
    """Do a job; one that is over is left alone. A worker that had begun it before writes nothing more."""
    with transaction.atomic():
        job = Job.objects.select_for_update(of=("self",)).select_related("person").get(pk=pk)
        if job.is_over:
            return
        job.fence, job.state = job.fence + 1, Job.State.RUNNING
        job.save(update_fields=["fence", "state"])
    it = Run(job)
    try:
        import_string(settings.JOB_HANDLERS[job.kind])(it)
    except Overtaken as error:
        LOG.warning("job overtaken", job=str(error))
    except Refused as refused:
        _end(it, Job.State.FAILED, " ".join(str(problem) for problem in refused.problems))
    except Exception:
        _end(it, Job.State.FAILED, "Something went wrong here; it is in the log. Steps that were done stay done.")
        raise
    else:
        _end(it, Job.State.DONE, "")


def _end(it: Run, state: str, said: str) -> None:
    it.keep(state=state, said=(said or it.job.said)[:240], ended_at=timezone.now())
