"""Containers, what travels in them or unpacked, and pallets."""

from datetime import date

from django.db import models
from django.db.models import Q

from northing.database import fields
from northing.orders.models import Instalment
from northing.shipping.models.shipments import Shipment


class Container(models.Model):
    """A container by its ISO 6346 number; or loose packages, by their mark.

    Its limits are those of its type (core.loading), unless it has its own. It is at the dock with its
    shipment, unless its own discharge or leaving of the port is spoken of (`own_dock`).
    """

    shipment = models.ForeignKey(Shipment, models.PROTECT, related_name="containers")
    number = models.CharField(max_length=11)
    size_type = models.CharField(max_length=4)
    seal = models.CharField(max_length=20, blank=True)
    tare_kg = fields.quantity(null=True)
    payload_kg = fields.quantity(null=True)
    volume_m3 = fields.quantity(null=True)
    own_dock = models.DateField(null=True)

    class Meta:
        ordering = ["shipment", "number"]
        constraints = [models.UniqueConstraint(fields=["shipment", "number"], name="container_once")]

    def __str__(self):
        return self.number

    @property
    def expected_dock(self) -> date | None:
        """The day on which what is in it is expected at the dock."""
        return self.own_dock or self.shipment.expected_dock


class ShipmentLine(models.Model):
    """An instalment's quantity on its way: the part that is costed and received.

    It is in a container; or, without one, it is what came against the order unpacked, and all of it is accounted for.
    `goods_amount` is in the order's currency; it, its base value and the rate stand from the
    day the goods become ours. `accounted` counts what the dock received or declared missing.
    """

    # The index of container and instalment serves the container alone as well.
    container = models.ForeignKey(Container, models.PROTECT, null=True, related_name="shipment_lines", db_index=False)
    instalment = models.ForeignKey(Instalment, models.PROTECT, related_name="shipment_lines")
    quantity = fields.quantity()
    accounted = fields.quantity(default=fields.ZERO)
    ours_on = models.DateField(null=True)
    goods_amount = fields.money(null=True)
    goods_base = fields.money(null=True)
    goods_rate = fields.price(null=True)
    opening_billed = models.BooleanField(default=False)

    class Meta:
        ordering = ["container", "id"]
        constraints = [
            models.CheckConstraint(
                condition=Q(quantity__gt=0) | Q(quantity=0, container=None), name="shipment_line_above_zero"
            ),
            models.CheckConstraint(condition=Q(accounted__gte=0), name="shipment_line_accounted_not_negative"),
        ]
        indexes = [models.Index(fields=["container", "instalment"], name="shipment_line_of_container")]

    @property
    def place(self) -> str:
        """Where the units are that are not accounted for yet: where their shipment is."""
        return self.container.shipment.place if self.container else "with_supplier"

    @property
    def source(self) -> str:
        """The container of the goods in words: its number, or "unpacked"."""
        return self.container.number if self.container else "unpacked"


class HandlingUnit(models.Model):
    """A logistic unit, such as a pallet, by its SSCC: what of shipment lines stands on it is its contents."""

    container = models.ForeignKey(Container, models.CASCADE, related_name="units")
    sscc = models.CharField(max_length=18)

    class Meta:
        ordering = ["container", "sscc"]
        constraints = [models.UniqueConstraint(fields=["container", "sscc"], name="handling_unit_once")]

    def __str__(self):
        return self.sscc


class HandlingContent(models.Model):
    """How much of a shipment line stands on a handling unit, of which lot, as it was announced."""

    unit = models.ForeignKey(HandlingUnit, models.CASCADE, related_name="contents")
    shipment_line = models.ForeignKey(ShipmentLine, models.CASCADE, related_name="units")
    quantity = fields.quantity()
    lot = models.CharField(max_length=40, blank=True)
    best_before = models.DateField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["unit", "shipment_line", "lot", "best_before"],
                name="handling_content_once",
                nulls_distinct=False,
            ),
            models.CheckConstraint(condition=Q(quantity__gt=0), name="handling_content_above_zero"),
        ]
