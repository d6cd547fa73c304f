"""Customs entries and their lines."""

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.core.costing.landed_cost import unit_price_of
from northing.costing.models import Charge
from northing.database import fields
from northing.jobs.models import Job
from northing.ledger.models import Entry
from northing.masterdata.models import Company, Party
from northing.orders.models import OrderLine
from northing.shipping.models import Shipment, ShipmentLine


class CustomsEntry(models.Model):
    """A company's declaration of goods: figures as booked. A second one may take its place.

    `shipments` are those that its lines are in; goods that came unpacked are in none.
    """

    shipments = models.ManyToManyField(Shipment, related_name="customs_entries")
    company = models.ForeignKey(Company, models.PROTECT)
    office = models.ForeignKey(Party, models.PROTECT)
    number = models.CharField(max_length=40)
    day = models.DateField()
    customs_value = fields.money()
    duty = fields.money()
    tax_base = fields.money()
    tax = fields.money()
    # What we reckon, where the office asks for figures of its own; and why those differ.
    our_duty = models.DecimalField(max_digits=18, decimal_places=4, null=True)
    our_tax = models.DecimalField(max_digits=18, decimal_places=4, null=True)
    reason = models.CharField(max_length=120, blank=True, db_default="")
    # The office's own customs rates, by currency, where they are not ours.
    rates = models.JSONField(default=dict)
    # Freight and insurance that were deducted from prices: {"order": id, kind: amount} of each order.
    included = models.JSONField(default=list)
    # What of it is a cost of the goods: duty, and import tax that is not reclaimed.
    duty_charge = models.ForeignKey(Charge, models.PROTECT, null=True, related_name="+")
    kept_charge = models.ForeignKey(Charge, models.PROTECT, null=True, related_name="+")
    corrects = models.OneToOneField("self", models.PROTECT, null=True, related_name="corrected_by")
    entered_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    entry = models.OneToOneField(Entry, models.PROTECT)
    # The entry of the books that undid it: its correction, or its reversal.
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(
                fields=["office", "number"], condition=Q(reversed_by=None), name="entry_number_once"
            ),
        ]

    def __str__(self):
        return f"Customs entry {self.number}"


class CustomsLine(models.Model):
    """One shipment line on a customs entry; it `stands` as long as its entry does."""

    entry = models.ForeignKey(CustomsEntry, models.CASCADE, related_name="lines")
    stands = models.BooleanField(default=True)
    shipment_line = models.ForeignKey(ShipmentLine, models.PROTECT, related_name="customs_lines")
    hs_code = models.CharField(max_length=10)
    origin = models.CharField(max_length=2)
    customs_value = fields.money()
    duty_rate = models.DecimalField(max_digits=7, decimal_places=4, default=fields.ZERO)
    # The duty in words; `duty` is with the extra duties, each of which stands in `extra` by its name.
    words = models.CharField(max_length=120, blank=True, db_default="")
    duty = fields.money()
    extra = models.JSONField(default=dict)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["shipment_line"], condition=Q(stands=True), name="goods_declared_once")
        ]


class OriginProof(models.Model):
    """A paper by which goods of a company are given a preference: those in a shipment, or some that came unpacked."""

    shipment = models.ForeignKey(Shipment, models.PROTECT, null=True, related_name="origin_proofs")
    goods = models.ManyToManyField(ShipmentLine, related_name="origin_proofs")
    company = models.ForeignKey(Company, models.PROTECT)
    name = models.CharField("Proof", max_length=60)
    number = models.CharField(max_length=40)
    dated = models.DateField()
    valid_until = models.DateField(null=True)
    added_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    # It was no proof after all.
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["shipment", "company", "name", "number"],
                condition=Q(withdrawn_at=None),
                name="origin_proof_once",
            )
        ]

    def __str__(self):
        return f"{self.name} {self.number}"


class Release(models.Model):
    """Customs released the goods of an entry. It stands whatever becomes of the entry."""

    customs_entry = models.ForeignKey(CustomsEntry, models.PROTECT, related_name="releases")
    company = models.ForeignKey(Company, models.PROTECT)
    day = models.DateField()
    said_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    # It was not released after all.
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["customs_entry"], condition=Q(withdrawn_at=None), name="released_once")
        ]


class OfficePayment(models.Model):
    """What a company paid to a customs office for goods it declared; below 0 the office paid back."""

    company = models.ForeignKey(Company, models.PROTECT)
    office = models.ForeignKey(Party, models.PROTECT, related_name="+")
    day = models.DateField()
    amount = fields.money()
    paid_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    entry = models.OneToOneField(Entry, models.PROTECT)
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["id"]


class OfficePaymentPart(models.Model):
    """What of a payment to an office is of one customs entry; below 0 what was paid for one that does not stand."""

    payment = models.ForeignKey(OfficePayment, models.CASCADE, related_name="parts")
    customs_entry = models.ForeignKey(CustomsEntry, models.PROTECT, related_name="payments")
    amount = fields.money()


class TariffChange(models.Model):
    """Rules, groups of countries or territories were changed; its `job` finds the open lines that cost otherwise then.

    `before` is what was changed as it was: {"was": records as Django's JSON, "made": {kind: keys of new records}}.
    """

    words = models.CharField(max_length=200)
    before = models.JSONField()
    job = models.OneToOneField(Job, models.PROTECT, related_name="+")

    class Meta:
        ordering = ["-id"]

    def __str__(self):
        return self.words


class TariffMove(models.Model):
    """Open units of a line whose expected landed cost a change moves: what they cost before and after, in all."""

    change = models.ForeignKey(TariffChange, models.CASCADE, related_name="moves")
    line = models.ForeignKey(OrderLine, models.CASCADE, related_name="+")
    quantity = fields.quantity()
    duty_before = models.CharField(max_length=120, blank=True)
    duty_after = models.CharField(max_length=120, blank=True)
    before = fields.money()
    after = fields.money()

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["change", "line"], name="tariff_moves_once")]

    def unit(self, whole):
        """What one unit costs where all of it costs so much, 4 decimals."""
        return unit_price_of(whole, self.quantity)

    @property
    def unit_before(self):
        """One unit before the change."""
        return self.unit(self.before)

    @property
    def unit_after(self):
        """One unit after it."""
        return self.unit(self.after)
