"""Answers of suppliers to instalments, as they said them."""

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.database import fields
from northing.masterdata.models import Party
from northing.messaging.models import Message
from northing.orders.models import Instalment, Revision


class Answer(models.Model):
    """An answer to one instalment. Open until we accept or refuse it; a full agreement is accepted at once."""

    class Outcome(models.TextChoices):
        OPEN = "open", "Open"
        ACCEPTED = "accepted", "Accepted"
        REFUSED = "refused", "Refused"
        COUNTERED = "countered", "Countered"
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
    # Later parts of a split answer: quantity and day of each, after the first above.
    later = models.JSONField(default=list)
    remark = models.CharField(max_length=500, blank=True)
    recorded_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    answered_on = models.DateField()
    outcome = models.CharField(max_length=9, choices=Outcome.choices, default=Outcome.OPEN)
    decided_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    decided_at = models.DateTimeField(null=True)
    # When the supplier was told what we decided; what was as asked needs no word.
    told_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [
            models.Index(
                fields=["decided_at"], condition=Q(told_at=None, decided_at__isnull=False), name="decided_not_told"
            )
        ]
        constraints = [
            models.UniqueConstraint(fields=["instalment"], condition=Q(outcome="open"), name="one_open_answer"),
            models.CheckConstraint(condition=Q(quantity__gt=0), name="answer_above_zero"),
        ]


class SupplierLink(models.Model):
    """A link by which a supplier answers without an account. Only the hash of its token is kept."""

    supplier = models.ForeignKey(Party, models.PROTECT, related_name="links")
    token_hash = models.CharField(max_length=64, unique=True)
    made_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    expires_at = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True)
    used_at = models.DateTimeField(null=True)
    why = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["-id"]


class ChaserRule(models.Model):
    """When to remind a supplier of something; without a supplier it holds for all that have none of their own."""

    class Kind(models.TextChoices):
        UNANSWERED = "unanswered", "Not answered"
        READY = "ready", "Soon to be ready"
        DESPATCH = "despatch", "Promise passed without a despatch"
        PAPERS = "papers", "Papers missing"

    supplier = models.ForeignKey(Party, models.CASCADE, null=True, blank=True, related_name="chaser_rules")
    mode = models.CharField(max_length=8, blank=True, help_text="Transport mode; empty for all")
    kind = models.CharField(max_length=10, choices=Kind.choices)
    days = models.PositiveSmallIntegerField()
    quiet_days = models.PositiveSmallIntegerField(default=5)
    paused = models.BooleanField(default=False)

    class Meta:
        ordering = ["kind", "supplier_id", "mode"]
        constraints = [
            models.UniqueConstraint(
                fields=["supplier", "mode", "kind"], name="one_rule_of_a_kind", nulls_distinct=False
            )
        ]


class Chaser(models.Model):
    """A reminder to a supplier: one mail with all its lines."""

    supplier = models.ForeignKey(Party, models.PROTECT, related_name="chasers")
    message = models.OneToOneField(Message, models.PROTECT, related_name="chaser")
    made_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+", help_text="No one: by rule")
    made_at = models.DateTimeField()

    class Meta:
        ordering = ["-id"]


class ChaserLine(models.Model):
    """The question of one chaser; closed by the answer."""

    chaser = models.ForeignKey(Chaser, models.CASCADE, related_name="lines")
    instalment = models.ForeignKey(Instalment, models.CASCADE, related_name="chaser_lines")
    kind = models.CharField(max_length=10, choices=ChaserRule.Kind.choices)
    closed_at = models.DateTimeField(null=True)

    class Meta:
        indexes = [models.Index(fields=["instalment", "kind"], name="chased_before")]
