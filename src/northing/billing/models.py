"""Bills and credit notes of suppliers, providers and customs offices, with their lines."""

from datetime import date
from decimal import Decimal

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.claims.models import Claim
from northing.core.billing.terms import still_due
from northing.core.money.money import from_minor, to_minor
from northing.core.money.spread import spread
from northing.costing.models import Charge
from northing.database import fields
from northing.ledger.models import Account, DocumentKind, Entry
from northing.masterdata.models import Company, Party, TaxCode
from northing.orders.models import OrderLine
from northing.receiving.models import ReceiptLine
from northing.shipping.models import ShipmentLine

PAYABLES = {
    Party.Kind.SUPPLIER: Account.SUPPLIER_PAYABLE,
    Party.Kind.PROVIDER: Account.PROVIDER_PAYABLE,
    Party.Kind.CUSTOMS: Account.CUSTOMS_PAYABLE,
}


class Bill(models.Model):
    """A paper by which a party is owed money, or (a credit note) owes it; as it was entered.

    Amounts stand as on the paper, in its currency; the rate is the payer's, pinned. `total` is the lines and the tax.
    """

    class Kind(models.TextChoices):
        BILL = "bill", "Bill"
        CREDIT = "credit", "Credit note"

    kind = models.CharField(max_length=6, choices=Kind.choices, default=Kind.BILL)
    company = models.ForeignKey(Company, models.PROTECT, help_text="Who is billed")
    party = models.ForeignKey(Party, models.PROTECT, related_name="bills")
    number = models.CharField(max_length=40)
    # The number as it is compared (core.billing.tolerance).
    number_key = models.CharField(max_length=40, default="")
    day = models.DateField()
    # Of one in instalments the next that is open.
    due_on = models.DateField(null=True)
    currency = fields.currency()
    rate = fields.price()
    # Of a credit note: the rate at which the tax was that it takes back; empty where it is the paper's own.
    tax_rate = fields.price(null=True)
    total = fields.money()
    tax = fields.money(default=fields.ZERO)
    # The advances that its goods set off: what is owed is the total less this.
    advance = fields.money(default=fields.ZERO, db_default=0)
    advance_base = fields.money(default=fields.ZERO, db_default=0)
    entered_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    # Worth more than its company lets pass, or of a party with other bank details than before, it is paid once a second
    # person approved it.
    needs_approval = models.BooleanField(default=False, db_default=False)
    # Why it does, beside its amount.
    approval_why = models.CharField(max_length=80, blank=True, db_default="")
    approved_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    approved_at = models.DateTimeField(null=True)
    # Why it is not to be paid for now.
    blocked = models.CharField(max_length=120, blank=True, db_default="")
    at = models.DateTimeField()
    entry = models.OneToOneField(Entry, models.PROTECT)
    # The entry that reversed it.
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(
                fields=["party", "number_key"], condition=Q(reversed_by=None), name="bill_number_once"
            ),
            models.CheckConstraint(condition=Q(total__gt=0) & Q(tax__gte=0), name="bill_above_zero"),
        ]

    def __str__(self):
        return f"{self.get_kind_display()} {self.number}"

    @property
    def payable_account(self) -> str:
        """The account of what is owed by it, by the kind of its party."""
        return PAYABLES[Party.Kind(self.party.kind)].value

    @property
    def owed(self) -> Decimal:
        """What is to be paid of it in all."""
        return self.total - self.advance

    def due_shares(self, left: Decimal, base: Decimal | None = None) -> list[tuple[date, Decimal]]:
        """What is due on which day where `left` of it is open; or the shares of `base`, which is what that is worth."""
        parts = [(one.due_on, to_minor(one.amount, self.currency)) for one in self.instalments.all()]
        amounts = still_due(parts, to_minor(left, self.currency))
        if not amounts:
            return [(self.due_on or self.day, left if base is None else base)]
        if base is None:
            return [(day, from_minor(part, self.currency)) for day, part in amounts]
        own = self.company.currency
        shares = spread(to_minor(base, own), [part for _, part in amounts])
        return [(day, from_minor(share, own)) for (day, _), share in zip(amounts, shares, strict=True)]

    @property
    def sign(self) -> int:
        """1 for a bill, -1 for a credit note: what its lines do to a charge."""
        return -1 if self.kind == self.Kind.CREDIT else 1


class KeptBill(models.Model):
    """A supplier's bill that is known and not booked: it waits for its goods, went back, or the supplier entered it.

    `lines` are those of the paper: order line (id) with units and price, or a kind with its amount, as texts.
    """

    class State(models.TextChoices):
        ENTERED = "entered", "Entered by the supplier"
        WAITS = "waits", "Waits for goods"
        SENT_BACK = "sent back", "Sent back"
        BOOKED = "booked", "Booked"
        DROPPED = "dropped", "Not to be booked"

    OPEN = (State.ENTERED, State.WAITS, State.SENT_BACK)

    company = models.ForeignKey(Company, models.PROTECT)
    party = models.ForeignKey(Party, models.PROTECT, related_name="kept_bills")
    number = models.CharField(max_length=40)
    number_key = models.CharField(max_length=40)
    day = models.DateField()
    currency = fields.currency()
    total = fields.money(null=True)
    tax = fields.money(default=fields.ZERO)
    lines = models.JSONField(default=list)
    state = models.CharField(max_length=10, choices=State.choices)
    # Why it went back, or is not to be booked.
    why = models.CharField(max_length=240, blank=True)
    entered_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    bill = models.OneToOneField(Bill, models.PROTECT, null=True, related_name="kept")

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(
                fields=["party", "number_key"],
                condition=Q(state__in=("entered", "waits", "sent back")),
                name="kept_bill_once",
            )
        ]

    def __str__(self):
        return f"Bill {self.number}"

    @property
    def is_open(self) -> bool:
        """Whether something is still to be done with it."""
        return self.state in self.OPEN


class BillInstalment(models.Model):
    """A part of what is owed by a bill, and the day on which it is due; the parts add up to it."""

    bill = models.ForeignKey(Bill, models.CASCADE, related_name="instalments")
    due_on = models.DateField()
    amount = fields.money()

    class Meta:
        ordering = ["bill", "due_on", "pk"]


class BillLine(models.Model):
    """A line of a bill: an amount as on the paper, for one charge, for goods of one order line, or off a claim.

    A final one closes its charge. `quantity` is in the item's base unit, `price` per pack of the order line; both are
    0 where a credit note lowers the price of goods that were billed.
    """

    class Into(models.TextChoices):
        GOODS = "goods", "Cost of the goods"
        CLAIM = "claim", "Claimed with the case"
        LOSS = "loss", "Our loss"

    bill = models.ForeignKey(Bill, models.CASCADE, related_name="lines")
    number = models.PositiveSmallIntegerField()
    charge = models.ForeignKey(Charge, models.PROTECT, null=True, related_name="bill_lines")
    order_line = models.ForeignKey(OrderLine, models.PROTECT, null=True, related_name="bill_lines")
    quantity = fields.quantity(null=True)
    price = fields.price(null=True)
    amount = fields.money()
    remark = models.CharField(max_length=120, blank=True)
    final = models.BooleanField(default=True)
    # Above the agreed price and in dispute with the supplier: so much of it is not paid until that has an end.
    disputed = fields.money(default=fields.ZERO, db_default=0)
    # What its units that were not ours set off of the order's advances.
    ahead_advance = fields.money(default=fields.ZERO, db_default=0)
    ahead_advance_base = fields.money(default=fields.ZERO, db_default=0)
    # Of a credit note: the claim that it credits, or how much of a dispute it ended. Of a bill: the case it is a cost
    # of, and where that cost goes.
    case = models.ForeignKey(Claim, models.PROTECT, null=True, related_name="credits")
    into = models.CharField(max_length=6, choices=Into.choices, blank=True, db_default="")
    ended_dispute = fields.money(default=fields.ZERO, db_default=0)

    class Meta:
        ordering = ["bill", "number"]
        constraints = [
            models.UniqueConstraint(fields=["bill", "number"], name="bill_line_number_once"),
            models.CheckConstraint(
                condition=Q(charge__isnull=False, order_line=None, quantity=None, price=None, case=None)
                | Q(charge=None, order_line__isnull=False, quantity__gte=0, price__gte=0, case=None)
                | Q(charge=None, order_line=None, quantity=None, price=None, case__isnull=False),
                name="bill_line_of_charge_or_goods",
            ),
        ]


class BillTax(models.Model):
    """A tax line of a bill: an amount as on the paper, with the code by which the tax office knows it."""

    bill = models.ForeignKey(Bill, models.CASCADE, related_name="taxes")
    code = models.ForeignKey(TaxCode, models.PROTECT, null=True, related_name="+")
    amount = fields.money()

    class Meta:
        ordering = ["bill", "pk"]


class BillLinePart(models.Model):
    """A company's part of a bill's line, signed as it counts for the charge: at its own rate in its base currency.

    `payer_base` is the same in the base currency of the company that is billed, at the bill's rate.
    """

    line = models.ForeignKey(BillLine, models.CASCADE, related_name="parts")
    company = models.ForeignKey(Company, models.PROTECT)
    amount = fields.money()
    rate = fields.price()
    base_amount = fields.money()
    payer_base = fields.money()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["line", "company"], name="bill_part_once_per_company")]


class BilledGoods(models.Model):
    """Units of a bill's line that are ours: of the goods of a shipment, or of a receipt by which they became ours.

    No units where a credit note lowers their price.
    Amounts are in the bill's currency, and (`_base`) in the company's: what they were worth when they became ours, by
    how much the bill's price differs from that, and the part of advances that they set off.
    """

    line = models.ForeignKey(BillLine, models.CASCADE, related_name="goods")
    shipment_line = models.ForeignKey(ShipmentLine, models.PROTECT, null=True, related_name="billed")
    receipt_line = models.ForeignKey(ReceiptLine, models.PROTECT, null=True, related_name="billed")
    units = fields.quantity()
    amount = fields.money()
    base = fields.money()
    difference = fields.money()
    difference_base = fields.money()
    advance = fields.money()
    advance_base = fields.money()
    # They were billed before they became ours: what waited for them in base until then.
    waited_base = fields.money(null=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(shipment_line__isnull=False, receipt_line=None)
                | Q(shipment_line=None, receipt_line__isnull=False),
                name="billed_goods_of_one",
            ),
            models.CheckConstraint(condition=Q(units__gte=0), name="billed_goods_not_below_zero"),
        ]

    @property
    def key(self) -> tuple[str, int]:
        """The document by which the goods became ours: its kind and id."""
        if self.shipment_line_id:
            return DocumentKind.SHIPMENT_LINE.value, self.shipment_line_id
        return DocumentKind.RECEIPT_LINE.value, self.receipt_line_id
