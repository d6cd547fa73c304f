"""Cases of failed or missing units, and return notes."""

from django.db import models
from django.db.models import F, Q

from northing.access.models import Person
from northing.activity.models import HistoryEntry
from northing.database import fields
from northing.ledger.models import CostLayer, Entry
from northing.masterdata.models import Company, Party, Site
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
    # The act that set its units aside, where it was opened by hand.
    opened_by = models.OneToOneField(HistoryEntry, models.PROTECT, null=True, related_name="+")
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


class GoodsReturn(models.Model):
    """Goods that went back to their supplier together, under its reference; a return note for each case."""

    company = models.ForeignKey(Company, models.PROTECT)
    site = models.ForeignKey(Site, models.PROTECT)
    supplier = models.ForeignKey(Party, models.PROTECT, related_name="returns")
    number = models.CharField(max_length=24)
    reference = models.CharField("Supplier's reference", max_length=40)
    reason = models.CharField(max_length=80, blank=True)
    haulier = models.CharField(max_length=80, blank=True)
    occurred_on = models.DateField()
    at = models.DateTimeField()

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["company", "number"], name="return_number_once")]

    def __str__(self):
        return self.number


class ReturnNote(models.Model):
    """Units of a case that went back to the supplier under their reference."""

    # Of notes written before returns had a number there is none.
    goods_return = models.ForeignKey(GoodsReturn, models.PROTECT, null=True, related_name="notes")
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


class CaseEnd(models.Model):
    """Units of a case that stayed: kept as they are, or scrapped. What came of their price stands in the postings."""

    class Way(models.TextChoices):
        KEPT = "kept", "Kept"
        SCRAPPED = "scrapped", "Scrapped"

    company = models.ForeignKey(Company, models.PROTECT)
    case = models.ForeignKey(Claim, models.PROTECT, related_name="ends")
    way = models.CharField(max_length=8, choices=Way.choices)
    quantity = fields.quantity()
    reason = models.CharField(max_length=80)
    cost = fields.money(default=fields.ZERO)
    claimed = fields.money(default=fields.ZERO)
    lost = fields.money(default=fields.ZERO)
    occurred_on = models.DateField()
    by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    history = models.OneToOneField(HistoryEntry, models.PROTECT, related_name="+")
    # Of what is kept nothing is posted.
    entry = models.OneToOneField(Entry, models.PROTECT, null=True)
    reversed_by = models.OneToOneField(HistoryEntry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["id"]
