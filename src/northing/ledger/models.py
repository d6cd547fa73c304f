"""The books: entries and postings (append-only), cost layers, what is on hand."""

from django.db import models
from django.db.models import F, Q

from northing.access.models import Person
from northing.database import fields
from northing.masterdata.models import Company, Item, Party, Site


class Account(models.TextChoices):
    """The accounts of every company."""

    STOCK = "stock", "Stock"
    OWNED_AFLOAT = "owned_afloat", "Owned afloat"
    OWNED_NOT_BILLED = "owned_not_billed", "Owned not billed"
    BILLED_NOT_OURS = "billed_not_ours", "Billed, not ours yet"
    ACCRUED_CHARGES = "accrued_charges", "Accrued charges"
    ACCRUED_DUTY = "accrued_duty", "Accrued duty"
    IMPORT_TAX = "import_tax", "Import tax to reclaim"
    INPUT_TAX = "input_tax", "Input tax"
    PROVIDER_PAYABLE = "provider_payable", "Provider payables"
    SUPPLIER_PAYABLE = "supplier_payable", "Supplier payables"
    CUSTOMS_PAYABLE = "customs_payable", "Customs payables"
    ADVANCES = "advances", "Advances"
    BANK = "bank", "Bank"
    BANK_CHARGES = "bank_charges", "Bank charges"
    EXCHANGE = "exchange", "Exchange differences"
    EXCHANGE_UNREALISED = "exchange_unrealised", "Exchange differences not realised"
    REVALUATION = "revaluation", "Revaluation"
    DISCOUNTS_TAKEN = "discounts_taken", "Discounts taken"
    WITHHOLDING = "withholding", "Tax withheld from suppliers"
    CLAIMS = "claims", "Claims"
    RETURN_LOSS = "return_loss", "Return loss"
    MISSING_LOSS = "missing_loss", "Loss on missing goods"
    SCRAP_LOSS = "scrap_loss", "Loss on scrapped goods"
    LATE_ISSUED = "late_issued", "Late cost of goods issued"
    COUNT_DIFFERENCE = "count_difference", "Count difference"
    STOCK_ISSUES = "stock_issues", "Stock issues"
    DUE_FROM = "due_from", "Due from company"
    DUE_TO = "due_to", "Due to company"
    OPENING = "opening", "Opening balance"


# What is owed, claimed or accrued: every posting on these says to whom, from which document and in which currency.
OPEN_ITEM_ACCOUNTS = (
    Account.OWNED_NOT_BILLED,
    Account.BILLED_NOT_OURS,
    Account.ADVANCES,
    Account.ACCRUED_CHARGES,
    Account.ACCRUED_DUTY,
    Account.PROVIDER_PAYABLE,
    Account.SUPPLIER_PAYABLE,
    Account.CUSTOMS_PAYABLE,
    Account.CLAIMS,
    Account.DUE_FROM,
    Account.DUE_TO,
)


class DocumentKind(models.TextChoices):
    """The kinds of documents that a posting comes from."""

    NONE = "", "None"
    SHIPMENT_LINE = "shipment_line", "Goods of a shipment"
    RECEIPT_LINE = "receipt_line", "Goods of a receipt"
    CHARGE = "charge", "Charge"
    BILL = "bill", "Bill"
    BILL_PART = "bill_part", "A company's part of a bill"
    CUSTOMS_ENTRY = "customs_entry", "Customs entry"
    CASE = "case", "Case"
    BILL_LINE = "bill_line", "Goods of a bill"
    ORDER = "order", "Order"
    BILL_TAX = "bill_tax", "Tax of a bill"


class Entry(models.Model):
    """One action in the books. Sums to zero in base currency per company. Append-only."""

    history = models.ForeignKey("activity.HistoryEntry", models.PROTECT, related_name="entries")
    actor = models.ForeignKey(Person, models.PROTECT, null=True)
    action = models.CharField(max_length=24)
    text = models.CharField(max_length=240)
    occurred_on = models.DateField()
    at = models.DateTimeField()
    reverses = models.ForeignKey("self", models.PROTECT, null=True)


class Posting(models.Model):
    """An amount on an account. Debit is positive. Append-only.

    Its references are checked by the statement that writes it, not row by row; see docs/decisions/007.
    """

    entry = models.ForeignKey(Entry, models.PROTECT, related_name="postings", db_constraint=False)
    company = models.ForeignKey(Company, models.PROTECT, db_constraint=False, db_index=False)
    account = models.CharField(max_length=24, choices=Account.choices)
    # The company's own: one company's closed period does not move another's day.
    posted_on = models.DateField()
    party = models.ForeignKey(Party, models.PROTECT, null=True, db_constraint=False, db_index=False)
    document_kind = models.CharField(max_length=14, choices=DocumentKind.choices, blank=True)
    document = models.BigIntegerField(null=True)
    amount = fields.money()
    # In the currency of the document; the rate is empty where the base amount is a share or a mixture of several.
    foreign_amount = fields.money(null=True)
    foreign_currency = fields.currency(null=True)
    rate = fields.price(null=True)
    order_line = models.ForeignKey("orders.OrderLine", models.PROTECT, null=True, db_constraint=False, db_index=False)
    charge = models.ForeignKey("costing.Charge", models.PROTECT, null=True, db_constraint=False, db_index=False)
    layer = models.ForeignKey("CostLayer", models.PROTECT, null=True, db_constraint=False, db_index=False)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(foreign_amount=None, foreign_currency=None, rate=None)
                | Q(foreign_amount__isnull=False, foreign_currency__isnull=False),
                name="posting_amount_with_currency",
            ),
            models.CheckConstraint(
                condition=~Q(account__in=OPEN_ITEM_ACCOUNTS) | Q(foreign_amount__isnull=False, document__isnull=False),
                name="posting_of_open_item",
            ),
        ]
        indexes = [
            models.Index(fields=["company", "account"], name="posting_by_account"),
            *(
                models.Index(fields=[name], condition=Q(**{f"{name}__isnull": False}), name=f"posting_of_{name}")
                for name in ("order_line", "charge", "layer")
            ),
        ]


class OpenItem(models.Model):
    """What is still owed, claimed or accrued of one document, in its currency and in base. Debit is positive.

    Kept by the statement that posts; its sums are the accounts', in both currencies.
    """

    company = models.ForeignKey(Company, models.PROTECT, db_constraint=False, db_index=False)
    account = models.CharField(max_length=24, choices=Account.choices)
    party = models.ForeignKey(Party, models.PROTECT, null=True, db_constraint=False, db_index=False)
    document_kind = models.CharField(max_length=14, choices=DocumentKind.choices)
    document = models.BigIntegerField()
    currency = fields.currency()
    amount = fields.money()
    base = fields.money()
    order_line = models.ForeignKey("orders.OrderLine", models.PROTECT, null=True, db_constraint=False, db_index=False)
    occurred_on = models.DateField()

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["account", "document_kind", "document", "company", "currency", "party"],
                name="open_item_once",
                nulls_distinct=False,
            )
        ]
        indexes = [
            models.Index(
                fields=["company", "account", "occurred_on"],
                condition=~Q(amount=0) | ~Q(base=0),
                name="open_item_open",
            )
        ]


class Allocation(models.Model):
    """A part of an open item used up, in its currency and in base, and for how many units. Append-only.

    `difference` is what the base amounts of the two sides differ by.
    """

    item = models.ForeignKey(OpenItem, models.PROTECT, related_name="allocations")
    entry = models.ForeignKey(Entry, models.PROTECT)
    quantity = fields.quantity(null=True)
    amount = fields.money()
    base = fields.money()
    difference = fields.money(default=fields.ZERO, db_default=0)


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
    shipment_line = models.ForeignKey("shipping.ShipmentLine", models.PROTECT, null=True, related_name="layers")
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
    """A component of a layer's cost: of the goods (no charge), or the share of a charge. Append-only."""

    class Component(models.TextChoices):
        GOODS = "goods", "Goods"
        PRICE_DIFFERENCE = "price_difference", "Price difference"
        REWORK = "rework", "Rework"
        REPLACED = "replaced", "Claimed for the goods it replaces"
        CHARGE = "charge", "Charge"
        DUTY = "duty", "Duty"
        TAX = "tax", "Tax"

    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="costs")
    component = models.CharField(max_length=16, choices=Component.choices, default=Component.GOODS)
    charge = models.ForeignKey("costing.Charge", models.PROTECT, null=True, related_name="absorbed")
    amount = fields.money()
    entry = models.ForeignKey(Entry, models.PROTECT)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(charge=None, component__in=("goods", "price_difference", "rework", "replaced"))
                | Q(charge__isnull=False, component__in=("charge", "duty", "tax")),
                name="layer_cost_of_goods_or_charge",
            )
        ]


class LayerTake(models.Model):
    """Goods that left a layer, and at what cost. Append-only."""

    class Reason(models.TextChoices):
        ISSUED = "issued", "Issued"
        RETURNED = "returned", "Returned"
        SCRAPPED = "scrapped", "Scrapped"
        MISSING = "missing", "Missing"
        TIED = "tied", "Tied to an order"
        COUNTED = "counted", "Not found by a count"

    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="takes")
    reason = models.CharField(max_length=8, choices=Reason.choices)
    quantity = fields.quantity()
    cost = fields.money()
    goods_cost = fields.money()
    # Whether the supplier owes us their price: it was billed.
    claimed = models.BooleanField(default=False)
    entry = models.ForeignKey(Entry, models.PROTECT)


class Closing(models.Model):
    """A period that was closed: valued at its last day, mirrored on the next; reopened by entries that undo both."""

    company = models.ForeignKey(Company, models.PROTECT, related_name="closings")
    through = models.DateField()
    # The last day that was closed before.
    before = models.DateField(null=True)
    closed_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    # Empty where nothing was worth more or less than it stood at.
    entry = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")
    mirror = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")
    reopened_at = models.DateTimeField(null=True)
    reason = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(fields=["company", "through"], condition=Q(reopened_at=None), name="closing_once")
        ]


class AccountNumber(models.Model):
    """The number of one of our accounts in the books of the firm's accountants."""

    company = models.ForeignKey(Company, models.CASCADE, related_name="account_numbers")
    account = models.CharField(max_length=24, choices=Account.choices)
    number = models.CharField(max_length=24)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["company", "account"], name="account_number_once")]


class JournalExport(models.Model):
    """Postings of a company that were handed to its accountants together."""

    company = models.ForeignKey(Company, models.PROTECT, related_name="journal_exports")
    through = models.DateField()
    made_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    postings = models.PositiveIntegerField()

    class Meta:
        ordering = ["-id"]

    def __str__(self):
        return f"Journal {self.pk}"


class ExportedPosting(models.Model):
    """A posting is handed over once."""

    posting = models.OneToOneField(Posting, models.PROTECT, primary_key=True, related_name="exported")
    export = models.ForeignKey(JournalExport, models.PROTECT, related_name="rows")


class RateFeed(models.Model):
    """A central bank's daily rates, which the worker asks for; there is one at most."""

    url = models.CharField(max_length=200)
    # For which purposes its rates count, with blanks between.
    purposes = models.CharField(max_length=40)
    every_minutes = models.PositiveSmallIntegerField(default=60)
    active = models.BooleanField(default=True)
    set_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    next_at = models.DateTimeField()
    failures = models.PositiveIntegerField(default=0)
    last_at = models.DateTimeField(null=True)
    last_said = models.CharField(max_length=240, blank=True)

    def __str__(self):
        return self.url


class AskedRate(models.Model):
    """A rate that a bank said and that is not believed until a person says so."""

    company = models.ForeignKey(Company, models.PROTECT, related_name="+")
    currency = fields.currency()
    purpose = models.CharField(max_length=8)
    day = models.DateField()
    rate = fields.price()
    before = fields.price()
    said_at = models.DateTimeField()
    source = models.CharField(max_length=80)
    # Believed or dropped, when and by whom.
    settled_at = models.DateTimeField(null=True)
    settled_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    believed = models.BooleanField(default=False)

    class Meta:
        ordering = ["-day", "id"]
        constraints = [
            models.UniqueConstraint(fields=["company", "currency", "purpose", "day"], name="asked_rate_once")
        ]

    def __str__(self):
        return f"{self.currency} of {self.day:%-d %b %Y}"
