"""How goods travel. A shipment belongs to no company; its lines do, through the order."""

from datetime import date

from django.db import models
from django.db.models import F, Q

from northing.access.models import Person
from northing.database import fields
from northing.masterdata.models import Party, Port, Site
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


class Container(models.Model):
    """A container by its ISO 6346 number; or loose packages, by their mark.

    What it may hold is that of its type (core.loading), unless said otherwise of this one. It is at the dock with its
    shipment, unless its own discharge or leaving of the port is spoken of (`own_dock`).
    """

    shipment = models.ForeignKey(Shipment, models.PROTECT, related_name="containers")
    number = models.CharField(max_length=11)
    size_type = models.CharField(max_length=4)
    seal = models.CharField(max_length=20, blank=True)
    tare_kg = fields.quantity(null=True)
    payload_kg = fields.quantity(null=True)
    volume_m3 = fields.quantity(null=True)
    own_dock = models.DateField(null=True)

    class Meta:
        ordering = ["shipment", "number"]
        constraints = [models.UniqueConstraint(fields=["shipment", "number"], name="container_once")]

    def __str__(self):
        return self.number

    @property
    def expected_dock(self) -> date | None:
        """The day on which what is in it is expected at the dock."""
        return self.own_dock or self.shipment.expected_dock


class ShipmentLine(models.Model):
    """An instalment's quantity on its way: the part that is costed and received.

    It is in a container; or, without one, it is what came against the order unpacked, and all of it is accounted for.
    `goods_amount` is in the order's currency; it, its base value and the rate stand from the
    day the goods become ours. `accounted` counts what the dock received or declared missing.
    """

    # The index of container and instalment serves the container alone as well.
    container = models.ForeignKey(Container, models.PROTECT, null=True, related_name="shipment_lines", db_index=False)
    instalment = models.ForeignKey(Instalment, models.PROTECT, related_name="shipment_lines")
    quantity = fields.quantity()
    accounted = fields.quantity(default=fields.ZERO)
    ours_on = models.DateField(null=True)
    goods_amount = fields.money(null=True)
    goods_base = fields.money(null=True)
    goods_rate = fields.price(null=True)
    opening_billed = models.BooleanField(default=False)

    class Meta:
        ordering = ["container", "id"]
        constraints = [
            models.CheckConstraint(
                condition=Q(quantity__gt=0) | Q(quantity=0, container=None), name="shipment_line_above_zero"
            ),
            models.CheckConstraint(condition=Q(accounted__gte=0), name="shipment_line_accounted_not_negative"),
        ]
        indexes = [models.Index(fields=["container", "instalment"], name="shipment_line_of_container")]

    @property
    def place(self) -> str:
        """Where the units are that are not accounted for yet: where their shipment is."""
        return self.container.shipment.place if self.container else "with_supplier"

    @property
    def source(self) -> str:
        """What the goods come in, in words: the container's number, or "unpacked"."""
        return self.container.number if self.container else "unpacked"


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
        indexes = [
            models.Index(fields=["state", "-id"], name="event_by_state"),
            models.Index(fields=["source", "retracts"], condition=~Q(retracts=""), name="event_retracting"),
        ]

    def __str__(self):
        about = self.container or f"IMO {self.imo} {self.voyage}".strip()
        return f"{self.kind} {self.code} of {about}{f' at {self.port}' if self.port else ''}, {self.day:%-d %b %Y}"


class DateStatement(models.Model):
    """What somebody said about a date: planned, estimated or actual. Never changed; it may be taken back."""

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
    # Of two that say something at the same instant the higher is believed.
    rank = models.PositiveSmallIntegerField(default=0, db_default=0)
    said_by = models.ForeignKey(Person, models.PROTECT, null=True)
    event = models.ForeignKey(CarrierEvent, models.PROTECT, null=True, related_name="statements")
    said_at = models.DateTimeField()
    # Taken back, by its sender or by one of us: nobody believes it.
    retracted = models.BooleanField(default=False, db_default=False)

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

    def __str__(self):
        about = self.container or self.call or f"{self.leg.origin} to {self.leg.destination}"
        words = f"{self.kind} {self.get_milestone_display().lower()} {self.value:%-d %b %Y} of {about}"
        return f"{words}, said by {self.source}"


class HandlingUnit(models.Model):
    """A logistic unit, such as a pallet, by its SSCC: what of shipment lines stands on it is its contents."""

    container = models.ForeignKey(Container, models.CASCADE, related_name="units")
    sscc = models.CharField(max_length=18)

    class Meta:
        ordering = ["container", "sscc"]
        constraints = [models.UniqueConstraint(fields=["container", "sscc"], name="handling_unit_once")]

    def __str__(self):
        return self.sscc


class HandlingContent(models.Model):
    """How much of a shipment line stands on a handling unit."""

    unit = models.ForeignKey(HandlingUnit, models.CASCADE, related_name="contents")
    shipment_line = models.ForeignKey(ShipmentLine, models.CASCADE, related_name="units")
    quantity = fields.quantity()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["unit", "shipment_line"], name="handling_content_once"),
            models.CheckConstraint(condition=Q(quantity__gt=0), name="handling_content_above_zero"),
        ]


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

    shipment = models.ForeignKey(Shipment, models.CASCADE, related_name="papers")
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
        """What is said of it while it is open."""
        return {self.Kind.CUT_OFF: "is not met", self.Kind.BALANCE: "is not paid"}.get(self.kind, "is not there")


class DespatchNotice(models.Model):
    """What a supplier or a forwarder says was despatched: shown against what was agreed, then taken or dropped."""

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
    order_line = models.ForeignKey("orders.OrderLine", models.PROTECT, null=True, related_name="+")

    class Meta:
        ordering = ["notice", "number"]


class LearntSpread(models.Model):
    """How many days off plan finished passages were, under one key of core.ranges; written anew by the worker."""

    key = models.CharField(max_length=120, unique=True)
    # Passages by days off plan.
    counts = models.JSONField()
    learnt_at = models.DateTimeField()

    class Meta:
        ordering = ["key"]


class CarrierFeed(models.Model):
    """A carrier's feed that the worker polls, and how that goes."""

    carrier = models.OneToOneField(Party, models.PROTECT, related_name="feed")
    url = models.URLField(max_length=200)
    # Of two that say something at the same instant the higher is believed.
    rank = models.PositiveSmallIntegerField(default=1)
    every_minutes = models.PositiveSmallIntegerField(default=15)
    active = models.BooleanField(default=True)
    set_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    # Events said up to here have been heard.
    heard_to = models.DateTimeField(null=True)
    # Where a reading that was cut off goes on, and the newest it had met.
    resume = models.CharField(max_length=500, blank=True)
    newest = models.DateTimeField(null=True)
    next_at = models.DateTimeField()
    failures = models.PositiveIntegerField(default=0)
    last_at = models.DateTimeField(null=True)
    last_said = models.CharField(max_length=240, blank=True)

    class Meta:
        ordering = ["carrier"]

    def __str__(self):
        return f"Feed of {self.carrier}"


class Ripple(models.Model):
    """What a machine's change of dates did to the lines that somebody owns, until that person has seen it."""

    person = models.ForeignKey(Person, models.CASCADE, related_name="+")
    company = models.ForeignKey("masterdata.Company", models.CASCADE, related_name="+")
    source = models.CharField(max_length=60)
    at = models.DateTimeField()
    # [line, name, item, old dock day, new dock day, need-by day] of each line that moved.
    lines = models.JSONField()
    broken = models.PositiveIntegerField()
    saved = models.PositiveIntegerField()
    seen_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["person"], condition=Q(seen_at=None), name="ripple_unseen")]


class ArrivalCalendar(models.Model):
    """A calendar of arrivals at a site, by a secret address. Only its hash is kept."""

    site = models.ForeignKey(Site, models.CASCADE, related_name="feeds")
    token_hash = models.CharField(max_length=64, unique=True)
    made_by = models.ForeignKey(Person, models.PROTECT, related_name="+")
    made_at = models.DateTimeField()
    used_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
