"""Orders and their lines. Prices and quantities are per base unit unless said otherwise."""

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.database import fields
from northing.masterdata.models import Company, Item, Party, Site


class OursFrom(models.TextChoices):
    """The moment goods become ours."""

    PICKUP = "pickup", "Pickup"
    ON_BOARD = "on_board", "On board"
    ARRIVAL = "arrival", "Arrival"
    RECEIPT = "receipt", "Receipt"


# The four addresses of an order, each a text of some lines.
ADDRESSES = ("order_to", "despatch_from", "deliver_to", "invoice_to")


class PurchaseOrder(models.Model):
    """An order to one supplier. Its stage follows from the facts below; no one sets it."""

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
    mode = models.CharField("By", max_length=8, default="sea", db_default="sea")
    reference = models.CharField("Our reference", max_length=60, blank=True, db_default="")
    supplier_reference = models.CharField(max_length=60, blank=True, db_default="")
    remark = models.CharField("Remark to the supplier", max_length=500, blank=True, db_default="")
    answer_by = models.DateField(null=True)
    # How many days before its goods must be ready its supplier is reminded; empty: as the rules for chasers say.
    remind_days = models.PositiveSmallIntegerField(null=True)
    # Fractions of 1 on the whole order; the tax stands on top of the total and is no part of the goods' price.
    discount = models.DecimalField("Discount", max_digits=7, decimal_places=4, default=fields.ZERO, db_default=0)
    surcharge = models.DecimalField("Surcharge", max_digits=7, decimal_places=4, default=fields.ZERO, db_default=0)
    tax_rate = models.DecimalField("Purchase tax", max_digits=7, decimal_places=4, default=fields.ZERO, db_default=0)
    # The four addresses as they were when the order was written.
    order_to = models.TextField(blank=True, db_default="")
    despatch_from = models.TextField(blank=True, db_default="")
    deliver_to = models.TextField(blank=True, db_default="")
    invoice_to = models.TextField(blank=True, db_default="")
    created_at = models.DateTimeField()
    checked_at = models.DateTimeField(null=True)
    checked_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    approved_at = models.DateTimeField(null=True)
    approved_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    sent_at = models.DateTimeField(null=True)
    revision = models.PositiveSmallIntegerField(default=0)
    # Counts every change, so that of two people editing one order the second sees what the first did.
    version = models.PositiveIntegerField(default=0, db_default=0)
    cancelled_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["company", "-id"], name="order_newest")]

    def __str__(self):
        return self.number

    @property
    def stage(self):
        if self.cancelled_at:
            return "cancelled"
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
    # Derived: what is paid of the price, after both discounts and the surcharge (core.ordering.net_share).
    net_share = models.DecimalField(max_digits=13, decimal_places=12, default=1, db_default=1)
    need_by = models.DateField()

    class Meta:
        ordering = ["order", "number"]
        constraints = [
            models.UniqueConstraint(fields=["order", "number"], name="line_number_once"),
            models.CheckConstraint(condition=Q(quantity__gt=0) & Q(pack_factor__gt=0), name="line_quantity_above_zero"),
            models.CheckConstraint(condition=Q(pack_price__gte=0), name="line_price_not_negative"),
        ]


class Instalment(models.Model):
    """A dated part of a line. `pack_price` is the price now agreed or asked, per pack."""

    line = models.ForeignKey(OrderLine, models.PROTECT, related_name="instalments")
    number = models.PositiveSmallIntegerField()
    quantity = fields.quantity()
    asked_on = models.DateField()
    pack_price = fields.price()
    # What is paid of it, frozen like the price when it was asked: a later discount is for what is asked later.
    net_share = models.DecimalField(max_digits=13, decimal_places=12, default=1, db_default=1)
    agreed_quantity = fields.quantity(default=fields.ZERO)
    first_promise = models.DateField(null=True)
    promise = models.DateField(null=True)
    # What we propose instead of what the supplier offered, until they answer to it.
    counter_on = models.DateField(null=True)
    counter_price = fields.price(null=True)
    expected_on = models.DateField(null=True)

    class Meta:
        ordering = ["line", "number"]
        constraints = [
            models.UniqueConstraint(fields=["line", "number"], name="instalment_number_once"),
            # Nothing is left of one that a revision took back.
            models.CheckConstraint(condition=Q(quantity__gte=0), name="instalment_not_negative"),
            models.CheckConstraint(
                condition=Q(agreed_quantity__gte=0) & Q(agreed_quantity__lte=models.F("quantity")),
                name="instalment_agreed_within",
            ),
        ]
        indexes = [
            models.Index(
                fields=["line"],
                condition=Q(agreed_quantity__lt=models.F("quantity")) | Q(counter_on__isnull=False),
                name="instalment_not_agreed",
            )
        ]


class Revision(models.Model):
    """An order as it was sent. Append-only."""

    order = models.ForeignKey(PurchaseOrder, models.PROTECT, related_name="revisions")
    number = models.PositiveSmallIntegerField()
    sent_at = models.DateTimeField()
    sent_by = models.ForeignKey(Person, models.PROTECT)
    content = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["order", "number"], name="revision_once")]


class OrderFile(models.Model):
    """A file of orders: shown first, then taken. Its rows say what of them is new, changes or is wrong."""

    class State(models.TextChoices):
        READING = "reading", "Being read"
        SHOWN = "shown", "Read, not taken yet"
        TAKING = "taking", "Being taken"
        TAKEN = "taken", "Taken"
        FAILED = "failed", "Could not be read"

    name = models.CharField(max_length=120)
    sha256 = models.CharField(max_length=64)
    person = models.ForeignKey(Person, models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    state = models.CharField(max_length=8, choices=State.choices, default=State.READING)
    said = models.CharField(max_length=240, blank=True)
    columns = models.JSONField(default=list)

    class Meta:
        ordering = ["-id"]


class OrderFileRow(models.Model):
    """A row as it came, and what becomes of it."""

    class State(models.TextChoices):
        READ = "read", "Read"
        NEW = "new", "New"
        CHANGES = "changes", "Changes"
        SAME = "same", "As it is"
        WRONG = "wrong", "Wrong"
        WAITS = "waits", "Waits for another row of its order"
        TAKEN = "taken", "Taken"

    file = models.ForeignKey(OrderFile, models.CASCADE, related_name="rows")
    number = models.PositiveIntegerField()
    group = models.CharField(max_length=200)
    cells = models.JSONField()
    state = models.CharField(max_length=8, choices=State.choices, default=State.READ)
    says = models.TextField(blank=True)
    order = models.ForeignKey(PurchaseOrder, models.SET_NULL, null=True, related_name="+")

    class Meta:
        indexes = [
            models.Index(fields=["file", "group", "number"], name="file_row_by_order"),
            models.Index(fields=["file", "state", "number"], name="file_row_by_state"),
        ]
