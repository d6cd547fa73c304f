"""Cases of failed or missing units, and return notes."""

from django.db import models
from django.db.models import F, Q

from northing.access.models import Person
from northing.database import fields
from northing.ledger.models import CostLayer, Entry
from northing.masterdata.models import Company, Party
from northing.quality.models import Inspection


class Claim(models.Model):
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
    inspection = models.OneToOneField(Inspection, models.PROTECT, null=True, related_name="case")
    # What opened it (a receipt, an inspection) was reversed: it never was.
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.CheckConstraint(condition=Q(ended__gte=0) & Q(ended__lte=F("quantity")), name="case_ended_within")
        ]

    @property
    def open_quantity(self):
        return fields.ZERO if self.withdrawn_at else self.quantity - self.ended


class ClaimAmount(models.Model):
    """By how much a claim grew or shrank, in the currency that is owed and in base. Append-only."""

    class Why(models.TextChoices):
        PRICE = "price", "Price of goods that are gone"
        DIFFERENCE = "difference", "Price difference of goods that are gone"
        CREDITED = "credited", "Credited by the supplier"

    case = models.ForeignKey(Claim, models.PROTECT, related_name="amounts")
    entry = models.ForeignKey(Entry, models.PROTECT)
    why = models.CharField(max_length=10, choices=Why.choices)
    currency = fields.currency()
    amount = fields.money()
    base = fields.money()


class ReturnNote(models.Model):
    """Units that went back to the supplier under their reference."""

    company = models.ForeignKey(Company, models.PROTECT)
    case = models.ForeignKey(Claim, models.PROTECT, related_name="returns")
    reference = models.CharField("Supplier's reference", max_length=40)
    quantity = fields.quantity()
    cost = fields.money()
    claimed = fields.money()
    lost = fields.money()
    occurred_on = models.DateField()
    returned_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    entry = models.OneToOneField(Entry, models.PROTECT)
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["id"]
