"""Inspections, the cases of failed units, and return notes."""

from django.db import models
from django.db.models import F, Q

from northing.directory import fields
from northing.directory.models import Company, Party, Person
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


class Case(models.Model):
    """Failed or missing units, until each has an end."""

    class Kind(models.TextChoices):
        REJECTED = "rejected", "Rejected"
        MISSING = "missing", "Missing"

    company = models.ForeignKey(Company, models.PROTECT)
    kind = models.CharField(max_length=8, choices=Kind.choices)
    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="cases")
    supplier = models.ForeignKey(Party, models.PROTECT)
    reason = models.CharField(max_length=80)
    quantity = fields.quantity()
    ended = fields.quantity(default=fields.ZERO)
    opened_on = models.DateField()

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.CheckConstraint(condition=Q(ended__gte=0) & Q(ended__lte=F("quantity")), name="case_ended_within")
        ]

    @property
    def open_quantity(self):
        return self.quantity - self.ended


class ReturnNote(models.Model):
    """Units that went back to the supplier under their reference."""

    case = models.ForeignKey(Case, models.PROTECT, related_name="returns")
    reference = models.CharField("Supplier's reference", max_length=40)
    quantity = fields.quantity()
    cost = fields.money()
    claimed = fields.money()
    lost = fields.money()
    occurred_on = models.DateField()
    at = models.DateTimeField()
    entry = models.ForeignKey("ledger.Entry", models.PROTECT)
