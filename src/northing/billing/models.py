"""Bills and credit notes of suppliers, providers and customs offices, with their lines."""

from decimal import Decimal

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.costing.models import Charge
from northing.database import fields
from northing.ledger.models import Account, DocumentKind, Entry
from northing.masterdata.models import Company, Party
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
    due_on = models.DateField(null=True)
    currency = fields.currency()
    rate = fields.price()
    total = fields.money()
    tax = fields.money(default=fields.ZERO)
    # The advances that its goods set off: what is owed is the total less this.
    advance = fields.money(default=fields.ZERO, db_default=0)
    advance_base = fields.money(default=fields.ZERO, db_default=0)
    entered_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    # Worth more than its company lets pass, it is paid once a second person approved it.
    needs_approval = models.BooleanField(default=False, db_default=False)
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

    @property
    def sign(self) -> int:
        """1 for a bill, -1 for a credit note: what its lines do to a charge."""
        return -1 if self.kind == self.Kind.CREDIT else 1


class BillLine(models.Model):
    """A line of a bill: an amount as on the paper, for one charge, or for goods of one order line.

    A final one closes its charge. `quantity` is in the item's base unit, `price` per pack of the order line.
    """

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

    class Meta:
        ordering = ["bill", "number"]
        constraints = [
            models.UniqueConstraint(fields=["bill", "number"], name="bill_line_number_once"),
            models.CheckConstraint(
                condition=Q(charge__isnull=False, order_line=None, quantity=None, price=None)
                | Q(charge=None, order_line__isnull=False, quantity__gt=0, price__gte=0),
                name="bill_line_of_charge_or_goods",
            ),
        ]


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
            models.CheckConstraint(condition=Q(units__gt=0), name="billed_goods_above_zero"),
        ]

    @property
    def key(self) -> tuple[str, int]:
        """The document by which the goods became ours: its kind and id."""
        if self.shipment_line_id:
            return DocumentKind.SHIPMENT_LINE.value, self.shipment_line_id
        return DocumentKind.RECEIPT_LINE.value, self.receipt_line_id
