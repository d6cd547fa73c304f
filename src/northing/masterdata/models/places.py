"""Companies, ports, sites and bins."""

from django.db import models

from northing.core import checks
from northing.database import fields


def _strength(check: checks.Check) -> models.CharField:
    """How strong a check is in a company."""
    return models.CharField(max_length=5, default=check.ships.value, db_default=check.ships.value)


class Company(models.Model):
    """A company of the firm: its base currency, its import tax rule, its closed periods."""

    code = models.CharField(max_length=8, unique=True)
    name = models.CharField(max_length=120)
    country = models.CharField(max_length=2)
    currency = fields.currency()
    import_tax_rate = models.DecimalField(max_digits=7, decimal_places=4, default=fields.ZERO)
    import_tax_base = models.JSONField(default=list)
    import_tax_reclaimed = models.DecimalField(
        max_digits=5, decimal_places=4, default=1, help_text="The part of import tax that is reclaimed, 0 to 1"
    )
    address = models.TextField("Address for invoices", blank=True, db_default="")
    closed_through = models.DateField(null=True, blank=True, help_text="Last day of the last closed period")
    # For how many days a book rate stands when no newer one is entered; empty: until there is a newer one.
    rates_stand_days = models.PositiveSmallIntegerField(null=True, blank=True, default=10)
    # Orders worth more than this, in base currency, need approval by a second person; empty: every order does.
    approval_above = models.DecimalField(max_digits=14, decimal_places=2, null=True, blank=True)
    # How strong the checks are that a company chooses (core.checks).
    depart_without_voyage = _strength(checks.DEPART_WITHOUT_VOYAGE)
    receive_without_entry = _strength(checks.RECEIVE_WITHOUT_ENTRY)
    receive_early = _strength(checks.RECEIVE_EARLY)
    load_elsewhere = _strength(checks.LOAD_ELSEWHERE)
    receive_not_released = _strength(checks.RECEIVE_NOT_RELEASED)
    bill_above_price = _strength(checks.BILL_ABOVE_PRICE)
    bill_above_order = _strength(checks.BILL_ABOVE_ORDER)
    bill_not_agreed = _strength(checks.BILL_NOT_AGREED)
    bill_under_case = _strength(checks.BILL_UNDER_CASE)
    bill_other_tax = _strength(checks.BILL_OTHER_TAX)
    bill_repeated = _strength(checks.BILL_REPEATED)
    last_order_number = models.PositiveIntegerField(default=0)
    last_receipt_number = models.PositiveIntegerField(default=0, db_default=0)
    last_return_number = models.PositiveIntegerField(default=0, db_default=0)
    # With it the company numbers pallets itself; the count of those numbers is never set back.
    # Who has a role here signs in with a second factor.
    asks_second_factor = models.BooleanField(default=False, db_default=False)
    gs1_prefix = models.CharField("GS1 company prefix", max_length=12, blank=True, db_default="")
    last_sscc = models.PositiveBigIntegerField(default=0, db_default=0)
    # Up to which part of a delivery the dock may say that no more comes; empty: whatever is short.
    under_tolerance = models.DecimalField("Under tolerance, %", max_digits=5, decimal_places=2, null=True, blank=True)
    # What a bill may be above what was agreed: on a line, and in all; of base currency. Empty: no limit.
    line_tolerance = models.DecimalField(max_digits=5, decimal_places=2, null=True, default=2, db_default=2)
    line_tolerance_money = models.DecimalField(max_digits=14, decimal_places=2, null=True, default=50, db_default=50)
    bill_tolerance = models.DecimalField(max_digits=5, decimal_places=2, null=True, default=1, db_default=1)
    bill_tolerance_money = models.DecimalField(max_digits=14, decimal_places=2, null=True, default=200, db_default=200)
    # Bills worth more than this, in base currency, are paid only once a second person approved them; empty: none are.
    bill_approval_above = models.DecimalField(max_digits=14, decimal_places=2, null=True, blank=True)
    # Payments worth more than this are made only once a second person approved them; empty: none are.
    payment_approval_above = models.DecimalField(max_digits=14, decimal_places=2, null=True, blank=True)

    class Meta:
        ordering = ["code"]
        constraints = [
            models.UniqueConstraint(
                fields=["gs1_prefix"], condition=~models.Q(gs1_prefix=""), name="gs1_prefix_of_one_company"
            ),
            models.CheckConstraint(
                condition=models.Q(import_tax_reclaimed__gte=0, import_tax_reclaimed__lte=1), name="tax_reclaimed_part"
            ),
        ]

    def __str__(self):
        return self.name


class Port(models.Model):
    """A port by its UN/LOCODE: where it lies (degrees, north and east above 0), and by which clock it lives."""

    code = models.CharField(max_length=5, primary_key=True)
    name = models.CharField(max_length=80)
    country = models.CharField(max_length=2)
    latitude = models.DecimalField("Latitude", max_digits=7, decimal_places=4, null=True)
    longitude = models.DecimalField("Longitude", max_digits=7, decimal_places=4, null=True)
    time_zone = models.CharField("Time zone", max_length=40, blank=True, db_default="")

    class Meta:
        ordering = ["code"]

    def __str__(self):
        return f"{self.name} ({self.code})"


class WithoutOrder(models.TextChoices):
    """Whether goods may be taken in to which no order is known."""

    ALLOWED = "allowed", "Allowed"
    WITH_REASON = "with_reason", "With a reason"
    NEVER = "never", "Never"


class Site(models.Model):
    """A warehouse of a company."""

    company = models.ForeignKey(Company, models.PROTECT, related_name="sites")
    code = models.CharField(max_length=8, unique=True)
    name = models.CharField(max_length=80)
    port = models.ForeignKey(Port, models.PROTECT, null=True, blank=True)
    address = models.TextField("Address for deliveries", blank=True, db_default="")
    without_order = models.CharField(
        max_length=11, choices=WithoutOrder.choices, default=WithoutOrder.ALLOWED, db_default=WithoutOrder.ALLOWED
    )
    # Goods lie at the dock first, and are put away from the queue.
    queues_putaway = models.BooleanField("Goods are put away later", default=False, db_default=False)

    class Meta:
        ordering = ["code"]

    def __str__(self):
        return self.name


class Bin(models.Model):
    """A place in a site: dock, quarantine or store."""

    class Purpose(models.TextChoices):
        DOCK = "dock", "Dock"
        QUARANTINE = "quarantine", "Quarantine"
        STORE = "store", "Store"

    site = models.ForeignKey(Site, models.PROTECT, related_name="bins")
    code = models.CharField(max_length=16)
    purpose = models.CharField(max_length=10, choices=Purpose.choices)
    zone = models.CharField(max_length=16, blank=True, db_default="")
    # The item that has its place here; goods of others are proposed elsewhere.
    home_of = models.ForeignKey("masterdata.Item", models.SET_NULL, null=True, blank=True, related_name="homes")
    one_item = models.BooleanField("One item only", default=False, db_default=False)
    one_lot = models.BooleanField("One lot only", default=False, db_default=False)
    # Of whatever item; empty: nothing is said.
    most_units = fields.quantity(null=True, blank=True)
    # Why nothing is put there; empty where it is open.
    blocked = models.CharField("Blocked, because", max_length=80, blank=True, db_default="")

    class Meta:
        ordering = ["site", "code"]
        constraints = [models.UniqueConstraint(fields=["site", "code"], name="bin_once_per_site")]

    def __str__(self):
        return self.code

    @property
    def has_rules(self) -> bool:
        """Whether something may not be put there."""
        return bool(self.blocked or self.one_item or self.one_lot or self.most_units is not None)
