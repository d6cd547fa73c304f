"""The books: entries and postings (append-only), cost layers, what is on hand."""

from django.db import models
from django.db.models import F, Q

from northing.access.models import Person
from northing.database import fields
from northing.masterdata.models import Company, Item, Site


class Account(models.TextChoices):
    """The accounts of every company."""

    STOCK = "stock", "Stock"
    OWNED_AFLOAT = "owned_afloat", "Owned afloat"
    OWNED_NOT_BILLED = "owned_not_billed", "Owned not billed"
    ACCRUED_CHARGES = "accrued_charges", "Accrued charges"
    ACCRUED_DUTY = "accrued_duty", "Accrued duty"
    IMPORT_TAX = "import_tax", "Import tax to reclaim"
    PROVIDER_PAYABLE = "provider_payable", "Provider payables"
    CUSTOMS_PAYABLE = "customs_payable", "Customs payables"
    CLAIMS = "claims", "Claims"
    RETURN_LOSS = "return_loss", "Return loss"
    MISSING_LOSS = "missing_loss", "Loss on missing goods"
    LATE_SOLD = "late_issued", "Late cost of goods issued"
    LATE_RETURNED = "late_returned", "Late cost of goods returned"
    LATE_MISSING = "late_missing", "Late cost of goods missing"
    LATE_SCRAPPED = "late_scrapped", "Late cost of goods scrapped"
    STOCK_ISSUES = "stock_issues", "Stock issues"
    DUE_FROM = "due_from", "Due from company"
    DUE_TO = "due_to", "Due to company"
    OPENING = "opening", "Opening balance"


class Entry(models.Model):
    """One action in the books. Sums to zero in base currency per company. Append-only."""

    history = models.ForeignKey("activity.HistoryEntry", models.PROTECT, related_name="entries")
    actor = models.ForeignKey(Person, models.PROTECT, null=True)
    action = models.CharField(max_length=24)
    text = models.CharField(max_length=240)
    occurred_on = models.DateField()
    posted_on = models.DateField()
    at = models.DateTimeField()
    reverses = models.ForeignKey("self", models.PROTECT, null=True)

    class Meta:
        indexes = [models.Index(fields=["-posted_on", "-id"], name="entry_newest")]


class Posting(models.Model):
    """An amount on an account. Debit is positive. Append-only.

    What it points at is checked by the statement that writes it, not row by row; see docs/decisions/007.
    """

    entry = models.ForeignKey(Entry, models.PROTECT, related_name="postings", db_constraint=False)
    company = models.ForeignKey(Company, models.PROTECT, db_constraint=False, db_index=False)
    account = models.CharField(max_length=24, choices=Account.choices)
    amount = fields.money()
    foreign_amount = fields.money(null=True)
    foreign_currency = fields.currency(null=True)
    rate = fields.price(null=True)
    order_line = models.ForeignKey("orders.OrderLine", models.PROTECT, null=True, db_constraint=False, db_index=False)
    charge = models.ForeignKey("costing.Charge", models.PROTECT, null=True, db_constraint=False, db_index=False)
    layer = models.ForeignKey("CostLayer", models.PROTECT, null=True, db_constraint=False, db_index=False)

    class Meta:
        indexes = [
            models.Index(fields=["company", "account"], name="posting_by_account"),
            *(
                models.Index(fields=[name], condition=Q(**{f"{name}__isnull": False}), name=f"posting_of_{name}")
                for name in ("order_line", "charge", "layer")
            ),
        ]


class CostLayer(models.Model):
    """Goods received together at one cost, or (kind missing) goods the dock did not find."""

    class Kind(models.TextChoices):
        STOCK = "stock", "Stock"
        MISSING = "missing", "Missing"

    kind = models.CharField(max_length=8, choices=Kind.choices, default=Kind.STOCK)
    company = models.ForeignKey(Company, models.PROTECT)
    site = models.ForeignKey(Site, models.PROTECT)
    item = models.ForeignKey(Item, models.PROTECT, related_name="layers")
    receipt_line = models.ForeignKey("receiving.ReceiptLine", models.PROTECT, null=True, related_name="layers")
    stowage = models.ForeignKey("shipping.Stowage", models.PROTECT, null=True, related_name="layers")
    lot = models.CharField(max_length=40, blank=True)
    best_before = models.DateField(null=True)
    occurred_on = models.DateField()
    received = fields.quantity()
    gone = fields.quantity(default=fields.ZERO)
    total_cost = fields.money()
    taken_cost = fields.money(default=fields.ZERO)
    goods_cost = fields.money()
    goods_taken = fields.money(default=fields.ZERO)

    class Meta:
        indexes = [models.Index(fields=["item", "company", "occurred_on", "id"], name="layer_fifo")]
        constraints = [
            models.CheckConstraint(
                condition=Q(gone__gte=0) & Q(gone__lte=F("received")), name="layer_gone_within_received"
            )
        ]

    @property
    def remaining(self):
        return self.received - self.gone

    @property
    def value(self):
        return self.total_cost - self.taken_cost


class LayerCost(models.Model):
    """A component of a layer's cost: goods (no charge) or the share of a charge. Append-only."""

    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="costs")
    charge = models.ForeignKey("costing.Charge", models.PROTECT, null=True, related_name="absorbed")
    amount = fields.money()
    entry = models.ForeignKey(Entry, models.PROTECT)


class LayerTake(models.Model):
    """Goods that left a layer, and at what cost. Append-only."""

    class Reason(models.TextChoices):
        ISSUED = "issued", "Issued"
        RETURNED = "returned", "Returned"
        SCRAPPED = "scrapped", "Scrapped"
        MISSING = "missing", "Missing"

    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="takes")
    reason = models.CharField(max_length=8, choices=Reason.choices)
    quantity = fields.quantity()
    cost = fields.money()
    goods_cost = fields.money()
    entry = models.ForeignKey(Entry, models.PROTECT)
