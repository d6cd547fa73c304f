"""Inspections, the cases of failed units, and return notes."""

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.activity.models import HistoryEntry
from northing.database import fields
from northing.ledger.models import CostLayer
from northing.masterdata.models import Company


class Inspection(models.Model):
    """The verdict on held goods of one layer. It posts nothing; what it did and what undid it are in the history."""

    company = models.ForeignKey(Company, models.PROTECT)
    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="inspections")
    passed = fields.quantity()
    failed = fields.quantity()
    reason = models.CharField(max_length=80, blank=True)
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
