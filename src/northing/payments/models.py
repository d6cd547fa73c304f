"""Payments with what they pay, and advances with the goods they are reserved for."""

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.billing.models import Bill, BillLinePart
from northing.database import fields
from northing.ledger.models import Entry
from northing.masterdata.models import BankAccount, Company, Party
from northing.orders.models import PurchaseOrder
from northing.receiving.models import ReceiptLine
from northing.shipping.models import ShipmentLine


class Payment(models.Model):
    """Money that left a bank account for one party: for bills, for parts of them, and as advances on orders.

    `amount` is what was paid in the currency of its parts, less what was set off: nothing, where all of it was; below 0
    it came back, and so did the bank's amounts. `withheld` of it is owed to an office. `rate` is the payment's, empty
    where the bank's amount says it. `bank_amount` left the account, in its currency; `bank_base` is that in base.
    """

    company = models.ForeignKey(Company, models.PROTECT)
    party = models.ForeignKey(Party, models.PROTECT, related_name="payments")
    account = models.ForeignKey(BankAccount, models.PROTECT, null=True)
    day = models.DateField()
    currency = fields.currency()
    amount = fields.money()
    rate = fields.price(null=True)
    withheld = fields.money(default=fields.ZERO, db_default=0)
    withheld_base = fields.money(default=fields.ZERO, db_default=0)
    bank_currency = fields.currency()
    bank_amount = fields.money()
    bank_base = fields.money()
    # What the bank took for it, in base currency; not in the amounts above.
    charges = fields.money(default=fields.ZERO, db_default=0)
    remark = models.CharField(max_length=120, blank=True, db_default="")
    entered_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    entry = models.OneToOneField(Entry, models.PROTECT)
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.CheckConstraint(
                condition=Q(amount__gt=0, bank_amount__gt=0, bank_base__gt=0)
                | Q(amount__lt=0, bank_amount__lt=0, bank_base__lt=0, withheld=0)
                | Q(amount=0, bank_amount=0, bank_base=0, withheld=0, charges=0),
                name="payment_one_way",
            ),
            models.CheckConstraint(condition=Q(charges__gte=0, withheld__gte=0), name="payment_charges_not_below_zero"),
        ]

    def __str__(self):
        return f"Payment {self.pk}"

    @property
    def shown(self):
        """The amount without its sign: what was paid, or came back."""
        return abs(self.amount)

    @property
    def paid(self):
        """What its party gets of it."""
        return self.amount - self.withheld

    @property
    def bank_shown(self):
        """The bank's amount without its sign."""
        return abs(self.bank_amount)


class AskedPayment(models.Model):
    """A payment that waits for a second person; nothing of it is posted. `facts` is the payment as it was asked for."""

    class State(models.TextChoices):
        WAITS = "waits", "Waiting for approval"
        MADE = "made", "Approved and made"
        DROPPED = "dropped", "Dropped"

    company = models.ForeignKey(Company, models.PROTECT)
    party = models.ForeignKey(Party, models.PROTECT, related_name="+")
    day = models.DateField()
    currency = fields.currency()
    amount = fields.money()
    # In base currency, at the rate of the day on which it was asked for.
    worth = fields.money()
    facts = models.JSONField()
    bills = models.ManyToManyField(Bill, related_name="asked_payments")
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITS)
    reason = models.CharField(max_length=120, blank=True)
    asked_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    payment = models.OneToOneField(Payment, models.PROTECT, null=True, related_name="asked")

    class Meta:
        ordering = ["-id"]

    def __str__(self):
        return f"Payment to {self.party}"


class PaymentPart(models.Model):
    """The part of a payment for one bill, or as an advance on one order.

    `amount` was paid and `discount` was not; both together are off the bill, at `base` of what was owed by it.
    `paid_base` is what the money was worth. A credit note, or an advance that was open, is `set_off` against the rest.
    """

    payment = models.ForeignKey(Payment, models.CASCADE, related_name="parts")
    bill = models.ForeignKey(Bill, models.PROTECT, null=True, related_name="payment_parts")
    order = models.ForeignKey(PurchaseOrder, models.PROTECT, null=True, related_name="advance_parts")
    amount = fields.money()
    discount = fields.money(default=fields.ZERO, db_default=0)
    base = fields.money()
    paid_base = fields.money()
    set_off = models.BooleanField(default=False, db_default=False)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(bill__isnull=False, order=None) | Q(bill=None, order__isnull=False, discount=0),
                name="payment_part_of_one",
            ),
            models.CheckConstraint(condition=Q(amount__gt=0, discount__gte=0), name="payment_part_above_zero"),
            models.UniqueConstraint(fields=["payment", "bill"], name="payment_part_once_per_bill"),
            models.UniqueConstraint(fields=["payment", "order"], name="payment_part_once_per_order"),
        ]

    @property
    def sign(self) -> int:
        """1 for what was paid, -1 for what was set off or came back."""
        return -1 if self.set_off else 1


class BetweenPayment(models.Model):
    """Money of one company of ours to another, for what they owed each other in a currency; nothing, where it was even.

    `payer_base` left the payer's bank and `payee_base` reached the payee's, each in its base currency.
    """

    payer = models.ForeignKey(Company, models.PROTECT, related_name="+")
    payee = models.ForeignKey(Company, models.PROTECT, related_name="+")
    day = models.DateField()
    currency = fields.currency()
    amount = fields.money()
    payer_base = fields.money()
    payee_base = fields.money()
    entered_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    entry = models.OneToOneField(Entry, models.PROTECT, related_name="+")
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["-id"]

    @property
    def company_id(self) -> int:
        """Whose books say it first: the payer's."""
        return self.payer_id


class BetweenPart(models.Model):
    """A company's part of a bill that was settled: what it stood at in the debtor's books, and in the creditor's.

    Amounts are below 0 where a credit note made it so.
    """

    payment = models.ForeignKey(BetweenPayment, models.CASCADE, related_name="parts")
    part = models.ForeignKey(BillLinePart, models.PROTECT, related_name="+")
    amount = fields.money()
    debtor_base = fields.money()
    creditor_base = fields.money()


class Reserve(models.Model):
    """The part of an order's advances that belongs to goods that became ours, until they are billed.

    `units` are those of the goods that were not billed when it was made. `valued` says that the goods were valued by
    it; what was paid later is set off and values nothing.
    """

    order = models.ForeignKey(PurchaseOrder, models.PROTECT, related_name="reserves")
    shipment_line = models.ForeignKey(ShipmentLine, models.PROTECT, null=True, related_name="reserves")
    receipt_line = models.ForeignKey(ReceiptLine, models.PROTECT, null=True, related_name="reserves")
    units = fields.quantity()
    amount = fields.money()
    base = fields.money()
    valued = models.BooleanField()
    entry = models.ForeignKey(Entry, models.PROTECT)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(shipment_line__isnull=False, receipt_line=None)
                | Q(shipment_line=None, receipt_line__isnull=False),
                name="reserve_of_one",
            )
        ]


class ReserveUse(models.Model):
    """Units of a reserve that were billed (`set_off`), or given up unbilled: its part of the advance. Append-only."""

    reserve = models.ForeignKey(Reserve, models.PROTECT, related_name="uses")
    entry = models.ForeignKey(Entry, models.PROTECT)
    units = fields.quantity()
    amount = fields.money()
    base = fields.money()
    set_off = models.BooleanField()
