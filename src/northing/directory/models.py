"""Who and what the facts are about."""

from django.contrib.auth.models import AbstractUser
from django.db import models
from django.db.models.functions import Upper

from northing.directory import fields


class Person(AbstractUser):
    """Somebody who signs in."""

    class Meta:
        ordering = ["username"]

    def __str__(self):
        return self.get_full_name() or self.username


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
    closed_through = models.DateField(null=True, blank=True, help_text="Last day of the last closed period")
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


class Grant(models.Model):
    """A role that a person has in a company."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="grants")
    company = models.ForeignKey(Company, models.CASCADE)
    role = models.CharField(max_length=16)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "company", "role"], name="grant_once")]


class Port(models.Model):
    """A port by its UN/LOCODE."""

    code = models.CharField(max_length=5, primary_key=True)
    name = models.CharField(max_length=80)
    country = models.CharField(max_length=2)

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

    class Meta:
        ordering = ["name"]

    def __str__(self):
        return self.name


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
    """What a supplier sells an item for, from a day on, per base unit."""

    supplier = models.ForeignKey(Party, models.CASCADE, related_name="agreements")
    item = models.ForeignKey(Item, models.CASCADE, related_name="agreements")
    supplier_code = models.CharField(max_length=32, blank=True)
    price = fields.price()
    currency = fields.currency()
    lead_days = models.PositiveSmallIntegerField(default=30)
    valid_from = models.DateField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["supplier", "item", "valid_from"], name="agreement_once")]


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
