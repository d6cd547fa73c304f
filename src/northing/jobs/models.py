"""Work that the worker does, how far it is, what it refused and what it made."""

from django.db import models

from northing.access.models import Person


class Job(models.Model):
    """Work of more than a second, done by the worker: how far it is, what was refused and why, what it made."""

    class State(models.TextChoices):
        WAITING = "waiting", "Waiting for the worker"
        RUNNING = "running", "Running"
        DONE = "done", "Done"
        FAILED = "failed", "Failed"

    kind = models.CharField(max_length=24)
    title = models.CharField(max_length=160)
    person = models.ForeignKey(Person, models.PROTECT, related_name="jobs")
    key = models.CharField(max_length=260)
    request = models.JSONField()
    total = models.PositiveIntegerField(default=0)
    done = models.PositiveIntegerField(default=0)
    refused = models.JSONField(default=list, help_text="What was refused, and why: name, address, words")
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    said = models.CharField(max_length=240, blank=True)
    file = models.CharField(max_length=80, blank=True)
    back = models.CharField(max_length=600, blank=True)
    # How often a worker began it; a worker that lost it to another one writes nothing more.
    fence = models.PositiveIntegerField(default=0, db_default=0)
    made_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["person", "key"], name="job_once_per_key")]

    @property
    def is_over(self) -> bool:
        return self.state in (self.State.DONE, self.State.FAILED)
