"""Inspections, the cases of failed units, and return notes."""

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.activity.models import HistoryEntry
from northing.database import fields
from northing.ledger.models import CostLayer
from northing.masterdata.models import Company, Item, Party


class Inspection(models.Model):
    """The verdict on held goods of one layer. It posts nothing; what it did and what undid it are in the history."""

    company = models.ForeignKey(Company, models.PROTECT)
    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="inspections")
    passed = fields.quantity()
    failed = fields.quantity()
    reason = models.CharField(max_length=80, blank=True)
    # The lot and the plan by which it was judged, of which a sample was taken; ISO 2859-1.
    lot = models.PositiveIntegerField(null=True)
    level = models.CharField(max_length=3, blank=True, db_default="")
    aql = models.DecimalField(max_digits=7, decimal_places=3, null=True)
    aql_minor = models.DecimalField(max_digits=7, decimal_places=3, null=True)
    state = models.CharField("Inspection", max_length=9, blank=True, db_default="")
    # Units looked at; of them with a critical, with a major, with only minor defects.
    sample = models.PositiveIntegerField(null=True)
    critical = models.PositiveIntegerField(default=0, db_default=0)
    major = models.PositiveIntegerField(default=0, db_default=0)
    minor = models.PositiveIntegerField(default=0, db_default=0)
    # Whether the lot was acceptable by its plan; and why it was decided otherwise.
    accepted = models.BooleanField(null=True)
    overruled = models.CharField(max_length=120, blank=True, db_default="")
    # It came through without being looked at, by lot.
    skipped = models.BooleanField(default=False, db_default=False)
    inspector = models.ForeignKey(Person, models.PROTECT)
    occurred_on = models.DateField()
    at = models.DateTimeField()
    history = models.OneToOneField(HistoryEntry, models.PROTECT, related_name="+")
    reversed_by = models.OneToOneField(HistoryEntry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["id"]
        constraints = [
            models.CheckConstraint(
                condition=Q(passed__gte=0) & Q(failed__gte=0) & (Q(passed__gt=0) | Q(failed__gt=0)),
                name="inspection_decides_something",
            )
        ]


class Measure(models.Model):
    """What was seen of one unit of a sample: a figure against limits as they were then, or (no value) a yes or no."""

    inspection = models.ForeignKey(Inspection, models.CASCADE, related_name="measures")
    name = models.CharField(max_length=60)
    unit = models.CharField(max_length=12, blank=True)
    limits = models.CharField(max_length=60, blank=True)
    severity = models.CharField(max_length=8)
    number = models.PositiveSmallIntegerField()
    value = models.DecimalField(max_digits=14, decimal_places=4, null=True)
    right = models.BooleanField()

    class Meta:
        ordering = ["inspection", "name", "number"]
        constraints = [models.UniqueConstraint(fields=["inspection", "name", "number"], name="measured_once")]


class FoundDefect(models.Model):
    """Units in which a defect was found, by the name and gravity that it had then."""

    inspection = models.ForeignKey(Inspection, models.CASCADE, related_name="defects")
    name = models.CharField(max_length=60)
    severity = models.CharField(max_length=8)
    units = models.PositiveIntegerField()

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["inspection", "name"], name="found_defect_once")]


class SeenPaper(models.Model):
    """A paper that had to be there, and its number."""

    inspection = models.ForeignKey(Inspection, models.CASCADE, related_name="papers")
    name = models.CharField(max_length=80)
    number = models.CharField(max_length=60)

    class Meta:
        ordering = ["id"]


class LotDraw(models.Model):
    """Whether the next lot of an item from a supplier is inspected: drawn before it comes, opened when it came.

    Only `sealed`, the hash of the seed, is shown before; the seed, with which the draw can be done again, after.
    """

    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    supplier = models.ForeignKey(Party, models.PROTECT, related_name="+")
    seed = models.CharField(max_length=32)
    sealed = models.CharField(max_length=64)
    made_at = models.DateTimeField()
    layer = models.OneToOneField(CostLayer, models.PROTECT, null=True, related_name="draw")
    opened_at = models.DateTimeField(null=True)
    skipped = models.BooleanField(null=True)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["item", "supplier"], condition=Q(opened_at=None), name="one_draw_waits")
        ]
