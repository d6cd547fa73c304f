"""Movements (append-only), the positions they add up to, and open matters."""

from django.db import models
from django.db.models import F, Q

from northing.core.positions.places import COLUMNS, PLACES, SOURCES
from northing.database import fields


class Movement(models.Model):
    """A quantity of an instalment going from one place to another. Append-only.

    Its references are checked by the statement that writes it, not row by row; see docs/decisions/007.
    """

    instalment = models.ForeignKey("orders.Instalment", models.PROTECT, related_name="movements", db_constraint=False)
    # A shipment line taken out again is deleted; what happened to it stays told, so no constraint binds it.
    shipment_line = models.ForeignKey(
        "shipping.ShipmentLine", models.DO_NOTHING, null=True, db_constraint=False, db_index=False
    )
    source = models.CharField(max_length=16)
    target = models.CharField(max_length=16)
    quantity = fields.quantity()
    history = models.ForeignKey("activity.HistoryEntry", models.PROTECT, db_constraint=False)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(quantity__gt=0), name="movement_above_zero"),
            models.CheckConstraint(condition=~Q(source=F("target")), name="movement_goes_somewhere"),
        ]


def _sum(names):
    total = F(names[0])
    for name in names[1:]:
        total = total + F(name)
    return total


class Position(models.Model):
    """Where every unit of an instalment is; the identity is the table's own constraint."""

    instalment = models.OneToOneField("orders.Instalment", models.PROTECT, primary_key=True, related_name="position")
    ordered = fields.quantity(default=fields.ZERO)
    excess = fields.quantity(default=fields.ZERO)
    with_supplier = fields.quantity(default=fields.ZERO)
    packed = fields.quantity(default=fields.ZERO)
    under_way = fields.quantity(default=fields.ZERO)
    landed = fields.quantity(default=fields.ZERO)
    held = fields.quantity(default=fields.ZERO)
    in_store = fields.quantity(default=fields.ZERO)
    issued = fields.quantity(default=fields.ZERO)
    rejected = fields.quantity(default=fields.ZERO)
    scrapped = fields.quantity(default=fields.ZERO)
    returned = fields.quantity(default=fields.ZERO)
    missing = fields.quantity(default=fields.ZERO)
    lost = fields.quantity(default=fields.ZERO)
    dropped = fields.quantity(default=fields.ZERO)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(**{f"{name}__gte": 0 for name in COLUMNS}), name="position_not_negative"
            ),
            models.CheckConstraint(condition=Q(ordered=_sum(PLACES) - F(SOURCES[1])), name="position_identity"),
        ]
