"""Suppliers, providers and customs offices; how they are paid."""

from django.db import models

from northing.database import fields
from northing.masterdata.models.places import Company, Port, WithoutOrder

LINK_MAY = ("date", "quantity", "price")

OWES = ("confirmation", "despatch")


class PaymentMethod(models.TextChoices):
    """How a party is paid."""

    TRANSFER = "transfer", "Bank transfer"
    DEBIT = "debit", "Direct debit"
    CREDIT = "credit", "Letter of credit"
    AGAINST_PAPERS = "papers", "Against papers"
    OTHER = "other", "Another way"


def may_change_all() -> list[str]:
    """The changes that a link lets a supplier make, by default."""
    return list(LINK_MAY)


def owes_all() -> list[str]:
    """Which answers a supplier owes unless a person says otherwise."""
    return list(OWES)


class PaymentTerms(models.Model):
    """When a bill is due, and what is taken off when it is paid early."""

    code = models.CharField(max_length=16, unique=True)
    name = models.CharField(max_length=120)
    days = models.PositiveSmallIntegerField(default=30)
    # The days count from the end of the bill's month; then on to that day of a month.
    from_month_end = models.BooleanField(default=False)
    day_of_month = models.PositiveSmallIntegerField(null=True)
    discount = models.DecimalField(max_digits=7, decimal_places=4, default=fields.ZERO)
    discount_days = models.PositiveSmallIntegerField(default=0)
    second_discount = models.DecimalField(max_digits=7, decimal_places=4, default=fields.ZERO)
    second_discount_days = models.PositiveSmallIntegerField(default=0)
    # Parts in per cent with their days (core.billing.terms); empty: the whole is due at once.
    instalments = models.CharField(max_length=120, blank=True, default="", db_default="")
    # The part of an order that is to be paid with it.
    deposit = models.DecimalField(max_digits=7, decimal_places=4, default=fields.ZERO, db_default=0)

    class Meta:
        ordering = ["code"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(day_of_month=None) | models.Q(day_of_month__gte=1, day_of_month__lte=31),
                name="terms_day_of_month",
            )
        ]

    def __str__(self):
        return self.name


class Party(models.Model):
    """A supplier, a service provider or a customs office."""

    class Kind(models.TextChoices):
        SUPPLIER = "supplier", "Supplier"
        PROVIDER = "provider", "Service provider"
        CUSTOMS = "customs", "Customs office"

    class Service(models.TextChoices):
        """What a service provider does; empty: several things, or not said."""

        CARRIER = "carrier", "Carrier"
        FORWARDER = "forwarder", "Forwarder"
        HAULIER = "haulier", "Haulier"
        BROKER = "broker", "Customs broker"
        INSURER = "insurer", "Insurer"
        OTHER = "other", "Other"

    kind = models.CharField(max_length=8, choices=Kind.choices)
    service = models.CharField(max_length=9, choices=Service.choices, blank=True, db_default="")
    code = models.CharField(max_length=16, unique=True)
    name = models.CharField(max_length=120)
    currency = fields.currency()
    country = models.CharField(max_length=2)
    city = models.CharField(max_length=80, blank=True)
    port = models.ForeignKey(Port, models.PROTECT, null=True, blank=True)
    passage_days = models.PositiveSmallIntegerField(default=40, help_text="Days from ready to our dock")
    # How orders to a supplier are delivered unless an order says otherwise; empty: as we usually buy.
    incoterm = models.CharField(max_length=3, blank=True, db_default="")
    incoterm_place = models.CharField(max_length=60, blank=True, db_default="")
    mode = models.CharField(max_length=8, default="sea", db_default="sea")
    over_tolerance = models.DecimalField("Over tolerance, %", max_digits=5, decimal_places=2, default=fields.ZERO)
    under_tolerance = models.DecimalField("Under tolerance, %", max_digits=5, decimal_places=2, null=True, blank=True)
    without_order = models.CharField(
        max_length=11,
        choices=WithoutOrder.choices,
        default=WithoutOrder.WITH_REASON,
        db_default=WithoutOrder.WITH_REASON,
    )
    email = models.EmailField(blank=True, help_text="Where orders and chasers go")
    order_address = models.TextField("Orders go to", blank=True, db_default="")
    despatch_address = models.TextField("Goods are fetched from", blank=True, db_default="")
    return_address = models.TextField("Returns go to", blank=True, db_default="")
    remit_address = models.TextField("Payments go to", blank=True, db_default="")
    tax_rate = models.DecimalField(
        "Purchase tax", max_digits=7, decimal_places=4, default=fields.ZERO, db_default=fields.ZERO
    )
    payment_terms = models.ForeignKey(PaymentTerms, models.PROTECT, null=True)
    payment_method = models.CharField(max_length=8, choices=PaymentMethod.choices, default=PaymentMethod.TRANSFER)
    # What a supplier's link lets them change, and which answers they owe us.
    link_may = models.JSONField(default=may_change_all)
    owes = models.JSONField(default=owes_all)
    # Claims on it are made within so many days of delivery, and notice of them given; empty: no such rule.
    notice_days = models.PositiveSmallIntegerField(null=True, blank=True)
    claim_days = models.PositiveSmallIntegerField(null=True, blank=True)
    # A penalty that is agreed for late goods: per cent of their price for each week that has begun, at most so many.
    late_percent = models.DecimalField(max_digits=5, decimal_places=2, default=fields.ZERO, db_default=0)
    late_most = models.DecimalField(max_digits=5, decimal_places=2, default=fields.ZERO, db_default=0)
    # Whoever owes an answer about a case is reminded after so many days; empty: by hand only.
    remind_days = models.PositiveSmallIntegerField(null=True, blank=True)
    # A promise this many days late is accepted by rule when it is before need-by and the price does not rise; 0: never.
    accept_days = models.PositiveSmallIntegerField(default=0)
    price_tolerance = models.DecimalField(
        "Price tolerance, %", max_digits=5, decimal_places=2, default=fields.ZERO, db_default=fields.ZERO
    )
    # What a bill may be above what was agreed, on a line and in all; empty: as the company says.
    line_tolerance = models.DecimalField(max_digits=5, decimal_places=2, null=True)
    line_tolerance_money = models.DecimalField(max_digits=14, decimal_places=2, null=True)
    bill_tolerance = models.DecimalField(max_digits=5, decimal_places=2, null=True)
    bill_tolerance_money = models.DecimalField(max_digits=14, decimal_places=2, null=True)

    class Meta:
        ordering = ["name"]

    def __str__(self):
        return self.name


class ClaimDays(models.Model):
    """Within how many days of delivery a claim on a party is made, and notice given, for goods by one way of transport.

    They go before what the party says of all its goods.
    """

    party = models.ForeignKey(Party, models.PROTECT, related_name="claim_days_by_mode")
    mode = models.CharField(max_length=8)
    notice_days = models.PositiveSmallIntegerField(null=True)
    claim_days = models.PositiveSmallIntegerField(null=True)

    class Meta:
        ordering = ["party", "mode"]
        constraints = [models.UniqueConstraint(fields=["party", "mode"], name="claim_days_once_by_mode")]

    def __str__(self):
        return f"{self.party} by {self.mode}"


class TaxCode(models.Model):
    """A tax as a company's tax office and accountants know it; each tax line of a bill has one."""

    company = models.ForeignKey(Company, models.PROTECT, related_name="tax_codes")
    code = models.CharField(max_length=16)
    name = models.CharField(max_length=120)
    rate = models.DecimalField(max_digits=7, decimal_places=4, default=fields.ZERO)

    class Meta:
        ordering = ["company", "code"]
        constraints = [models.UniqueConstraint(fields=["company", "code"], name="tax_code_once")]

    def __str__(self):
        return f"{self.code} {self.name}"


class BankAccount(models.Model):
    """An account at a bank: ours (of a company), or of a party we pay."""

    code = models.CharField(max_length=16, unique=True)
    company = models.ForeignKey(Company, models.PROTECT, null=True, related_name="bank_accounts")
    party = models.ForeignKey(Party, models.PROTECT, null=True, related_name="bank_accounts")
    bank = models.CharField(max_length=80)
    number = models.CharField("Account number or IBAN", max_length=40)
    bic = models.CharField("BIC", max_length=11, blank=True)
    currency = fields.currency()
    # A party's bill that comes after its bank details changed is approved by a second person.
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["code"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(company=None, party__isnull=False) | models.Q(company__isnull=False, party=None),
                name="account_of_company_or_party",
            )
        ]

    def __str__(self):
        return f"{self.bank} {self.number}"
