"""What the supplier answered to an instalment, as they said it."""

from django.db import models
from django.db.models import Q

from northing.directory import fields
from northing.directory.models import Person
from northing.orders.models import Instalment, Revision


class Answer(models.Model):
    """An answer to one instalment. Open until we accept or refuse it; a full agreement is accepted at once."""

    class Outcome(models.TextChoices):
        OPEN = "open", "Open"
        ACCEPTED = "accepted", "Accepted"
        REFUSED = "refused", "Refused"
        REPLACED = "replaced", "Replaced"

    instalment = models.ForeignKey(Instalment, models.PROTECT, related_name="answers")
    revision = models.ForeignKey(Revision, models.PROTECT)
    reference = models.CharField(max_length=60, blank=True)
    quantity = fields.quantity()
    ready_on = models.DateField()
    pack_price = fields.price()
    asked_quantity = fields.quantity()
    asked_on = models.DateField()
    asked_pack_price = fields.price()
    recorded_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    answered_on = models.DateField()
    outcome = models.CharField(max_length=8, choices=Outcome.choices, default=Outcome.OPEN)
    decided_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    decided_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(fields=["instalment"], condition=Q(outcome="open"), name="one_open_answer"),
            models.CheckConstraint(condition=Q(quantity__gt=0), name="answer_above_zero"),
        ]
