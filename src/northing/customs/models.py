"""Customs entries and their lines."""

from django.db import models

from northing.costing.models import Charge
from northing.database import fields
from northing.masterdata.models import Company, Party
from northing.shipping.models import Shipment, ShipmentLine


class CustomsEntry(models.Model):
    """A company's declaration for a shipment: figures as booked."""

    shipment = models.ForeignKey(Shipment, models.PROTECT, related_name="customs_entries")
    company = models.ForeignKey(Company, models.PROTECT)
    office = models.ForeignKey(Party, models.PROTECT)
    number = models.CharField(max_length=40)
    day = models.DateField()
    customs_value = fields.money()
    duty = fields.money()
    tax_base = fields.money()
    tax = fields.money()
    duty_charge = models.ForeignKey(Charge, models.PROTECT, null=True, related_name="+")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["office", "number"], name="entry_number_once"),
            models.UniqueConstraint(fields=["shipment", "company"], name="entry_once_per_shipment"),
        ]


class CustomsLine(models.Model):
    """One shipment line on a customs entry."""

    entry = models.ForeignKey(CustomsEntry, models.CASCADE, related_name="lines")
    shipment_line = models.ForeignKey(ShipmentLine, models.PROTECT, related_name="customs_lines")
    hs_code = models.CharField(max_length=10)
    origin = models.CharField(max_length=2)
    customs_value = fields.money()
    duty_rate = models.DecimalField(max_digits=7, decimal_places=4, default=fields.ZERO)
    duty = fields.money()
