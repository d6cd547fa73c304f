"""What was ordered. Prices and quantities are per base unit unless said otherwise."""

from django.db import models
from django.db.models import Q

from northing.directory import fields
from northing.directory.models import Company, Item, Party, Person, Site


class OursFrom(models.TextChoices):
    """The moment goods become ours."""

    PICKUP = "pickup", "Pickup"
    ON_BOARD = "on_board", "On board"
    ARRIVAL = "arrival", "Arrival"
    RECEIPT = "receipt", "Receipt"


class PurchaseOrder(models.Model):
    """An order to one supplier. Its stage follows from the facts below; nobody sets it."""

    company = models.ForeignKey(Company, models.PROTECT)
    number = models.CharField(max_length=24, unique=True)
    supplier = models.ForeignKey(Party, models.PROTECT, related_name="orders")
    site = models.ForeignKey(Site, models.PROTECT)
    buyer = models.ForeignKey(Person, models.PROTECT, related_name="orders")
    currency = fields.currency()
    incoterm = models.CharField(max_length=3)
    incoterm_place = models.CharField(max_length=60, blank=True)
    ours_from = models.CharField(max_length=10, choices=OursFrom.choices)
    need_by = models.DateField()
    created_at = models.DateTimeField()
    checked_at = models.DateTimeField(null=True)
    checked_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    approved_at = models.DateTimeField(null=True)
    approved_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    sent_at = models.DateTimeField(null=True)
    revision = models.PositiveSmallIntegerField(default=0)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["company", "-id"], name="order_newest")]

    def __str__(self):
        return self.number

    @property
    def stage(self):
        if self.sent_at:
            return "sent"
        if self.approved_at:
            return "approved"
        return "waiting for approval" if self.checked_at else "draft"


class OrderLine(models.Model):
    """A line; keeps its identity through revisions. `pack_factor` is frozen when written."""

    order = models.ForeignKey(PurchaseOrder, models.PROTECT, related_name="lines")
    number = models.PositiveSmallIntegerField()
    item = models.ForeignKey(Item, models.PROTECT, related_name="order_lines")
    pack = models.CharField(max_length=16)
    pack_factor = fields.quantity()
    quantity = fields.quantity()
    pack_price = fields.price()
    agreed_pack_price = fields.price(null=True)
    discount = models.DecimalField(max_digits=7, decimal_places=4, default=fields.ZERO)
    need_by = models.DateField()
    # Derived: when the last outstanding unit is expected on our dock; empty when nothing is outstanding.
    expected_on = models.DateField(null=True)

    class Meta:
        ordering = ["order", "number"]
        constraints = [
            models.UniqueConstraint(fields=["order", "number"], name="line_number_once"),
            models.CheckConstraint(condition=Q(quantity__gt=0) & Q(pack_factor__gt=0), name="line_quantity_above_zero"),
            models.CheckConstraint(condition=Q(pack_price__gte=0), name="line_price_not_negative"),
        ]
        indexes = [
            models.Index(fields=["need_by", "id"], name="line_by_need"),
            models.Index(fields=["need_by", "id"], condition=Q(expected_on__isnull=False), name="line_open_by_need"),
            models.Index(
                fields=["expected_on", "id"], condition=Q(expected_on__isnull=False), name="line_open_by_expected"
            ),
        ]


class Instalment(models.Model):
    """A dated part of a line. `pack_price` is the price now agreed or asked, per pack."""

    line = models.ForeignKey(OrderLine, models.PROTECT, related_name="instalments")
    number = models.PositiveSmallIntegerField()
    quantity = fields.quantity()
    asked_on = models.DateField()
    pack_price = fields.price()
    agreed_quantity = fields.quantity(default=fields.ZERO)
    first_promise = models.DateField(null=True)
    promise = models.DateField(null=True)
    expected_on = models.DateField(null=True)

    class Meta:
        ordering = ["line", "number"]
        constraints = [
            models.UniqueConstraint(fields=["line", "number"], name="instalment_number_once"),
            models.CheckConstraint(condition=Q(quantity__gt=0), name="instalment_above_zero"),
            models.CheckConstraint(
                condition=Q(agreed_quantity__gte=0) & Q(agreed_quantity__lte=models.F("quantity")),
                name="instalment_agreed_within",
            ),
        ]


class Revision(models.Model):
    """What was sent, as it was sent. Append-only."""

    order = models.ForeignKey(PurchaseOrder, models.PROTECT, related_name="revisions")
    number = models.PositiveSmallIntegerField()
    sent_at = models.DateTimeField()
    sent_by = models.ForeignKey(Person, models.PROTECT)
    content = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["order", "number"], name="revision_once")]
