"""Events that carriers sent, and statements about dates."""

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.masterdata.models import Party
from northing.shipping.models.containers import Container
from northing.shipping.models.shipments import Leg
from northing.shipping.models.voyages import PortCall


class CarrierEvent(models.Model):
    """An event as a carrier sent it, kept once, and what became of it."""

    class State(models.TextChoices):
        TIED = "tied", "Believed"
        NOTED = "noted", "Noted"
        WAITS = "waits", "Waits"
        DROPPED = "dropped", "Dropped"

    source = models.CharField(max_length=60)
    event_id = models.CharField(max_length=100)
    event_type = models.CharField(max_length=12)
    code = models.CharField(max_length=4)
    kind = models.CharField(max_length=9)
    day = models.DateField()
    said_at = models.DateTimeField()
    heard_at = models.DateTimeField()
    # Who brought it in, by page, file or API; of a feed who set it.
    heard_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    port = models.CharField(max_length=5, blank=True)
    imo = models.CharField(max_length=7, blank=True)
    voyage = models.CharField(max_length=50, blank=True)
    container = models.CharField(max_length=15, blank=True)
    at = models.DateTimeField(null=True)
    empty = models.BooleanField(null=True)
    retracts = models.CharField(max_length=100, blank=True)
    retracted = models.BooleanField(default=False)
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITS)
    says = models.CharField(max_length=240, blank=True)
    raw = models.JSONField()

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["source", "event_id"], name="event_heard_once")]
        indexes = [
            models.Index(fields=["state", "-id"], name="event_by_state"),
            models.Index(fields=["source", "retracts"], condition=~Q(retracts=""), name="event_retracting"),
        ]

    def __str__(self):
        about = self.container or f"IMO {self.imo} {self.voyage}".strip()
        return f"{self.kind} {self.code} of {about}{f' at {self.port}' if self.port else ''}, {self.day:%-d %b %Y}"


class DateStatement(models.Model):
    """A person's statement about a date: planned, estimated or actual. Never changed; it may be taken back."""

    class Milestone(models.TextChoices):
        DEPARTURE = "departure", "Departure"
        ARRIVAL = "arrival", "Arrival"
        # Of a container by itself.
        DISCHARGED = "discharged", "Discharged"
        GATE_OUT = "gate_out", "Gate out"
        RETURNED = "returned", "Empty returned"

    class Kind(models.TextChoices):
        PLANNED = "planned", "Planned"
        ESTIMATED = "estimated", "Estimated"
        ACTUAL = "actual", "Actual"

    call = models.ForeignKey(PortCall, models.PROTECT, null=True, related_name="statements")
    leg = models.ForeignKey(Leg, models.PROTECT, null=True, related_name="statements")
    container = models.ForeignKey(Container, models.PROTECT, null=True, related_name="statements")
    milestone = models.CharField(max_length=10, choices=Milestone.choices)
    kind = models.CharField(max_length=9, choices=Kind.choices)
    # The day at the place it is about; the instant as well, where it was said.
    value = models.DateField()
    at = models.DateTimeField(null=True)
    source = models.CharField(max_length=60)
    # Of two that say something at the same instant the higher is believed.
    rank = models.PositiveSmallIntegerField(default=0, db_default=0)
    said_by = models.ForeignKey(Person, models.PROTECT, null=True)
    event = models.ForeignKey(CarrierEvent, models.PROTECT, null=True, related_name="statements")
    said_at = models.DateTimeField()
    # Taken back, by its sender or by one of us: no one believes it.
    retracted = models.BooleanField(default=False, db_default=False)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.CheckConstraint(
                condition=(
                    Q(call__isnull=False, leg=None, container=None)
                    | Q(call=None, leg__isnull=False, container=None)
                    | Q(call=None, leg=None, container__isnull=False)
                ),
                name="statement_about_one_thing",
            )
        ]

    def __str__(self):
        about = self.container or self.call or f"{self.leg.origin} to {self.leg.destination}"
        words = f"{self.kind} {self.get_milestone_display().lower()} {self.value:%-d %b %Y} of {about}"
        return f"{words}, said by {self.source}"


class CarrierFeed(models.Model):
    """A carrier's feed that the worker polls, and how that goes."""

    carrier = models.OneToOneField(Party, models.PROTECT, related_name="feed")
    url = models.URLField(max_length=200)
    # Of two that say something at the same instant the higher is believed.
    rank = models.PositiveSmallIntegerField(default=1)
    every_minutes = models.PositiveSmallIntegerField(default=15)
    active = models.BooleanField(default=True)
    set_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    # Events said up to here have been heard.
    heard_to = models.DateTimeField(null=True)
    # Where a reading that was cut off goes on, and the newest it had met.
    resume = models.CharField(max_length=500, blank=True)
    newest = models.DateTimeField(null=True)
    next_at = models.DateTimeField()
    failures = models.PositiveIntegerField(default=0)
    last_at = models.DateTimeField(null=True)
    last_said = models.CharField(max_length=240, blank=True)

    class Meta:
        ordering = ["carrier"]

    def __str__(self):
        return f"Feed of {self.carrier}"
