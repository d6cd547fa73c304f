"""A person's own desk: views of the line book, and when the person last looked at the Watch."""

from django.db import models
from django.db.models import F, Q
from django.db.models.functions import Now
from django.utils import timezone

from northing.access.models import Person
from northing.core.worklist.moves import PARTIES
from northing.database import fields
from northing.masterdata.models import Company


class Visit(models.Model):
    """When a person last looked at the Watch, and the time before: what is newer is marked."""

    person = models.OneToOneField(Person, models.CASCADE, primary_key=True)
    at = models.DateTimeField()
    before = models.DateTimeField()


class SavedView(models.Model):
    """A view of the line book under a name: its address, for its maker or for everybody."""

    owner = models.ForeignKey(Person, models.CASCADE, related_name="views")
    name = models.CharField(max_length=60)
    query = models.CharField(max_length=1500)
    shared = models.BooleanField(default=False)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="view_name_once")]

    @staticmethod
    def seen_by(person: Person):
        """The person's own views and those shared with everybody."""
        return SavedView.objects.filter(Q(owner=person) | Q(shared=True)).select_related("owner")


# What waiting costs: where a day of delay has a price, a month of it counts on top of what is at stake.
DEAR = F("at_stake") + F("per_day") * 30


class Matter(models.Model):
    """Something open: whose move it is, since when, until when, what waiting puts at stake."""

    kind = models.CharField(max_length=12)
    record = models.BigIntegerField()
    company = models.ForeignKey(Company, models.CASCADE)
    party = models.CharField(max_length=10)
    reason = models.CharField(max_length=240)
    since = models.DateField()
    due = models.DateField(null=True)
    at_stake = fields.money(default=fields.ZERO)
    # Cost of each day of delay, in base currency, where one is set; waiting costs it on top of what is at stake.
    per_day = fields.money(default=fields.ZERO, db_default=0)
    # Whose it is among ours, where a person is responsible; when its party or reason last changed.
    person = models.ForeignKey("access.Person", models.SET_NULL, null=True, related_name="+")
    changed_at = models.DateTimeField(default=timezone.now, db_default=Now())

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kind", "record", "company"], name="matter_once")]
        indexes = [
            models.Index(fields=["company", "party", "-at_stake"], name="matter_watch"),
            models.Index("company", DEAR.desc(), name="matter_dearest"),
            models.Index(fields=["company", "due"], name="matter_by_day"),
            models.Index(fields=["changed_at"], name="matter_changed"),
        ]

    @property
    def whose_move(self) -> str:
        return PARTIES[self.party]


class LineSummary(models.Model):
    """Where an order line stands: all that the line book shows, filters, sorts and adds up. Derived.

    One row for each line of a sent order, written set-based by `actions.aftermath` in the transaction of the fact,
    proved by `manage check_moves`. Its indexes are the line book's; docs/decisions/008 says why these.
    """

    line = models.OneToOneField("orders.OrderLine", models.CASCADE, primary_key=True, related_name="summary")
    order = models.ForeignKey("orders.PurchaseOrder", models.CASCADE, db_constraint=False)
    company = models.ForeignKey(Company, models.CASCADE, db_constraint=False, db_index=False)
    supplier = models.ForeignKey("masterdata.Party", models.CASCADE, db_constraint=False, db_index=False)
    item = models.ForeignKey("masterdata.Item", models.CASCADE, db_constraint=False, db_index=False)
    site = models.ForeignKey("masterdata.Site", models.CASCADE, db_constraint=False, db_index=False)
    buyer = models.ForeignKey("access.Person", models.CASCADE, db_constraint=False, db_index=False)
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
    issued = fields.quantity()
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
    # The first day for which the supplier promised units that are still there.
    next_promise = models.DateField(null=True)
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
                    "since": ["since"],
                }.items()
            ),
            models.Index(fields=["party", "need_by", "line"], condition=~Q(party=""), name="book_by_move"),
            models.Index(F("value_base").desc(), F("line").desc(), condition=Q(is_open=True), name="book_open_value"),
            models.Index(fields=["need_by", "line"], condition=Q(answer_waits=True), name="book_answers"),
            models.Index(fields=["next_promise"], condition=Q(next_promise__isnull=False), name="book_promised"),
            models.Index(
                fields=["need_by", "line"], condition=Q(is_open=True, agreed__lt=F("ordered")), name="book_not_agreed"
            ),
            *(
                models.Index(fields=["need_by", "line"], condition=Q(**{f"{name}__gt": 0}), name=f"book_{name}")
                for name in ("packed", "under_way", "landed", "held", "rejected", "missing")
            ),
        ]


class ExpectedDelivery(models.Model):
    """A delivery that a dock expects: the goods of a container, or those of an order that come unpacked. Derived.

    `expected_on` is empty where nothing is planned; `need_by` is the first of its lines. Written by
    `actions.worklist.deliveries`, proved by `manage check_moves`.
    """

    company = models.ForeignKey(Company, models.CASCADE, db_constraint=False, db_index=False)
    site = models.ForeignKey("masterdata.Site", models.CASCADE, db_constraint=False, db_index=False)
    container = models.ForeignKey(
        "shipping.Container", models.CASCADE, null=True, db_constraint=False, db_index=False, related_name="deliveries"
    )
    order = models.ForeignKey(
        "orders.PurchaseOrder", models.CASCADE, null=True, db_constraint=False, db_index=False, related_name="+"
    )
    expected_on = models.DateField(null=True)
    need_by = models.DateField()
    lines = models.IntegerField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["container", "site"], name="delivery_once_per_container"),
            models.UniqueConstraint(fields=["order"], name="delivery_once_per_order"),
        ]
        indexes = [models.Index(fields=["site", "expected_on", "id"], name="delivery_by_day")]
