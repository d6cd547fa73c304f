"""Receipts of the dock, as facts."""

from django.db import models
from django.db.models import F, Q

from northing.access.models import Person
from northing.database import fields
from northing.ledger.models import Entry
from northing.masterdata.models import Bin, Company, Site
from northing.orders.models import Instalment
from northing.shipping.models import Container, ShipmentLine


class Receipt(models.Model):
    """Goods of one company taken in under one delivery note: out of one container, or, without one, against orders."""

    company = models.ForeignKey(Company, models.PROTECT)
    # Per company, without gaps; given as the last thing of the action, so that none waits for another's goods.
    number = models.CharField(max_length=24, unique=True, null=True)  # noqa: DJ001
    site = models.ForeignKey(Site, models.PROTECT)
    container = models.ForeignKey(Container, models.PROTECT, null=True, related_name="receipts")
    delivery_note = models.CharField(max_length=40)
    occurred_on = models.DateField()
    received_by = models.ForeignKey(Person, models.PROTECT)
    at = models.DateTimeField()
    entry = models.OneToOneField(Entry, models.PROTECT)
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")
    history = models.ForeignKey("activity.HistoryEntry", models.PROTECT)
    # What of the shipment's way is known by this receipt alone.
    proves_departure = models.BooleanField(default=False)
    proves_arrival = models.BooleanField(default=False)

    class Meta:
        ordering = ["-id"]

    def __str__(self):
        return self.number or self.delivery_note


class ReceiptLine(models.Model):
    """The receipt of one shipment line, in one lot and bin: units received, and units declared missing.

    `beyond` is what came beyond its shipment, `excess` what of that came beyond the order; `dropped` is what the
    supplier will not deliver any more, `back` what was not in the container and is still to come from the supplier.
    """

    receipt = models.ForeignKey(Receipt, models.PROTECT, related_name="lines")
    shipment_line = models.ForeignKey(ShipmentLine, models.PROTECT, related_name="receipt_lines")
    instalment = models.ForeignKey(Instalment, models.PROTECT, related_name="receipt_lines")
    quantity = fields.quantity()
    missing = fields.quantity(default=fields.ZERO)
    beyond = fields.quantity(default=fields.ZERO)
    excess = fields.quantity(default=fields.ZERO)
    dropped = fields.quantity(default=fields.ZERO)
    back = fields.quantity(default=fields.ZERO)
    # What those units were worth where they were ours already: in the order's currency and in base.
    back_amount = fields.money(default=fields.ZERO)
    back_base = fields.money(default=fields.ZERO)
    lot = models.CharField(max_length=40, blank=True)
    best_before = models.DateField(null=True)
    bin = models.ForeignKey(Bin, models.PROTECT)
    # Goods that became ours by this receipt: units, and their price in the order's currency and in base.
    recognised_units = fields.quantity(default=fields.ZERO)
    recognised_amount = fields.money(default=fields.ZERO)
    recognised_base = fields.money(default=fields.ZERO)
    recognised_rate = fields.price(null=True)

    class Meta:
        ordering = ["receipt", "id"]
        constraints = [
            models.CheckConstraint(
                condition=Q(quantity__gte=F("beyond"), missing__gte=0, dropped__gte=0, back__gte=0)
                & Q(beyond__gte=F("excess")),
                name="receipt_line_not_negative",
            ),
            models.CheckConstraint(
                condition=Q(quantity__gt=0) | Q(missing__gt=0) | Q(dropped__gt=0) | Q(back__gt=0),
                name="receipt_line_says_something",
            ),
        ]
