"""Where goods lie: movements between bins and states, what they add up to, and goods issued."""

from django.db import models
from django.db.models import F, Q

from northing.access.models import Person
from northing.database import fields
from northing.ledger.models import CostLayer, Entry
from northing.masterdata.models import Bin, Company, Item, Site


class Status(models.TextChoices):
    """The states of goods in a bin."""

    HELD = "held", "Held"
    IN_STORE = "in_store", "In store"
    REJECTED = "rejected", "Rejected"
    # Between two sites of their company; they lie at the dock of the one they go to.
    ON_WAY = "on_way", "On its way"


class StockMovement(models.Model):
    """Units of a layer going from one bin and state to another, by an action. Append-only.

    Without a source they came in, without a target they went out. A movement moves no value.
    """

    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="movements")
    source = models.ForeignKey(Bin, models.PROTECT, null=True, related_name="+")
    source_status = models.CharField(max_length=8, choices=Status.choices, blank=True)
    target = models.ForeignKey(Bin, models.PROTECT, null=True, related_name="+")
    target_status = models.CharField(max_length=8, choices=Status.choices, blank=True)
    quantity = fields.quantity()
    # The serial numbers of the units, apart by line ends; empty where their item keeps none.
    serials = models.TextField(blank=True, db_default="")
    history = models.ForeignKey("activity.HistoryEntry", models.PROTECT)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(quantity__gt=0), name="stock_movement_above_zero"),
            models.CheckConstraint(
                condition=Q(source__isnull=False) | Q(target__isnull=False), name="stock_movement_goes_somewhere"
            ),
            models.CheckConstraint(
                condition=~Q(source=F("target"), source_status=F("target_status")), name="stock_movement_changes"
            ),
        ]


class OnHand(models.Model):
    """How much of a layer lies in which bin, in which state: what its movements add up to."""

    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="on_hand")
    bin = models.ForeignKey(Bin, models.PROTECT)
    status = models.CharField(max_length=8, choices=Status.choices)
    quantity = fields.quantity()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["layer", "bin", "status"], name="on_hand_once"),
            models.CheckConstraint(condition=Q(quantity__gte=0), name="on_hand_not_negative"),
        ]
        # What lies in a bin now: docks see much go through.
        indexes = [models.Index(fields=["bin"], condition=Q(quantity__gt=0), name="on_hand_there")]


class BinMove(models.Model):
    """Goods that were put into other bins in one act; its movements are those of its story. Undone as a whole."""

    class What(models.TextChoices):
        """Why goods lie in another bin."""

        MOVED = "moved", "Moved"
        PUT_AWAY = "put away", "Put away"
        ARRIVED = "arrived", "Arrived from another site"

    company = models.ForeignKey(Company, models.PROTECT)
    site = models.ForeignKey(Site, models.PROTECT)
    what = models.CharField(max_length=8, choices=What.choices)
    moved_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    history = models.OneToOneField("activity.HistoryEntry", models.PROTECT, related_name="+")
    undone_by = models.OneToOneField("activity.HistoryEntry", models.PROTECT, null=True, related_name="+")
    transfer = models.ForeignKey("inventory.Transfer", models.PROTECT, null=True, related_name="arrivals")

    class Meta:
        ordering = ["-id"]


class Transfer(models.Model):
    """Goods that one site of a company sent to another; they are on their way until they arrive or come back."""

    company = models.ForeignKey(Company, models.PROTECT)
    source = models.ForeignKey(Site, models.PROTECT, related_name="+")
    target = models.ForeignKey(Site, models.PROTECT, related_name="+")
    # Of the haulier or the papers; may be empty.
    reference = models.CharField(max_length=40, blank=True)
    sent_on = models.DateField()
    sent_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    history = models.OneToOneField("activity.HistoryEntry", models.PROTECT, related_name="+")

    class Meta:
        ordering = ["-id"]

    def __str__(self):
        return f"transfer {self.pk}"


class TransferLine(models.Model):
    """Units of a layer on their way, from which bin and in which state they left, and how many of them arrived."""

    transfer = models.ForeignKey(Transfer, models.PROTECT, related_name="lines")
    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="transfer_lines")
    source = models.ForeignKey(Bin, models.PROTECT, related_name="+")
    # Where they lie while they are on their way: at the dock they go to.
    dock = models.ForeignKey(Bin, models.PROTECT, related_name="+")
    status = models.CharField(max_length=8, choices=Status.choices)
    quantity = fields.quantity()
    # Arrived, or back in their bin.
    ended = fields.quantity(default=fields.ZERO)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.CheckConstraint(
                condition=Q(quantity__gt=0, ended__gte=0, ended__lte=F("quantity")), name="transfer_line_ends_once"
            )
        ]
        indexes = [models.Index(fields=["transfer"], condition=Q(ended__lt=F("quantity")), name="transfer_line_open")]

    @property
    def left(self):
        """Units that are still on their way."""
        return self.quantity - self.ended


class SerialNumber(models.Model):
    """The unit of an item with that number: of which layer it is, and where it lies (nowhere once it is gone).

    It follows from the movements of its layers; a number is of one unit of an item only.
    """

    item = models.ForeignKey(Item, models.PROTECT, related_name="serials")
    number = models.CharField(max_length=40)
    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="serials")
    bin = models.ForeignKey(Bin, models.PROTECT, null=True, related_name="+")
    status = models.CharField(max_length=8, choices=Status.choices, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["item", "number"], name="serial_number_once")]


class Opening(models.Model):
    """Goods that a company began with: a layer in stock, or a shipment line afloat."""

    company = models.ForeignKey(Company, models.PROTECT)
    layer = models.OneToOneField(CostLayer, models.PROTECT, null=True, related_name="opening")
    # Shipments lie above stock; what was brought in afloat is named all the same.
    shipment_line = models.OneToOneField("shipping.ShipmentLine", models.SET_NULL, null=True, related_name="opening")
    quantity = fields.quantity()
    occurred_on = models.DateField()
    entered_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    # Goods afloat that are not ours yet post nothing.
    entry = models.OneToOneField(Entry, models.PROTECT, null=True)
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["-id"]


class StockIssue(models.Model):
    """Units of an item that left stock for use or sale."""

    company = models.ForeignKey(Company, models.PROTECT)
    site = models.ForeignKey(Site, models.PROTECT)
    item = models.ForeignKey(Item, models.PROTECT, related_name="issues")
    quantity = fields.quantity()
    purpose = models.CharField(max_length=60)
    occurred_on = models.DateField()
    issued_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    entry = models.OneToOneField(Entry, models.PROTECT)
    # The entry that took it back.
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["-id"]


class StockCount(models.Model):
    """A count of a bin, to which stock was adjusted."""

    company = models.ForeignKey(Company, models.PROTECT)
    bin = models.ForeignKey(Bin, models.PROTECT, related_name="+")
    item = models.ForeignKey(Item, models.PROTECT, related_name="counts")
    lot = models.CharField(max_length=40, blank=True)
    before = fields.quantity()
    counted = fields.quantity()
    reason = models.CharField(max_length=200)
    occurred_on = models.DateField()
    counted_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    entry = models.OneToOneField(Entry, models.PROTECT)
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["-id"]


class StockCountLine(models.Model):
    """The units that a count took out of one layer (below 0), or that came as one; and their cost."""

    count = models.ForeignKey(StockCount, models.CASCADE, related_name="lines")
    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="count_lines")
    quantity = fields.quantity()
    cost = fields.money()
    goods_cost = fields.money()


class StockIssueLine(models.Model):
    """The units that an issue took out of one layer, and their cost."""

    issue = models.ForeignKey(StockIssue, models.CASCADE, related_name="lines")
    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="issue_lines")
    quantity = fields.quantity()
    cost = fields.money()
    goods_cost = fields.money()
