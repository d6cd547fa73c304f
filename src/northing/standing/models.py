"""Movements (append-only), the positions they add up to, and open matters."""

from django.db import models
from django.db.models import F, Q
from django.db.models.functions import Now
from django.utils import timezone

from northing.core.moves import PARTIES
from northing.core.places import COLUMNS, PLACES, SOURCES
from northing.directory import fields
from northing.directory.models import Company


class Movement(models.Model):
    """A quantity of an instalment going from one place to another. Append-only.

    What it points at is checked by the statement that writes it, not row by row; see docs/decisions/007.
    """

    instalment = models.ForeignKey("orders.Instalment", models.PROTECT, related_name="movements", db_constraint=False)
    # Stowage taken out again is deleted; what happened to it stays told, so no constraint binds it.
    stowage = models.ForeignKey("shipping.Stowage", models.DO_NOTHING, null=True, db_constraint=False, db_index=False)
    source = models.CharField(max_length=16)
    target = models.CharField(max_length=16)
    quantity = fields.quantity()
    story = models.ForeignKey("papers.StoryEntry", models.PROTECT, db_constraint=False)

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


class Matter(models.Model):
    """Something open: whose move it is, since when, until when, what waiting puts at stake."""

    kind = models.CharField(max_length=12)
    record = models.BigIntegerField()
    company = models.ForeignKey(Company, models.CASCADE)
    party = models.CharField(max_length=10)
    reason = models.CharField(max_length=240)
    subject = models.CharField(max_length=160)
    url = models.CharField(max_length=120)
    since = models.DateField()
    due = models.DateField(null=True)
    at_stake = fields.money(default=fields.ZERO)
    # Cost of each day of delay, in base currency, where one is set; waiting costs it on top of what is at stake.
    per_day = fields.money(default=fields.ZERO, db_default=0)
    # Whose it is among ours, where a person is responsible; when its party or reason last changed.
    person = models.ForeignKey("directory.Person", models.SET_NULL, null=True, related_name="+")
    changed_at = models.DateTimeField(default=timezone.now, db_default=Now())

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kind", "record", "company"], name="matter_once")]
        indexes = [models.Index(fields=["company", "party", "-at_stake"], name="matter_watch")]

    @property
    def whose_move(self) -> str:
        return PARTIES[self.party]


class LineStanding(models.Model):
    """Where an order line stands: all that the line book shows, filters, sorts and adds up. Derived.

    One row for each line of a sent order, written set-based by `deeds.aftermath` in the transaction of the fact,
    proved by `manage check_moves`. Its indexes are the line book's; docs/decisions/008 says why these.
    """

    line = models.OneToOneField("orders.OrderLine", models.CASCADE, primary_key=True, related_name="standing")
    order = models.ForeignKey("orders.PurchaseOrder", models.CASCADE, db_constraint=False)
    company = models.ForeignKey(Company, models.CASCADE, db_constraint=False, db_index=False)
    supplier = models.ForeignKey("directory.Party", models.CASCADE, db_constraint=False, db_index=False)
    item = models.ForeignKey("directory.Item", models.CASCADE, db_constraint=False, db_index=False)
    site = models.ForeignKey("directory.Site", models.CASCADE, db_constraint=False, db_index=False)
    buyer = models.ForeignKey("directory.Person", models.CASCADE, db_constraint=False, db_index=False)
    port = models.CharField(max_length=5, blank=True)
    currency = fields.currency()
    is_open = models.BooleanField()

    ordered = fields.quantity()
    excess = fields.quantity()
    agreed = fields.quantity()
    with_supplier = fields.quantity()
    packed = fields.quantity()
    under_way = fields.quantity()
    landed = fields.quantity()
    held = fields.quantity()
    in_store = fields.quantity()
    rejected = fields.quantity()
    scrapped = fields.quantity()
    returned = fields.quantity()
    missing = fields.quantity()
    lost = fields.quantity()
    dropped = fields.quantity()
    received = fields.quantity()
    outstanding = fields.quantity()
    billed = fields.quantity()
    unbilled = fields.quantity()
    # What is outstanding is worth: in the order's currency, and in the company's at the newest book rate.
    value = fields.money()
    value_base = fields.money()

    need_by = models.DateField()
    requested_on = models.DateField()
    first_promise = models.DateField(null=True)
    promise = models.DateField(null=True)
    # When the last outstanding unit is expected on our dock; empty when nothing is outstanding.
    expected_on = models.DateField(null=True)
    slip = models.IntegerField(null=True)
    answer_waits = models.BooleanField()
    party = models.CharField(max_length=10, blank=True)
    reason = models.CharField(max_length=240, blank=True)
    since = models.DateField(null=True)
    due = models.DateField(null=True)

    class Meta:
        indexes = [
            models.Index(fields=["need_by", "line"], name="book_by_need"),
            *(
                models.Index(fields=[*columns, "line"], condition=Q(is_open=True), name=f"book_open_{name}")
                for name, columns in {
                    "need": ["need_by"],
                    "expected": ["expected_on"],
                    "supplier": ["supplier", "need_by"],
                    "item": ["item", "need_by"],
                    "move": ["party", "need_by"],
                    "since": ["since"],
                }.items()
            ),
            models.Index(F("value_base").desc(), F("line").desc(), condition=Q(is_open=True), name="book_open_value"),
            models.Index(fields=["need_by", "line"], condition=Q(answer_waits=True), name="book_answers"),
            models.Index(
                fields=["need_by", "line"], condition=Q(is_open=True, agreed__lt=F("ordered")), name="book_not_agreed"
            ),
            *(
                models.Index(fields=["need_by", "line"], condition=Q(**{f"{name}__gt": 0}), name=f"book_{name}")
                for name in ("packed", "under_way", "landed", "held", "rejected", "missing")
            ),
        ]
