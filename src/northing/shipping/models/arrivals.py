"""Learnt spreads, ripples, and calendars of arrivals."""

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.masterdata.models import Site


class LearntSpread(models.Model):
    """How many days off plan finished passages were, under one key of core.ranges; written anew by the worker."""

    key = models.CharField(max_length=120, unique=True)
    # Passages by days off plan.
    counts = models.JSONField()
    learnt_at = models.DateTimeField()

    class Meta:
        ordering = ["key"]


class Ripple(models.Model):
    """The effect of a machine's change of dates on the lines that a person owns, until that person has seen it."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="+")
    company = models.ForeignKey("masterdata.Company", models.CASCADE, related_name="+")
    source = models.CharField(max_length=60)
    at = models.DateTimeField()
    # [line, name, item, old dock day, new dock day, need-by day] of each line that moved.
    lines = models.JSONField()
    broken = models.PositiveIntegerField()
    saved = models.PositiveIntegerField()
    seen_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["person"], condition=Q(seen_at=None), name="ripple_unseen")]


class ArrivalCalendar(models.Model):
    """A calendar of arrivals at a site, by a secret address. Only its hash is kept."""

    site = models.ForeignKey(Site, models.CASCADE, related_name="feeds")
    token_hash = models.CharField(max_length=64, unique=True)
    made_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
