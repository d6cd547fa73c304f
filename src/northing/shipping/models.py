"""How goods travel. A shipment belongs to no company; its stowage does, through the order."""

from django.db import models
from django.db.models import F, Q

from northing.directory import fields
from northing.directory.models import Party, Person, Port
from northing.orders.models import Instalment


class Voyage(models.Model):
    """A vessel's passage along its port calls; shared by shipments."""

    vessel = models.CharField(max_length=60)
    imo = models.CharField(max_length=7)
    number = models.CharField(max_length=20)
    carrier = models.ForeignKey(Party, models.PROTECT)
    # A sailing that its carrier called off; what was to sail with it is rolled to another.
    blanked_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["imo", "number"], name="voyage_once")]

    def __str__(self):
        return f"{self.vessel} {self.number}"


class PortCall(models.Model):
    """A port that a voyage calls at. Expected dates follow from what is said; an omitted call is passed by."""

    voyage = models.ForeignKey(Voyage, models.PROTECT, related_name="calls")
    number = models.PositiveSmallIntegerField()
    port = models.ForeignKey(Port, models.PROTECT, related_name="+")
    planned_arrival = models.DateField(null=True)
    planned_departure = models.DateField(null=True)
    expected_arrival = models.DateField(null=True)
    expected_departure = models.DateField(null=True)
    omitted = models.BooleanField(default=False)

    class Meta:
        ordering = ["voyage", "number"]
        constraints = [models.UniqueConstraint(fields=["voyage", "number"], name="call_number_once")]

    def __str__(self):
        return f"{self.voyage} at {self.port_id}"


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
        """Where the units aboard are that the dock has not settled yet."""
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


class Container(models.Model):
    """A container by its ISO 6346 number; or loose packages, by their mark.

    What it may hold is that of its type (core.loading), unless said otherwise of this one.
    """

    shipment = models.ForeignKey(Shipment, models.PROTECT, related_name="containers")
    number = models.CharField(max_length=11)
    size_type = models.CharField(max_length=4)
    seal = models.CharField(max_length=20, blank=True)
    tare_kg = fields.quantity(null=True)
    payload_kg = fields.quantity(null=True)
    volume_m3 = fields.quantity(null=True)

    class Meta:
        ordering = ["shipment", "number"]
        constraints = [models.UniqueConstraint(fields=["shipment", "number"], name="container_once")]

    def __str__(self):
        return self.number


class Stowage(models.Model):
    """An instalment's quantity in one container: the part that is costed and received.

    `goods_amount` is in the order's currency; it, its base value and the rate stand from the
    day the goods become ours. `settled` counts what the dock received or declared missing.
    """

    # The index of container and instalment serves the container alone as well.
    container = models.ForeignKey(Container, models.PROTECT, related_name="stowage", db_index=False)
    instalment = models.ForeignKey(Instalment, models.PROTECT, related_name="stowage")
    quantity = fields.quantity()
    settled = fields.quantity(default=fields.ZERO)
    ours_on = models.DateField(null=True)
    goods_amount = fields.money(null=True)
    goods_base = fields.money(null=True)
    goods_rate = fields.price(null=True)
    opening_billed = models.BooleanField(default=False)

    class Meta:
        ordering = ["container", "id"]
        constraints = [
            models.CheckConstraint(condition=Q(quantity__gt=0), name="stowage_above_zero"),
            models.CheckConstraint(condition=Q(settled__gte=0), name="stowage_settled_not_negative"),
        ]
        indexes = [models.Index(fields=["container", "instalment"], name="stowage_of_container")]

    @property
    def place(self) -> str:
        """Where the units are that are not settled yet: where their shipment is."""
        return self.container.shipment.place


class CarrierEvent(models.Model):
    """An event as a carrier sent it, kept once, and what became of it."""

    class State(models.TextChoices):
        TIED = "tied", "Believed"
        NOTED = "noted", "Noted"
        WAITS = "waits", "Waits"
        DROPPED = "dropped", "Dropped"

    source = models.CharField(max_length=60)
    event_id = models.CharField(max_length=100)
    event_type = models.CharField(max_length=12)
    code = models.CharField(max_length=4)
    kind = models.CharField(max_length=9)
    day = models.DateField()
    said_at = models.DateTimeField()
    heard_at = models.DateTimeField()
    port = models.CharField(max_length=5, blank=True)
    imo = models.CharField(max_length=7, blank=True)
    voyage = models.CharField(max_length=50, blank=True)
    container = models.CharField(max_length=15, blank=True)
    at = models.DateTimeField(null=True)
    empty = models.BooleanField(null=True)
    retracts = models.CharField(max_length=100, blank=True)
    retracted = models.BooleanField(default=False)
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITS)
    says = models.CharField(max_length=240, blank=True)
    raw = models.JSONField()

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["source", "event_id"], name="event_heard_once")]
        indexes = [models.Index(fields=["state", "-id"], name="event_by_state")]


class DateStatement(models.Model):
    """What somebody said about a date: planned, estimated or actual. Append-only."""

    class Milestone(models.TextChoices):
        DEPARTURE = "departure", "Departure"
        ARRIVAL = "arrival", "Arrival"
        # Of a container by itself.
        DISCHARGED = "discharged", "Discharged"
        GATE_OUT = "gate_out", "Gate out"
        RETURNED = "returned", "Empty returned"

    class Kind(models.TextChoices):
        PLANNED = "planned", "Planned"
        ESTIMATED = "estimated", "Estimated"
        ACTUAL = "actual", "Actual"

    call = models.ForeignKey(PortCall, models.PROTECT, null=True, related_name="statements")
    leg = models.ForeignKey(Leg, models.PROTECT, null=True, related_name="statements")
    container = models.ForeignKey(Container, models.PROTECT, null=True, related_name="statements")
    milestone = models.CharField(max_length=10, choices=Milestone.choices)
    kind = models.CharField(max_length=9, choices=Kind.choices)
    # The day at the place it is about; the instant as well, where it was said.
    value = models.DateField()
    at = models.DateTimeField(null=True)
    source = models.CharField(max_length=60)
    said_by = models.ForeignKey(Person, models.PROTECT, null=True)
    event = models.ForeignKey(CarrierEvent, models.PROTECT, null=True, related_name="statements")
    said_at = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.CheckConstraint(
                condition=(
                    Q(call__isnull=False, leg=None, container=None)
                    | Q(call=None, leg__isnull=False, container=None)
                    | Q(call=None, leg=None, container__isnull=False)
                ),
                name="statement_about_one_thing",
            )
        ]
