"""Bills and credit notes of suppliers, providers and customs offices, with their lines."""

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.costing.models import Charge
from northing.database import fields
from northing.ledger.models import Account, Entry
from northing.masterdata.models import Company, Party

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
    day = models.DateField()
    due_on = models.DateField(null=True)
    currency = fields.currency()
    rate = fields.price()
    total = fields.money()
    tax = fields.money(default=fields.ZERO)
    entered_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    at = models.DateTimeField()
    entry = models.OneToOneField(Entry, models.PROTECT)
    # The entry that reversed it.
    reversed_by = models.OneToOneField(Entry, models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(fields=["party", "number"], condition=Q(reversed_by=None), name="bill_number_once"),
            models.CheckConstraint(condition=Q(total__gt=0) & Q(tax__gte=0), name="bill_above_zero"),
        ]

    def __str__(self):
        return f"{self.get_kind_display()} {self.number}"

    @property
    def payable_account(self) -> str:
        """The account of what is owed by it, by the kind of its party."""
        return PAYABLES[Party.Kind(self.party.kind)].value

    @property
    def sign(self) -> int:
        """1 for a bill, -1 for a credit note: what its lines do to a charge."""
        return -1 if self.kind == self.Kind.CREDIT else 1


class BillLine(models.Model):
    """A line of a bill for one charge: an amount as on the paper. A final one closes the charge."""

    bill = models.ForeignKey(Bill, models.CASCADE, related_name="lines")
    number = models.PositiveSmallIntegerField()
    charge = models.ForeignKey(Charge, models.PROTECT, related_name="bill_lines")
    amount = fields.money()
    remark = models.CharField(max_length=120, blank=True)
    final = models.BooleanField(default=True)

    class Meta:
        ordering = ["bill", "number"]
        constraints = [models.UniqueConstraint(fields=["bill", "number"], name="bill_line_number_once")]


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
