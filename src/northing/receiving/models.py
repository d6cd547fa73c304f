"""Receipts of the dock, as facts."""

from decimal import Decimal

from django.db import models
from django.db.models import F, Q

from northing.access.models import Person
from northing.database import fields
from northing.ledger.models import Entry
from northing.masterdata.models import Bin, Company, Item, Party, Site
from northing.orders.models import Instalment, OrderLine
from northing.shipping.models import Container, DespatchNotice, ShipmentLine


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
    # What else the papers and the lorry said.
    supplier_bill = models.CharField("Supplier's bill", max_length=40, blank=True, db_default="")
    haulier = models.CharField(max_length=80, blank=True, db_default="")
    vehicle = models.CharField(max_length=40, blank=True, db_default="")
    seal = models.CharField("Seal found", max_length=40, blank=True, db_default="")
    remark = models.CharField(max_length=400, blank=True, db_default="")
    # The receipt by which these goods came to the dock before they were tied to an order.
    ties = models.ForeignKey("self", models.PROTECT, null=True, related_name="tied_by")

    class Meta:
        ordering = ["-id"]

    def __str__(self):
        return self.number or self.delivery_note


class PrintedLabels(models.Model):
    """That the labels of a receipt, or of a despatch notice, were printed: those of a later time bear a mark."""

    receipt = models.OneToOneField(Receipt, models.CASCADE, null=True, related_name="printed_labels")
    notice = models.OneToOneField(DespatchNotice, models.CASCADE, null=True, related_name="printed_labels")
    first_at = models.DateTimeField()
    first_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    times = models.PositiveIntegerField(default=1)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(receipt=None, notice__isnull=False) | Q(receipt__isnull=False, notice=None),
                name="printed_labels_of_one",
            )
        ]


class Condition(models.TextChoices):
    """The condition in which goods came; what is not good is held apart."""

    GOOD = "", "Good"
    DAMAGED = "damaged", "Damaged"
    TO_INSPECT = "inspect", "To be inspected"


class ReceiptLine(models.Model):
    """The receipt of one shipment line, in one lot and bin: units received, and units declared missing.

    Goods that belong to no order yet have none (`why` says how they came): they are held, and worth nothing, until
    they are tied to an order, sent back, or kept.

    `beyond` is what came beyond its shipment, `excess` what of that came beyond the order; `dropped` is what the
    supplier will not deliver any more, `back` what was not in the container and is still to come from the supplier;
    `asked` is short beyond tolerance, and open until the buyer answers.
    """

    class Why(models.TextChoices):
        """How goods came that belong to no order."""

        ORDERED = "", "Ordered"
        UNORDERED = "unordered", "Without an order"
        EXCESS = "excess", "More than allowed"
        OTHER_ITEM = "other item", "Another item than ordered"

    receipt = models.ForeignKey(Receipt, models.PROTECT, related_name="lines")
    item = models.ForeignKey(Item, models.PROTECT, related_name="+")
    shipment_line = models.ForeignKey(ShipmentLine, models.PROTECT, null=True, related_name="receipt_lines")
    instalment = models.ForeignKey(Instalment, models.PROTECT, null=True, related_name="receipt_lines")
    why = models.CharField(max_length=10, choices=Why.choices, blank=True, db_default="")
    # Whose goods without an order are, and the ordered line they came with.
    supplier = models.ForeignKey(Party, models.PROTECT, null=True, related_name="+")
    stands_for = models.ForeignKey(OrderLine, models.PROTECT, null=True, related_name="+")
    # The line of goods without an order that was tied by this one.
    tied_from = models.ForeignKey("self", models.PROTECT, null=True, related_name="tied_lines")
    quantity = fields.quantity()
    missing = fields.quantity(default=fields.ZERO)
    beyond = fields.quantity(default=fields.ZERO)
    excess = fields.quantity(default=fields.ZERO)
    dropped = fields.quantity(default=fields.ZERO)
    asked = fields.quantity(default=fields.ZERO, db_default=0)
    back = fields.quantity(default=fields.ZERO)
    # What those units were worth where they were ours already: in the order's currency and in base.
    back_amount = fields.money(default=fields.ZERO)
    back_base = fields.money(default=fields.ZERO)
    lot = models.CharField(max_length=40, blank=True)
    best_before = models.DateField(null=True)
    condition = models.CharField(max_length=8, choices=Condition.choices, blank=True, db_default="")
    # The pallet these units stand on, by its SSCC.
    sscc = models.CharField(max_length=18, blank=True, db_default="")
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
                condition=Q(quantity__gt=0) | Q(missing__gt=0) | Q(dropped__gt=0) | Q(back__gt=0) | Q(asked__gt=0),
                name="receipt_line_says_something",
            ),
            models.CheckConstraint(
                condition=Q(why="", instalment__isnull=False, shipment_line__isnull=False, supplier=None)
                | Q(~Q(why=""), instalment=None, shipment_line=None, supplier__isnull=False),
                name="receipt_line_of_order_or_supplier",
            ),
        ]
        indexes = [
            models.Index(fields=["sscc"], condition=~Q(sscc=""), name="receipt_line_sscc"),
            models.Index(fields=["item", "receipt"], name="receipt_line_item"),
            models.Index(fields=["receipt"], condition=~Q(why=""), name="receipt_line_no_order"),
        ]


class ToldReceipt(models.Model):
    """A receipt as a contract warehouse tells it: shown beside what is expected, then taken once, or dropped."""

    class State(models.TextChoices):
        """The outcome of a told receipt."""

        SHOWN = "shown", "Waits"
        TAKEN = "taken", "Taken"
        DROPPED = "dropped", "Dropped"

    site = models.ForeignKey(Site, models.PROTECT, related_name="told_receipts")
    number = models.CharField(max_length=40)
    received_on = models.DateField()
    remark = models.CharField(max_length=200, blank=True)
    sent_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    state = models.CharField(max_length=8, choices=State.choices, default=State.SHOWN)
    receipts = models.ManyToManyField(Receipt, related_name="told_by")

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(fields=["site", "number"], condition=~Q(state="dropped"), name="told_receipt_once")
        ]

    def __str__(self):
        return self.number


class ToldLine(models.Model):
    """A row of a told receipt as it came; `number` is that of the file's row, several may share it."""

    told = models.ForeignKey(ToldReceipt, models.PROTECT, related_name="lines")
    number = models.PositiveIntegerField()
    order = models.CharField(max_length=24, blank=True)
    line = models.CharField(max_length=12, blank=True)
    item = models.CharField(max_length=40, blank=True)
    quantity = fields.quantity()
    rest = models.CharField(max_length=8, blank=True)
    container = models.CharField(max_length=15, blank=True)
    lot = models.CharField(max_length=40, blank=True)
    best_before = models.DateField(null=True)
    serials = models.TextField(blank=True)
    sscc = models.CharField(max_length=18, blank=True)
    bin = models.CharField(max_length=40, blank=True)
    condition = models.CharField(max_length=8, blank=True)
    supplier = models.CharField(max_length=40, blank=True)
    note = models.CharField(max_length=40, blank=True)

    class Meta:
        ordering = ["told", "id"]


class ShortQuestion(models.Model):
    """More is short than the dock may close by itself: the buyer says whether more comes. The rest stays open."""

    class Answer(models.TextChoices):
        """The outcome of a question."""

        OPEN = "", "Open"
        NO_MORE = "no more", "No more comes"
        COMING = "coming", "Still coming"
        # Counted anew, or the receipt was reversed.
        SETTLED = "settled", "Settled"

    company = models.ForeignKey(Company, models.PROTECT)
    line = models.ForeignKey(ReceiptLine, models.PROTECT, related_name="questions")
    instalment = models.ForeignKey(Instalment, models.PROTECT, related_name="short_questions")
    # Out of a container; empty for goods that come unpacked.
    shipment_line = models.ForeignKey(ShipmentLine, models.PROTECT, null=True, related_name="short_questions")
    quantity = fields.quantity()
    # In per cent of what was to come from there.
    short = models.DecimalField(max_digits=5, decimal_places=2)
    allowed = models.DecimalField(max_digits=5, decimal_places=2)
    answer = models.CharField(max_length=8, choices=Answer.choices, blank=True, db_default="")
    answered_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    answered_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.CheckConstraint(condition=Q(quantity__gt=0), name="short_question_above_zero"),
            models.UniqueConstraint(
                fields=["instalment", "shipment_line"],
                condition=Q(answer=""),
                nulls_distinct=False,
                name="one_open_short_question",
            ),
        ]

    @property
    def still_open(self) -> Decimal:
        """Units of the rest that are still to come: less where the order was cut since, or goods came."""
        part = self.shipment_line
        return part.quantity - part.accounted if part else self.instalment.position.with_supplier


class HeldDecision(models.Model):
    """An end of goods without an order: tied to one, sent back, or kept free of charge."""

    class Way(models.TextChoices):
        """The ends of goods without an order."""

        TIED = "tied", "Tied to an order"
        SENT_BACK = "sent back", "Sent back"
        KEPT = "kept", "Kept free of charge"

    line = models.ForeignKey(ReceiptLine, models.PROTECT, related_name="decisions")
    way = models.CharField(max_length=9, choices=Way.choices)
    quantity = fields.quantity()
    reference = models.CharField(max_length=80, blank=True)
    occurred_on = models.DateField()
    decided_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    entry = models.ForeignKey(Entry, models.PROTECT, related_name="+")
    # The receipt that tied them.
    receipt = models.ForeignKey(Receipt, models.PROTECT, null=True, related_name="tied")
    reversed_by = models.ForeignKey(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["id"]
        constraints = [models.CheckConstraint(condition=Q(quantity__gt=0), name="held_decision_above_zero")]
