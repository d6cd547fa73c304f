"""Tariffs: territories and how they count, groups of countries, and the rules of duty."""

from django.db import models
from django.db.models import Q

from northing.core.costing import customs, tariff
from northing.database import fields
from northing.masterdata.models.parties import Party


def _words(known):
    return [(word, word) for word in known]


class Territory(models.Model):
    """How customs of a country counts: the basis of its value, line by line or by group, and how duties are rounded."""

    code = models.CharField(max_length=2, unique=True)
    basis = models.CharField(max_length=5, choices=_words(customs.BASES), default="price")
    per = models.CharField(max_length=5, choices=_words(customs.PER), default="line")
    # Empty: the minor unit of the company's currency.
    unit = models.DecimalField(max_digits=10, decimal_places=4, null=True)
    way = models.CharField(max_length=7, choices=_words(customs.WAYS), default="half up")
    # Kinds of charges that belong to its value whatever the price includes.
    value_kinds = models.JSONField(default=list)

    class Meta:
        ordering = ["code"]
        constraints = [models.CheckConstraint(condition=Q(unit=None) | Q(unit__gt=0), name="territory_unit_above_zero")]

    def __str__(self):
        return self.code


class CountryGroup(models.Model):
    """Countries that a tariff names together; their letters with spaces between."""

    code = models.CharField(max_length=16, unique=True)
    name = models.CharField(max_length=80)
    countries = models.TextField()

    class Meta:
        ordering = ["code"]

    def __str__(self):
        return self.code


class TariffRule(models.Model):
    """A rule of a territory's tariff, for codes that begin with its prefix: duty, preference, or an extra duty."""

    territory = models.CharField(max_length=2)
    kind = models.CharField(max_length=10, choices=_words(tariff.KINDS), default=tariff.DUTY)
    hs = models.CharField(max_length=10, blank=True, default="")
    # A country's two letters; or the code of a group; neither: any origin.
    origin = models.CharField(max_length=2, blank=True, default="")
    group = models.ForeignKey(CountryGroup, models.PROTECT, null=True, related_name="rules")
    supplier = models.ForeignKey(Party, models.PROTECT, null=True, related_name="tariff_rules")
    # Tells extra duties apart; of a preference the agreement.
    name = models.CharField(max_length=40, blank=True, default="")
    # The paper that a preference needs.
    proof = models.CharField(max_length=60, blank=True, default="")
    ad_valorem = models.DecimalField(max_digits=7, decimal_places=4, default=fields.ZERO)
    # Per kg, per unit, or per a unit that items keep for it.
    amount = models.DecimalField(max_digits=14, decimal_places=4, null=True)
    currency = models.CharField(max_length=3, blank=True, default="")
    per = models.CharField(max_length=8, default="kg")
    combine = models.CharField(max_length=6, choices=_words(customs.COMBINES), default="sum")
    valid_from = models.DateField()
    valid_until = models.DateField(null=True)

    class Meta:
        ordering = ["territory", "hs", "id"]
        constraints = [
            models.UniqueConstraint(
                fields=["territory", "kind", "hs", "origin", "group", "supplier", "name", "valid_from"],
                name="tariff_once",
                nulls_distinct=False,
            ),
            models.CheckConstraint(
                condition=Q(combine="sum") | Q(amount__isnull=False, ad_valorem__gt=0), name="tariff_combines_two"
            ),
            models.CheckConstraint(
                condition=Q(amount=None, currency="") | (Q(amount__isnull=False) & ~Q(currency="")),
                name="tariff_amount_in_currency",
            ),
            models.CheckConstraint(condition=~Q(kind="extra") | ~Q(name=""), name="tariff_extra_named"),
            models.CheckConstraint(
                condition=~Q(kind="preference") | ~Q(origin="") | Q(group__isnull=False), name="tariff_preference_of"
            ),
            models.CheckConstraint(condition=Q(origin="") | Q(group=None), name="tariff_one_origin"),
            models.CheckConstraint(
                condition=~Q(kind="import tax") | Q(amount=None, proof=""), name="tariff_tax_is_a_rate"
            ),
            models.CheckConstraint(
                condition=Q(valid_until=None) | Q(valid_until__gte=models.F("valid_from")), name="tariff_valid"
            ),
        ]

    def __str__(self):
        return f"{self.territory} {self.hs or 'all codes'} {self.kind} {self.name}".strip()
