"""Items, their packs and prices; exchange rates."""

from django.db import models
from django.db.models.functions import Upper

from northing.database import fields
from northing.masterdata.models.parties import Party
from northing.masterdata.models.places import Company


class Item(models.Model):
    """Something bought, with what customs, freight and the dock need to know of it."""

    code = models.CharField(max_length=32, unique=True)
    description = models.CharField(max_length=200)
    group = models.CharField(max_length=40)
    unit = models.CharField(max_length=8, default="pc")
    decimals = models.PositiveSmallIntegerField(default=0)
    weight_kg = fields.quantity(default=fields.ZERO)
    # Without its packing, for duties per kg; empty: the weight counts.
    net_weight_kg = fields.quantity(null=True, blank=True)
    # Duties per litre, per pair: the unit, and how many of it are in one. The unit it is counted in needs no saying.
    duty_unit = models.CharField(max_length=8, blank=True, db_default="")
    duty_units = fields.quantity(null=True, blank=True)
    volume_m3 = models.DecimalField(max_digits=18, decimal_places=8, default=fields.ZERO)
    hs_code = models.CharField(max_length=10)
    origin = models.CharField(max_length=2)
    duty_rate = models.DecimalField(max_digits=7, decimal_places=4, default=fields.ZERO)
    keeps_lot = models.BooleanField(default=False)
    keeps_best_before = models.BooleanField(default=False)
    keeps_serial = models.BooleanField(default=False, db_default=False)
    inspected = models.BooleanField(default=False)
    # The bins that are proposed where none holds it yet are of this zone.
    zone = models.CharField("Zone in the store", max_length=16, blank=True, db_default="")
    # Empty: those of the supplier, or of the company.
    over_tolerance = models.DecimalField("Over tolerance, %", max_digits=5, decimal_places=2, null=True, blank=True)
    under_tolerance = models.DecimalField("Under tolerance, %", max_digits=5, decimal_places=2, null=True, blank=True)
    # How long goods must still keep when they come; empty: only what is out of date is said.
    least_days = models.PositiveSmallIntegerField("Days to keep on receipt", null=True, blank=True)
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
        constraints = [
            models.CheckConstraint(
                condition=models.Q(duty_unit="", duty_units=None)
                | (~models.Q(duty_unit="") & models.Q(duty_units__isnull=False, duty_units__gt=0)),
                name="item_duty_unit_whole",
            )
        ]

    def __str__(self):
        return f"{self.code} {self.description}"

    def net_weight(self, quantity):
        """The weight in kg of so many units that duties per kg count; None where only the whole weight is known."""
        return None if self.net_weight_kg is None else self.net_weight_kg * quantity

    def measures(self, quantity):
        """So many units in the other units that duties may go by: {unit in small letters: number}."""
        found = {self.unit.lower(): quantity}
        if self.duty_unit and self.duty_units is not None:
            found[self.duty_unit] = self.duty_units * quantity
        return found


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
    """The price of a supplier for an item, from a day and a quantity on, per base unit."""

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
        BILL = "bill", "Suppliers' bills"
        PAYMENT = "payment", "Payments"

    company = models.ForeignKey(Company, models.CASCADE, related_name="rates")
    currency = fields.currency()
    purpose = models.CharField(max_length=8, choices=Purpose.choices)
    day = models.DateField()
    rate = fields.price()
    # Who said it, where it was no person.
    source = models.CharField(max_length=80, blank=True, default="", db_default="")

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["company", "currency", "purpose", "day"], name="rate_once_a_day"),
            models.CheckConstraint(condition=models.Q(rate__gt=0), name="rate_above_zero"),
        ]
