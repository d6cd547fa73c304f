"""The numeric fields of the house, so that one decision about digits stands in one place; and a lookup of many."""

from decimal import Decimal
from typing import Any

from django.db import models

from northing.database.columns import array

ZERO = Decimal(0)


def money(**options: Any) -> models.DecimalField:
    """An amount of money: numeric(19,4), whole in its currency's minor unit."""
    return models.DecimalField(max_digits=19, decimal_places=4, **options)


def quantity(**options: Any) -> models.DecimalField:
    """A quantity in an item's base unit: numeric(18,6)."""
    return models.DecimalField(max_digits=18, decimal_places=6, **options)


def price(**options: Any) -> models.DecimalField:
    """A price or an exchange rate: 10 decimals."""
    return models.DecimalField(max_digits=25, decimal_places=10, **options)


def currency(**options: Any) -> models.CharField:
    """An ISO 4217 code."""
    return models.CharField(max_length=3, **options)


@models.ForeignObject.register_lookup
@models.Field.register_lookup
class AnyOf(models.Lookup):
    """`in`, for thousands of values: they go over as one array, not as a placeholder each."""

    lookup_name = "any_of"
    prepare_rhs = False

    def as_sql(self, compiler, connection):
        """The comparison with the array."""
        lhs, values = self.process_lhs(compiler, connection)
        return f"{lhs} = any(%s::{self.lhs.output_field.db_type(connection)}[])", [*values, array(self.rhs)]
