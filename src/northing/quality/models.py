"""Inspections, the cases of failed units, and return notes."""

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.database import fields
from northing.ledger.models import CostLayer


class Inspection(models.Model):
    """The verdict on held goods of one layer."""

    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="inspections")
    passed = fields.quantity()
    failed = fields.quantity()
    reason = models.CharField(max_length=80, blank=True)
    inspector = models.ForeignKey(Person, models.PROTECT)
    occurred_on = models.DateField()
    at = models.DateTimeField()

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(passed__gte=0) & Q(failed__gte=0) & (Q(passed__gt=0) | Q(failed__gt=0)),
                name="inspection_decides_something",
            )
        ]
