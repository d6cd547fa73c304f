"""How much of a layer lies in which bin, in which state."""

from django.db import models
from django.db.models import Q

from northing.database import fields
from northing.ledger.models import CostLayer
from northing.masterdata.models import Bin


class OnHand(models.Model):
    """How much of a layer lies in which bin, in which state."""

    class Status(models.TextChoices):
        HELD = "held", "Held"
        IN_STORE = "in_store", "In store"
        REJECTED = "rejected", "Rejected"

    layer = models.ForeignKey(CostLayer, models.PROTECT, related_name="on_hand")
    bin = models.ForeignKey(Bin, models.PROTECT)
    status = models.CharField(max_length=8, choices=Status.choices)
    quantity = fields.quantity()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["layer", "bin", "status"], name="on_hand_once"),
            models.CheckConstraint(condition=Q(quantity__gte=0), name="on_hand_not_negative"),
        ]
