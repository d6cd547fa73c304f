"""Charges, how they were spread, and customs entries."""

from django.db import models
from django.db.models import Q

from northing.database import fields
from northing.masterdata.models import Company, Party
from northing.orders.models import OrderLine
from northing.shipping.models import Container, Shipment, ShipmentLine


class Charge(models.Model):
    """A cost to be spread: what is estimated of it, what bills say of it, and the end.

    Bills take the place of the estimate; of one that is billed in parts the rest of the estimate stays until its end.
    """

    class Basis(models.TextChoices):
        VALUE = "value", "Value"
        WEIGHT = "weight", "Weight"
        VOLUME = "volume", "Volume"
        CHARGEABLE = "chargeable", "Chargeable weight"
        QUANTITY = "quantity", "Quantity"
        CONTAINER = "container", "Container"
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
        SURCHARGE = "surcharge", "Surcharge"
        DISCOUNT = "discount", "Discount"
        ROUNDING = "rounding", "Rounding"
        DUTY = "duty", "Duty"
        IMPORT_TAX = "import_tax", "Import tax"

    company = models.ForeignKey(Company, models.PROTECT, help_text="Who is billed")
    payee = models.ForeignKey(Party, models.PROTECT, related_name="charges")
    kind = models.CharField(max_length=12, choices=Kind.choices)
    basis = models.CharField(max_length=10, choices=Basis.choices)
    currency = fields.currency()
    estimated = fields.money(null=True)
    estimated_on = models.DateField(null=True)
    estimated_currency = fields.currency(blank=True)
    # What its bills say in all, less credit notes, and from when the first is.
    billed = fields.money(null=True)
    billed_on = models.DateField(null=True)
    # No bill is expected any more: the last has come, or none will.
    closed_on = models.DateField(null=True)
    remark = models.CharField(max_length=120, blank=True)
    # The bill that the payee has announced by its link, until it is booked.
    announced_number = models.CharField(max_length=40, blank=True)
    announced = fields.money(null=True)
    announced_on = models.DateField(null=True)
    shipments = models.ManyToManyField(Shipment, related_name="charges")
    containers = models.ManyToManyField(Container, related_name="charges")
    lines = models.ManyToManyField(OrderLine, related_name="charges")
    # Goods of a shipment, or that came unpacked: those of a supplier's bill.
    goods = models.ManyToManyField(ShipmentLine, related_name="charges")

    class Meta:
        ordering = ["id"]
        constraints = [
            models.CheckConstraint(
                condition=Q(estimated__isnull=False) | Q(billed__isnull=False), name="charge_has_amount"
            ),
            models.CheckConstraint(condition=Q(estimated=None) | ~Q(estimated_currency=""), name="estimate_currency"),
        ]

    @property
    def rest(self):
        """The part of the estimate that no bill has come for, in the charge's currency."""
        if not self.expected or self.estimated is None:
            return fields.ZERO
        rest = self.estimated - (self.billed or fields.ZERO)
        return rest if rest * self.estimated > 0 else fields.ZERO

    @property
    def amount(self):
        """The billed amount and the amount still expected, together."""
        return (self.billed or fields.ZERO) + self.rest

    @property
    def bill_numbers(self) -> str:
        """The bills that say something of it, as they are numbered."""
        lines = sorted(self.bill_lines.all(), key=lambda line: line.pk)
        return ", ".join(dict.fromkeys(line.bill.number for line in lines if not line.bill.reversed_by_id))

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
        return self.closed_on is None

    @property
    def ended(self) -> bool:
        """Whether it ended without a bill."""
        return self.closed_on is not None and self.billed is None


class ChargePart(models.Model):
    """A company's part of a charge, in the charge's currency and in base: what is billed of it, and all of it."""

    charge = models.ForeignKey(Charge, models.CASCADE, related_name="parts")
    company = models.ForeignKey(Company, models.PROTECT)
    amount = fields.money()
    base_amount = fields.money()
    billed = fields.money(default=fields.ZERO)
    billed_base = fields.money(default=fields.ZERO)
    # What was estimated before the first bill came; kept beside the bill.
    estimated_base = fields.money(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["charge", "company"], name="part_once_per_company")]


class ChargeShare(models.Model):
    """The share of a shipment line in a charge, in its company's base currency; without one, of a whole order line.

    The share of an order line goes along as its units are packed and received.
    """

    charge = models.ForeignKey(Charge, models.CASCADE, related_name="shares")
    order_line = models.ForeignKey(OrderLine, models.PROTECT, related_name="shares")
    shipment_line = models.ForeignKey(ShipmentLine, models.PROTECT, null=True, related_name="shares")
    company = models.ForeignKey(Company, models.PROTECT)
    amount = fields.money()

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["charge", "order_line", "shipment_line"], name="share_once", nulls_distinct=False
            )
        ]
