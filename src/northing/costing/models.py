"""Charges, how they were spread, and customs entries."""

from django.db import models
from django.db.models import Q

from northing.database import fields
from northing.masterdata.models import Company, Party
from northing.orders.models import OrderLine
from northing.shipping.models import Container, Shipment, ShipmentLine


class Charge(models.Model):
    """A cost to be spread. Estimated until billed; a bill replaces its estimate."""

    class Basis(models.TextChoices):
        VALUE = "value", "Value"
        WEIGHT = "weight", "Weight"
        VOLUME = "volume", "Volume"
        QUANTITY = "quantity", "Quantity"
        EQUAL = "equal", "Equally"
        BY_HAND = "by_hand", "By hand"

    class Kind(models.TextChoices):
        FREIGHT = "freight", "Freight"
        INSURANCE = "insurance", "Insurance"
        HAULAGE = "haulage", "Haulage"
        BROKERAGE = "brokerage", "Brokerage"
        HANDLING = "handling", "Handling"
        STORAGE = "storage", "Storage"
        INSPECTION = "inspection", "Inspection"
        OTHER = "other", "Other"
        DUTY = "duty", "Duty"
        IMPORT_TAX = "import_tax", "Import tax"

    company = models.ForeignKey(Company, models.PROTECT, help_text="Who is billed")
    payee = models.ForeignKey(Party, models.PROTECT, related_name="charges")
    kind = models.CharField(max_length=12, choices=Kind.choices)
    basis = models.CharField(max_length=8, choices=Basis.choices)
    currency = fields.currency()
    estimated = fields.money(null=True)
    estimated_on = models.DateField(null=True)
    billed = fields.money(null=True)
    billed_on = models.DateField(null=True)
    bill_number = models.CharField(max_length=40, blank=True)
    # An estimate that will not be billed.
    ended_on = models.DateField(null=True)
    shipments = models.ManyToManyField(Shipment, related_name="charges")
    containers = models.ManyToManyField(Container, related_name="charges")
    lines = models.ManyToManyField(OrderLine, related_name="charges")

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["payee", "bill_number"], condition=~Q(bill_number=""), name="bill_number_once"
            ),
            models.CheckConstraint(
                condition=Q(estimated__isnull=False) | Q(billed__isnull=False), name="charge_has_amount"
            ),
            models.CheckConstraint(condition=Q(billed=None) | Q(ended_on=None), name="charge_billed_or_ended"),
        ]

    @property
    def amount(self):
        return self.billed if self.billed is not None else self.estimated

    @property
    def spread_words(self) -> str:
        """How it is spread: by value, equally, by hand; duty and import tax by the lines of the customs entry."""
        if self.kind in (self.Kind.DUTY, self.Kind.IMPORT_TAX):
            return "line by line"
        words = self.get_basis_display().lower()
        return words if self.basis in (self.Basis.EQUAL, self.Basis.BY_HAND) else f"by {words}"

    @property
    def expected(self) -> bool:
        """Whether its bill is still to come."""
        return self.billed is None and self.ended_on is None


class ChargePart(models.Model):
    """A company's part of a charge: in its currency, and at the pinned rate in base currency."""

    charge = models.ForeignKey(Charge, models.CASCADE, related_name="parts")
    company = models.ForeignKey(Company, models.PROTECT)
    amount = fields.money()
    rate = fields.price()
    base_amount = fields.money()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["charge", "company"], name="part_once_per_company")]


class ChargeShare(models.Model):
    """What a shipment line bears of a charge, in its company's base currency."""

    charge = models.ForeignKey(Charge, models.CASCADE, related_name="shares")
    shipment_line = models.ForeignKey(ShipmentLine, models.PROTECT, related_name="shares")
    company = models.ForeignKey(Company, models.PROTECT)
    amount = fields.money()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["charge", "shipment_line"], name="share_once_per_shipment_line")]
