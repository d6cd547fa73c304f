"""Who and what the facts are about."""

from django.db import models
from django.db.models.functions import Upper

from northing.database import fields


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
    last_order_number = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["code"]
        constraints = [
            models.CheckConstraint(
                condition=models.Q(import_tax_reclaimed__gte=0, import_tax_reclaimed__lte=1), name="tax_reclaimed_part"
            )
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


class Site(models.Model):
    """A warehouse of a company."""

    company = models.ForeignKey(Company, models.PROTECT, related_name="sites")
    code = models.CharField(max_length=8, unique=True)
    name = models.CharField(max_length=80)
    port = models.ForeignKey(Port, models.PROTECT, null=True, blank=True)
    address = models.TextField("Address for deliveries", blank=True, db_default="")

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

    class Meta:
        ordering = ["site", "code"]
        constraints = [models.UniqueConstraint(fields=["site", "code"], name="bin_once_per_site")]

    def __str__(self):
        return self.code


LINK_MAY = ("date", "quantity", "price")
OWES = ("confirmation", "despatch")


class PaymentMethod(models.TextChoices):
    """How somebody is paid."""

    TRANSFER = "transfer", "Bank transfer"
    DEBIT = "debit", "Direct debit"
    CREDIT = "credit", "Letter of credit"
    AGAINST_PAPERS = "papers", "Against papers"
    OTHER = "other", "Another way"


def may_change_all() -> list[str]:
    """What a link lets a supplier change unless somebody says otherwise."""
    return list(LINK_MAY)


def owes_all() -> list[str]:
    """Which answers a supplier owes unless somebody says otherwise."""
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

    kind = models.CharField(max_length=8, choices=Kind.choices)
    code = models.CharField(max_length=16, unique=True)
    name = models.CharField(max_length=120)
    currency = fields.currency()
    country = models.CharField(max_length=2)
    city = models.CharField(max_length=80, blank=True)
    port = models.ForeignKey(Port, models.PROTECT, null=True, blank=True)
    passage_days = models.PositiveSmallIntegerField(default=40, help_text="Days from ready to our dock")
    over_tolerance = models.DecimalField("Over tolerance, %", max_digits=5, decimal_places=2, default=fields.ZERO)
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
    # A promise this many days late is accepted by rule when it is before need-by and the price does not rise; 0: never.
    accept_days = models.PositiveSmallIntegerField(default=0)
    price_tolerance = models.DecimalField(
        "Price tolerance, %", max_digits=5, decimal_places=2, default=fields.ZERO, db_default=fields.ZERO
    )

    class Meta:
        ordering = ["name"]

    def __str__(self):
        return self.name


class BankAccount(models.Model):
    """An account at a bank: ours (of a company), or of somebody we pay."""

    code = models.CharField(max_length=16, unique=True)
    company = models.ForeignKey(Company, models.PROTECT, null=True, related_name="bank_accounts")
    party = models.ForeignKey(Party, models.PROTECT, null=True, related_name="bank_accounts")
    bank = models.CharField(max_length=80)
    number = models.CharField("Account number or IBAN", max_length=40)
    bic = models.CharField("BIC", max_length=11, blank=True)
    currency = fields.currency()

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


class Item(models.Model):
    """Something bought, with what customs, freight and the dock need to know of it."""

    code = models.CharField(max_length=32, unique=True)
    description = models.CharField(max_length=200)
    group = models.CharField(max_length=40)
    unit = models.CharField(max_length=8, default="pc")
    decimals = models.PositiveSmallIntegerField(default=0)
    weight_kg = fields.quantity(default=fields.ZERO)
    volume_m3 = models.DecimalField(max_digits=18, decimal_places=8, default=fields.ZERO)
    hs_code = models.CharField(max_length=10)
    origin = models.CharField(max_length=2)
    duty_rate = models.DecimalField(max_digits=7, decimal_places=4, default=fields.ZERO)
    keeps_lot = models.BooleanField(default=False)
    keeps_best_before = models.BooleanField(default=False)
    inspected = models.BooleanField(default=False)
    stows_apart = models.BooleanField(
        default=False, db_default=False, help_text="Shares a container only with goods of its own group"
    )
    delay_cost = models.DecimalField(
        "Cost of delay per day",
        max_digits=19,
        decimal_places=4,
        default=fields.ZERO,
        help_text="Base currency, per line",
    )

    class Meta:
        ordering = ["code"]
        indexes = [models.Index(Upper("code"), name="item_code_upper")]

    def __str__(self):
        return f"{self.code} {self.description}"


class Pack(models.Model):
    """A packaging level of an item; the base unit is the level with factor 1."""

    item = models.ForeignKey(Item, models.CASCADE, related_name="packs")
    name = models.CharField(max_length=16)
    factor = fields.quantity()
    gtin = models.CharField(max_length=14, unique=True, null=True, blank=True)  # noqa: DJ001

    class Meta:
        ordering = ["item", "factor"]
        constraints = [
            models.UniqueConstraint(fields=["item", "name"], name="pack_once_per_item"),
            models.CheckConstraint(condition=models.Q(factor__gt=0), name="pack_factor_above_zero"),
        ]


class Agreement(models.Model):
    """What a supplier sells an item for, from a day and a quantity on, per base unit."""

    supplier = models.ForeignKey(Party, models.CASCADE, related_name="agreements")
    item = models.ForeignKey(Item, models.CASCADE, related_name="agreements")
    supplier_code = models.CharField(max_length=32, blank=True)
    price = fields.price()
    currency = fields.currency()
    lead_days = models.PositiveSmallIntegerField(default=30, help_text="Days to make it")
    valid_from = models.DateField()
    # The price holds from this quantity on; below the lowest step its price still stands.
    from_quantity = fields.quantity(default=fields.ZERO)
    minimum = fields.quantity(default=fields.ZERO)
    multiple = fields.quantity(default=fields.ZERO)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["supplier", "item", "valid_from", "from_quantity"], name="agreement_once"),
            models.CheckConstraint(
                condition=models.Q(from_quantity__gte=0, minimum__gte=0, multiple__gte=0, price__gte=0),
                name="agreement_not_negative",
            ),
        ]


class ExchangeRate(models.Model):
    """How much base currency one unit of `currency` is worth, from `day` on."""

    class Purpose(models.TextChoices):
        BOOK = "book", "Book"
        CUSTOMS = "customs", "Customs"

    company = models.ForeignKey(Company, models.CASCADE, related_name="rates")
    currency = fields.currency()
    purpose = models.CharField(max_length=8, choices=Purpose.choices)
    day = models.DateField()
    rate = fields.price()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["company", "currency", "purpose", "day"], name="rate_once_a_day"),
            models.CheckConstraint(condition=models.Q(rate__gt=0), name="rate_above_zero"),
        ]


class Holiday(models.Model):
    """A day on which nobody works in a country; or only at one site of ours there."""

    country = models.CharField(max_length=2)
    day = models.DateField()
    name = models.CharField(max_length=80, blank=True)
    site = models.ForeignKey(Site, models.CASCADE, null=True, blank=True, related_name="holidays")

    class Meta:
        ordering = ["country", "day", "site"]
        constraints = [
            models.UniqueConstraint(fields=["country", "day", "site"], name="holiday_once", nulls_distinct=False)
        ]

    def __str__(self):
        return f"{self.day:%-d %b %Y} in {self.country}"


class WorkingWeek(models.Model):
    """The days of the week on which nobody works in a country, where they are not Saturday and Sunday."""

    country = models.CharField(max_length=2, unique=True)
    # As core.calendars.read_rest reads it: ISO weekdays, such as "5 6" for Friday and Saturday.
    rest = models.CharField(max_length=20, blank=True)

    class Meta:
        ordering = ["country"]

    def __str__(self):
        return f"working week in {self.country}"


class RouteLeg(models.Model):
    """A leg of a route pattern: the legs of the same route, in order, are the pattern.

    `wait_days` go by between the leg before and this one, `days` on it; both are counted in calendar days, or in the
    working days of a country (and of a site, where its own holidays count).
    """

    route = models.CharField(max_length=60)
    number = models.PositiveSmallIntegerField()
    mode = models.CharField(max_length=8)
    origin = models.CharField(max_length=60)
    destination = models.CharField(max_length=60)
    wait_days = models.PositiveSmallIntegerField(default=0)
    days = models.PositiveSmallIntegerField()
    days_in = models.CharField(max_length=8, default="calendar")
    country = models.CharField(max_length=2, blank=True)
    site = models.ForeignKey(Site, models.PROTECT, null=True, blank=True, related_name="+")

    class Meta:
        ordering = ["route", "number"]
        constraints = [models.UniqueConstraint(fields=["route", "number"], name="route_leg_once")]

    def __str__(self):
        return f"{self.route} {self.number}"


class FreeTime(models.Model):
    """How long a carrier lets a container stand at a port, and what it costs after that."""

    class Covers(models.TextChoices):
        DEMURRAGE = "demurrage", "Demurrage"
        DETENTION = "detention", "Detention"
        COMBINED = "combined", "Demurrage and detention"

    carrier = models.ForeignKey(Party, models.PROTECT, related_name="free_time")
    port = models.ForeignKey(Port, models.PROTECT, null=True, blank=True)
    # Empty: any type.
    size_type = models.CharField(max_length=4, blank=True, default="")
    covers = models.CharField(max_length=9, choices=Covers.choices)
    # The milestones of a container that start and end the clock.
    starts = models.CharField(max_length=10)
    ends = models.CharField(max_length=10)
    free_days = models.PositiveSmallIntegerField()
    first_day_counts = models.BooleanField(default=True)
    free_in = models.CharField(max_length=8, default="calendar")
    paid_in = models.CharField(max_length=8, default="calendar")
    # First paid day and price of each stretch, as core.free_time.read_tiers reads it.
    tiers = models.CharField(max_length=200)
    currency = fields.currency()
    valid_from = models.DateField()

    class Meta:
        ordering = ["carrier", "port", "size_type", "covers", "valid_from"]
        constraints = [
            models.UniqueConstraint(
                fields=["carrier", "port", "size_type", "covers", "valid_from"],
                name="free_time_once",
                nulls_distinct=False,
            )
        ]

    def __str__(self):
        return f"{self.get_covers_display()} of {self.carrier}"


class PastPassage(models.Model):
    """A passage that was finished before Northing: from it, too, arrival ranges are learnt."""

    reference = models.CharField(max_length=40, unique=True)
    supplier = models.ForeignKey(Party, models.PROTECT, null=True, blank=True, related_name="+")
    carrier = models.ForeignKey(Party, models.PROTECT, null=True, blank=True, related_name="+")
    load_port = models.ForeignKey(Port, models.PROTECT, related_name="+")
    discharge_port = models.ForeignKey(Port, models.PROTECT, related_name="+")
    planned_departure = models.DateField()
    departed_on = models.DateField()
    planned_arrival = models.DateField()
    arrived_on = models.DateField()
    planned_dock = models.DateField(null=True, blank=True)
    received_on = models.DateField(null=True, blank=True)

    class Meta:
        ordering = ["reference"]

    def __str__(self):
        return self.reference
