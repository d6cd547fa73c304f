"""What costs are expected to be: rate cards of providers, and what each kind of cost is usually spread by."""

from django.db import models
from django.db.models import Q

from northing.core.costing import rate_cards
from northing.core.costing.charges import BASES
from northing.core.costing.landed_cost import KINDS
from northing.core.orders.orders import MODES
from northing.database import fields
from northing.masterdata.models.parties import Party


def _words(known):
    return [(word, word) for word in known]


class RateCard(models.Model):
    """What a provider asks for a kind of cost on a lane, from a day on.

    The ends of the lane are names: a port, a country, of its end a site as well; empty: any.
    """

    code = models.CharField(max_length=16, unique=True)
    provider = models.ForeignKey(Party, models.PROTECT, related_name="rate_cards")
    kind = models.CharField(max_length=12, choices=_words(KINDS))
    per = models.CharField(max_length=13, choices=_words(rate_cards.PER))
    # In per cent where it is per value.
    price = models.DecimalField(max_digits=14, decimal_places=4)
    currency = fields.currency()
    minimum = models.DecimalField(max_digits=14, decimal_places=4, default=fields.ZERO)
    origin = models.CharField(max_length=8, blank=True, default="")
    destination = models.CharField(max_length=8, blank=True, default="")
    mode = models.CharField(max_length=8, blank=True, default="", choices=_words(MODES))
    # Empty: any type.
    size_type = models.CharField(max_length=4, blank=True, default="")
    # As core.costing.rate_cards.read_surcharges reads them.
    surcharges = models.CharField(max_length=400, blank=True, default="")
    valid_from = models.DateField()
    valid_until = models.DateField(null=True)

    class Meta:
        ordering = ["code"]
        constraints = [
            models.CheckConstraint(
                condition=Q(valid_until=None) | Q(valid_until__gte=models.F("valid_from")), name="rate_card_valid"
            ),
            models.CheckConstraint(
                condition=Q(size_type="") | Q(per=rate_cards.CONTAINER), name="rate_card_type_of_containers"
            ),
        ]

    def __str__(self):
        return self.code


class UsualBasis(models.Model):
    """What a kind of cost is usually spread by."""

    kind = models.CharField(max_length=12, unique=True, choices=_words(KINDS))
    basis = models.CharField(max_length=10, choices=_words(BASES))

    class Meta:
        ordering = ["kind"]

    def __str__(self):
        return f"{self.kind} by {self.basis}"
