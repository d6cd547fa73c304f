"""Documents that a shipment needs, and despatch notices."""

from django.db import models
from django.db.models import Q

from northing.access.models import Person
from northing.database import fields
from northing.masterdata.models import Party
from northing.shipping.models.shipments import Shipment


class RequiredDocument(models.Model):
    """A paper, a cut-off or a payment that a shipment needs by a day, and who owes it.

    Its day is fixed, or so many days from the expected departure or arrival, and follows it.
    """

    class Kind(models.TextChoices):
        LADING = "lading", "Bill of lading"
        WAYBILL = "waybill", "Sea or air waybill"
        ORIGIN = "origin", "Certificate of origin"
        PLANT_HEALTH = "plant_health", "Plant health certificate"
        PACKING_LIST = "packing_list", "Packing list"
        INVOICE = "invoice", "Commercial invoice"
        CUT_OFF = "cut_off", "Cut-off"
        BALANCE = "balance", "Balance payment that releases the papers"
        OTHER = "other", "Another paper"

    class Form(models.TextChoices):
        NONE = "", "as it is"
        ORIGINAL = "original", "original"
        RELEASED = "released", "released by message"

    class Anchor(models.TextChoices):
        DAY = "", "on a day"
        DEPARTURE = "departure", "from departure"
        ARRIVAL = "arrival", "from arrival"

    shipment = models.ForeignKey(Shipment, models.CASCADE, related_name="required_documents")
    kind = models.CharField(max_length=12, choices=Kind.choices)
    what = models.CharField(max_length=80, blank=True)
    # Whose move it is: a party of core.moves; of ours a person, of others by name.
    party = models.CharField(max_length=10)
    owner = models.ForeignKey(Person, models.PROTECT, null=True, related_name="+")
    form = models.CharField(max_length=8, choices=Form.choices, blank=True)
    anchor = models.CharField(max_length=9, choices=Anchor.choices, blank=True)
    anchor_days = models.SmallIntegerField(default=0)
    due = models.DateField(null=True)
    # What it stops while it is not there: the departure, customs, or nothing.
    needed_for = models.CharField(max_length=9, blank=True)
    reference = models.CharField(max_length=60, blank=True)
    done_on = models.DateField(null=True)
    written_on = models.DateField()

    class Meta:
        ordering = ["shipment", "due", "id"]
        indexes = [models.Index(fields=["shipment"], condition=Q(done_on=None), name="paper_open")]

    def __str__(self):
        return self.what or self.get_kind_display()

    @property
    def lacks(self) -> str:
        """Its state in words while it is open."""
        return {self.Kind.CUT_OFF: "is not met", self.Kind.BALANCE: "is not paid"}.get(self.kind, "is not there")


class DespatchNotice(models.Model):
    """A despatch as a supplier or a forwarder says it: shown against what was agreed,
    then taken or dropped.
    """

    class State(models.TextChoices):
        SHOWN = "shown", "Waits"
        TAKEN = "taken", "Taken"
        DROPPED = "dropped", "Dropped"

    supplier = models.ForeignKey(Party, models.PROTECT, null=True, related_name="notices")
    number = models.CharField(max_length=40)
    channel = models.CharField(max_length=8)
    sent_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    issued_on = models.DateField(null=True)
    document = models.CharField(max_length=40, blank=True)
    imo = models.CharField(max_length=7, blank=True)
    voyage = models.CharField(max_length=20, blank=True)
    state = models.CharField(max_length=8, choices=State.choices, default=State.SHOWN)
    shipment = models.ForeignKey(Shipment, models.SET_NULL, null=True, related_name="notices")

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(
                fields=["supplier", "number"],
                condition=~Q(state="dropped"),
                name="notice_once",
                nulls_distinct=False,
            )
        ]

    def __str__(self):
        return f"Despatch notice {self.number}"


class NoticeLine(models.Model):
    """A row of a despatch notice as it came, and the line that it is about, where one was found."""

    notice = models.ForeignKey(DespatchNotice, models.CASCADE, related_name="lines")
    number = models.PositiveIntegerField()
    order = models.CharField(max_length=24, blank=True)
    line = models.CharField(max_length=12, blank=True)
    item = models.CharField(max_length=40, blank=True)
    quantity = fields.quantity()
    container = models.CharField(max_length=15, blank=True)
    size_type = models.CharField(max_length=4, blank=True)
    seal = models.CharField(max_length=20, blank=True)
    sscc = models.CharField(max_length=18, blank=True)
    lot = models.CharField(max_length=40, blank=True)
    best_before = models.DateField(null=True)
    order_line = models.ForeignKey("orders.OrderLine", models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["notice", "number"]
