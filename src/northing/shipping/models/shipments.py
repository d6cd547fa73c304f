"""Shipments and their legs."""

from django.db import models
from django.db.models import F, Q

from northing.masterdata.models import Party, Port
from northing.shipping.models.voyages import PortCall, Voyage


class Shipment(models.Model):
    """Containers, or loose packages, that travel together under one transport document."""

    class Mode(models.TextChoices):
        SEA = "sea", "Sea"
        AIR = "air", "Air"
        ROAD = "road", "Road"
        RAIL = "rail", "Rail"

    reference = models.CharField(max_length=24, unique=True)
    document = models.CharField("Transport document", max_length=40, blank=True)
    forwarder = models.ForeignKey(Party, models.PROTECT, null=True, blank=True)
    mode = models.CharField("By", max_length=8, choices=Mode.choices, default=Mode.SEA, db_default="sea")
    # That of the main leg, and where it discharges.
    voyage = models.ForeignKey(Voyage, models.PROTECT, null=True, related_name="shipments")
    discharge_port = models.ForeignKey(Port, models.PROTECT, null=True, related_name="+")
    created_at = models.DateTimeField()
    planned_dock = models.DateField(null=True)
    expected_dock = models.DateField(null=True)
    departed_on = models.DateField(null=True)
    arrived_on = models.DateField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [
            models.Index(fields=["departed_on"], condition=models.Q(document=""), name="shipment_without_papers"),
            models.Index(fields=["expected_dock", "id"], name="shipment_by_dock"),
        ]

    def __str__(self):
        return self.reference

    @property
    def route(self) -> str:
        """From where over where to where, each named once in a row."""
        legs = sorted(self.legs.all(), key=lambda leg: leg.number)
        stops = [stop for leg in legs for stop in (leg.origin, leg.destination)]
        return " → ".join(stop for stop, before in zip(stops, ["", *stops], strict=False) if stop != before)

    @property
    def place(self) -> str:
        """Where the units aboard are that the dock has not accounted for yet."""
        if self.arrived_on:
            return "landed"
        return "under_way" if self.departed_on else "packed"


class Leg(models.Model):
    """A planned part of the passage. A leg that a voyage sails goes from one of its calls to a later one.

    Of several (transshipment) the last is the main one: with its end the goods are landed. They are under way from
    the start of the first.
    """

    class Mode(models.TextChoices):
        ROAD = "road", "Road"
        SEA = "sea", "Sea"
        CUSTOMS = "customs", "Customs"
        RAIL = "rail", "Rail"
        AIR = "air", "Air"

    shipment = models.ForeignKey(Shipment, models.CASCADE, related_name="legs")
    number = models.PositiveSmallIntegerField()
    mode = models.CharField(max_length=8, choices=Mode.choices)
    origin = models.CharField(max_length=60)
    destination = models.CharField(max_length=60)
    planned_start = models.DateField()
    planned_end = models.DateField()
    expected_start = models.DateField()
    expected_end = models.DateField()
    main = models.BooleanField(default=False)
    load_call = models.ForeignKey(PortCall, models.PROTECT, null=True, related_name="loads")
    discharge_call = models.ForeignKey(PortCall, models.PROTECT, null=True, related_name="discharges")

    class Meta:
        ordering = ["shipment", "number"]
        constraints = [
            models.UniqueConstraint(fields=["shipment", "number"], name="leg_number_once"),
            models.UniqueConstraint(fields=["shipment"], condition=Q(main=True), name="one_main_leg"),
            models.CheckConstraint(condition=Q(planned_end__gte=F("planned_start")), name="leg_ends_after_start"),
            models.CheckConstraint(
                condition=Q(load_call=None, discharge_call=None)
                | Q(load_call__isnull=False, discharge_call__isnull=False),
                name="leg_from_call_to_call",
            ),
        ]


# The modes of legs that a vessel, or an aircraft, carries.
CARRIED = (Leg.Mode.SEA, Leg.Mode.AIR)
