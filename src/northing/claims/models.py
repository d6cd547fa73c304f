"""Cases of goods that are not right, or of money that is owed for them, and returns."""

from django.db import models
from django.db.models import F, Q

from northing.access.models import Person
from northing.activity.models import HistoryEntry
from northing.database import fields
from northing.ledger.models import Account, CostLayer, Entry
from northing.masterdata.models import Company, Party, Site
from northing.orders.models import OrderLine
from northing.quality.models import Inspection


class Claim(models.Model):
    """Failed or missing units, or units that belong to no order, until each has an end; or (no units) money that is
    owed for goods of a layer.
    """

    class Kind(models.TextChoices):
        REJECTED = "rejected", "Rejected"
        MISSING = "missing", "Missing"
        EXCESS = "excess", "More than ordered"
        WRONG = "wrong", "Not ordered"
        LATE = "late", "Late"
        PRICE = "price", "Wrongly billed"
        OTHER = "other", "Other"

    OF_MONEY = (Kind.LATE, Kind.PRICE, Kind.OTHER)
    # They are worth nothing to us; what the buyer decides about them (tied to an order, sent back, kept) is their end.
    OF_NO_ORDER = (Kind.EXCESS, Kind.WRONG)

    company = models.ForeignKey(Company, models.PROTECT)
    kind = models.CharField(max_length=8, choices=Kind.choices)
    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="cases")
    supplier = models.ForeignKey(Party, models.PROTECT)
    # Who owes the price of the goods: their supplier, unless it is claimed from a carrier, an insurer or a forwarder.
    against = models.ForeignKey(Party, models.PROTECT, related_name="cases_against")
    reason = models.CharField(max_length=80)
    quantity = fields.quantity()
    ended = fields.quantity(default=fields.ZERO)
    # Units that the supplier takes back, and that are still here.
    authorised = fields.quantity(default=fields.ZERO)
    opened_on = models.DateField()
    inspection = models.OneToOneField(Inspection, models.PROTECT, null=True, related_name="case")
    # The act that set its units aside, where it was opened by hand.
    opened_by = models.OneToOneField(HistoryEntry, models.PROTECT, null=True, related_name="+")
    # When the other side was written to, and by when it is to answer.
    asked_on = models.DateField(null=True)
    answer_by = models.DateField(null=True)
    # When they were reminded last, by rule.
    reminded_on = models.DateField(null=True)
    # The person of ours who handles it.
    looked_after_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="cases")
    # Its units were those of another case until it was divided.
    part_of = models.ForeignKey("self", models.PROTECT, null=True, related_name="parts")
    # What opened it (a receipt, an inspection) was reversed: it never was.
    withdrawn_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.CheckConstraint(
                condition=Q(ended__gte=0, authorised__gte=0) & Q(ended__lte=F("quantity") - F("authorised")),
                name="case_ended_within",
            )
        ]

    @property
    def of_no_order(self) -> bool:
        """Whether its units belong to no order."""
        return self.kind in self.OF_NO_ORDER

    @property
    def line(self) -> OrderLine | None:
        """The order line that its goods are of, or that they came with."""
        part, receipt_line = self.layer.shipment_line, self.layer.receipt_line
        if part is not None:
            return part.instalment.line
        return receipt_line.stands_for if receipt_line else None

    @property
    def loss_account(self) -> str:
        """The account of costs that are lost with its goods: the more of them is claimed, the less is lost."""
        missing = self.kind == self.Kind.MISSING
        return (Account.MISSING_LOSS if missing else Account.RETURN_LOSS).value

    @property
    def open_quantity(self):
        return fields.ZERO if self.withdrawn_at else self.quantity - self.ended

    @property
    def undecided(self):
        """Units that have no way yet: neither an end, nor an authorised return."""
        return fields.ZERO if self.withdrawn_at else self.quantity - self.ended - self.authorised


class ClaimAmount(models.Model):
    """By how much a claim grew or shrank, in the currency that is owed and in base. Append-only."""

    class Why(models.TextChoices):
        PRICE = "price", "Price of goods that are gone"
        DIFFERENCE = "difference", "Price difference of goods that are gone"
        CREDITED = "credited", "Credited by the supplier"
        REDUCED = "reduced", "Kept at a lower price"
        MORE = "more", "Claimed beyond the price"
        TURNED = "turned", "Claimed from another party"
        PAID = "paid", "Paid in money"
        GIVEN_UP = "given up", "Given up"
        COST = "cost", "A cost that a bill brought"
        REPLACED = "replaced", "Settled by goods that came free in their place"

    case = models.ForeignKey(Claim, models.PROTECT, related_name="amounts")
    # Who owes it.
    party = models.ForeignKey(Party, models.PROTECT, related_name="+")
    entry = models.ForeignKey(Entry, models.PROTECT)
    why = models.CharField(max_length=10, choices=Why.choices)
    currency = fields.currency()
    amount = fields.money()
    base = fields.money()


class Authorisation(models.Model):
    """The supplier takes back so many units of a case, under its reference; for credit, or for goods in their place."""

    class Owed(models.TextChoices):
        CREDIT = "credit", "A credit note"
        REPLACEMENT = "replacement", "Goods in their place"

    company = models.ForeignKey(Company, models.PROTECT)
    case = models.ForeignKey(Claim, models.PROTECT, related_name="authorisations")
    quantity = fields.quantity()
    returned = fields.quantity(default=fields.ZERO)
    reference = models.CharField("Supplier's reference", max_length=40)
    owed = models.CharField(max_length=11, choices=Owed.choices)
    # What was not ordered anew is credited after all.
    rest_credited = models.BooleanField(default=False)
    occurred_on = models.DateField()
    by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    history = models.OneToOneField(HistoryEntry, models.PROTECT, related_name="+")
    reversed_by = models.OneToOneField(HistoryEntry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["id"]
        constraints = [
            models.CheckConstraint(
                condition=Q(returned__gte=0) & Q(returned__lte=F("quantity")), name="returned_as_authorised"
            ),
            models.UniqueConstraint(
                fields=["case", "reference"], condition=Q(reversed_by=None), name="authorised_once_by_reference"
            ),
        ]

    @property
    def left(self):
        """Units that are still here."""
        return fields.ZERO if self.reversed_by_id else self.quantity - self.returned


class Replacement(models.Model):
    """Units of an order line that come in the place of authorised ones of a case: its allotment."""

    authorisation = models.ForeignKey(Authorisation, models.PROTECT, related_name="replacements")
    order_line = models.ForeignKey(OrderLine, models.CASCADE, related_name="replaces")
    quantity = fields.quantity()
    by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["authorisation", "order_line"], name="replaced_once_by_line"),
            models.CheckConstraint(condition=Q(quantity__gt=0), name="replaced_above_zero"),
        ]


class GoodsReturn(models.Model):
    """Goods that went back to their supplier together, under its reference; a return note for each case."""

    company = models.ForeignKey(Company, models.PROTECT)
    site = models.ForeignKey(Site, models.PROTECT)
    supplier = models.ForeignKey(Party, models.PROTECT, related_name="returns")
    number = models.CharField(max_length=24)
    reference = models.CharField("Supplier's reference", max_length=40)
    reason = models.CharField(max_length=80, blank=True)
    haulier = models.CharField(max_length=80, blank=True)
    # The lines of the address that they go to, and how many packages they are.
    deliver_to = models.TextField(blank=True, db_default="")
    packages = models.PositiveSmallIntegerField(default=1, db_default=1)
    occurred_on = models.DateField()
    at = models.DateTimeField()
    # Of a prepared one: its goods stand by until it is despatched, or not sent after all.
    despatched_at = models.DateTimeField(null=True)
    cancelled_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(fields=["company", "number"], name="return_number_once"),
            models.CheckConstraint(
                condition=Q(despatched_at=None) | Q(cancelled_at=None), name="return_sent_or_cancelled"
            ),
        ]

    def __str__(self):
        return self.number

    @property
    def prepared(self):
        """Whether its goods stand by."""
        return self.despatched_at is None and self.cancelled_at is None


class ReturnLine(models.Model):
    """Units of an authorisation that stand by for a return; `authorised`, `set_aside`: it was done for this return."""

    goods_return = models.ForeignKey(GoodsReturn, models.CASCADE, related_name="stands_by")
    authorisation = models.ForeignKey(Authorisation, models.PROTECT, related_name="+")
    quantity = fields.quantity()
    # The numbers of these very units, one in each line, where their item keeps them.
    serials = models.TextField(blank=True, db_default="")
    authorised = models.BooleanField()
    set_aside = models.BooleanField()

    class Meta:
        ordering = ["id"]
        constraints = [models.CheckConstraint(condition=Q(quantity__gt=0), name="return_line_above_zero")]


class ReturnNote(models.Model):
    """Units of a case that went back to the supplier under their reference."""

    # Of notes written before returns had a number there is none.
    goods_return = models.ForeignKey(GoodsReturn, models.PROTECT, null=True, related_name="notes")
    company = models.ForeignKey(Company, models.PROTECT)
    case = models.ForeignKey(Claim, models.PROTECT, related_name="returns")
    authorisation = models.ForeignKey(Authorisation, models.PROTECT, null=True, related_name="notes")
    reference = models.CharField("Supplier's reference", max_length=40)
    quantity = fields.quantity()
    cost = fields.money()
    claimed = fields.money()
    lost = fields.money()
    occurred_on = models.DateField()
    returned_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    entry = models.OneToOneField(Entry, models.PROTECT)
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["id"]


class CaseEnd(models.Model):
    """Units of a case that did not go back. What came of their price stands in the postings.

    Of those that are kept at a lower price, `reduced` of it is claimed, in the order's currency and in base.
    """

    class Way(models.TextChoices):
        KEPT = "kept", "Kept"
        REWORKED = "reworked", "Reworked"
        SCRAPPED = "scrapped", "Scrapped"
        FOUND = "found", "Found again"
        LOST = "lost", "Lost"
        NEVER = "never", "Never supplied"

    company = models.ForeignKey(Company, models.PROTECT)
    case = models.ForeignKey(Claim, models.PROTECT, related_name="ends")
    way = models.CharField(max_length=8, choices=Way.choices)
    quantity = fields.quantity()
    reason = models.CharField(max_length=80)
    cost = fields.money(default=fields.ZERO)
    claimed = fields.money(default=fields.ZERO)
    lost = fields.money(default=fields.ZERO)
    reduced = fields.money(default=fields.ZERO)
    reduced_base = fields.money(default=fields.ZERO)
    occurred_on = models.DateField()
    by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    history = models.OneToOneField(HistoryEntry, models.PROTECT, related_name="+")
    # Of what is kept as it is, or stays missing, nothing is posted.
    entry = models.OneToOneField(Entry, models.PROTECT, null=True)
    reversed_by = models.OneToOneField(HistoryEntry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["id"]


class ClaimMoney(models.Model):
    """What was done about the money of a case beside its goods; `amount` is in the currency that is owed.

    `party` owes it, or owed it until it was `turned` from another one, who stands in `before`.
    """

    class Way(models.TextChoices):
        MORE = "more", "Claimed"
        TURNED = "turned", "Claimed from another party"
        PAID = "paid", "Paid"
        GIVEN_UP = "given up", "Given up"

    company = models.ForeignKey(Company, models.PROTECT)
    case = models.ForeignKey(Claim, models.PROTECT, related_name="money")
    way = models.CharField(max_length=8, choices=Way.choices)
    party = models.ForeignKey(Party, models.PROTECT, related_name="+")
    before = models.ForeignKey(Party, models.PROTECT, null=True, related_name="+")
    currency = fields.currency()
    amount = fields.money()
    base = fields.money()
    # What reached the bank, in base; and units whose price is owed to the supplier after all.
    bank_base = fields.money(default=fields.ZERO)
    units = fields.quantity(default=fields.ZERO)
    reason = models.CharField(max_length=80)
    occurred_on = models.DateField()
    by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    entry = models.OneToOneField(Entry, models.PROTECT)
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["id"]
