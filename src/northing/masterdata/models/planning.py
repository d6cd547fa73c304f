"""The facts that passages are planned by: calendars, routes, free time, past passages."""

from django.db import models

from northing.database import fields
from northing.masterdata.models.parties import Party
from northing.masterdata.models.places import Port, Site


class Holiday(models.Model):
    """A day on which no one works in a country, or only at one site of ours there, beside its public holidays.

    With `works` it is the other way round: people work on this day, although it is a public holiday or a day of rest.
    """

    country = models.CharField(max_length=2)
    day = models.DateField()
    name = models.CharField(max_length=80, blank=True)
    site = models.ForeignKey(Site, models.CASCADE, null=True, blank=True, related_name="holidays")
    works = models.BooleanField(default=False)

    class Meta:
        ordering = ["country", "day", "site"]
        constraints = [
            models.UniqueConstraint(fields=["country", "day", "site"], name="holiday_once", nulls_distinct=False)
        ]

    def __str__(self):
        return f"{self.day:%-d %b %Y} in {self.country}"


class WorkingWeek(models.Model):
    """The days of the week on which no one works in a country, where they are not Saturday and Sunday."""

    country = models.CharField(max_length=2, unique=True)
    # As core.calendars.read_rest reads it: ISO weekdays, such as "5 6" for Friday and Saturday.
    rest = models.CharField(max_length=20, blank=True)

    class Meta:
        ordering = ["country"]

    def __str__(self):
        return f"working week in {self.country}"


class RouteLeg(models.Model):
    """A leg of a route pattern: the legs of the same route, in order, are the pattern.

    `wait_days` go by between the leg before and this one, `days` on it; both are counted in calendar days, or in the
    working days of a country (and of a site, where its own holidays count).
    """

    route = models.CharField(max_length=60)
    number = models.PositiveSmallIntegerField()
    mode = models.CharField(max_length=8)
    origin = models.CharField(max_length=60)
    destination = models.CharField(max_length=60)
    wait_days = models.PositiveSmallIntegerField(default=0)
    days = models.PositiveSmallIntegerField()
    days_in = models.CharField(max_length=8, default="calendar")
    country = models.CharField(max_length=2, blank=True)
    site = models.ForeignKey(Site, models.PROTECT, null=True, blank=True, related_name="+")
    # In which goods usually go on this leg; empty: not said.
    size_type = models.CharField(max_length=4, blank=True, default="", db_default="")

    class Meta:
        ordering = ["route", "number"]
        constraints = [models.UniqueConstraint(fields=["route", "number"], name="route_leg_once")]

    def __str__(self):
        return f"{self.route} {self.number}"


class FreeTime(models.Model):
    """How long a carrier lets a container stand at a port, and what it costs after that."""

    class Covers(models.TextChoices):
        DEMURRAGE = "demurrage", "Demurrage"
        DETENTION = "detention", "Detention"
        COMBINED = "combined", "Demurrage and detention"

    carrier = models.ForeignKey(Party, models.PROTECT, related_name="free_time")
    port = models.ForeignKey(Port, models.PROTECT, null=True, blank=True)
    # Empty: any type.
    size_type = models.CharField(max_length=4, blank=True, default="")
    covers = models.CharField(max_length=9, choices=Covers.choices)
    # The milestones of a container that start and end the clock.
    starts = models.CharField(max_length=10)
    ends = models.CharField(max_length=10)
    free_days = models.PositiveSmallIntegerField()
    first_day_counts = models.BooleanField(default=True)
    free_in = models.CharField(max_length=8, default="calendar")
    paid_in = models.CharField(max_length=8, default="calendar")
    # First paid day and price of each stretch, as core.free_time.read_tiers reads it.
    tiers = models.CharField(max_length=200)
    currency = fields.currency()
    valid_from = models.DateField()

    class Meta:
        ordering = ["carrier", "port", "size_type", "covers", "valid_from"]
        constraints = [
            models.UniqueConstraint(
                fields=["carrier", "port", "size_type", "covers", "valid_from"],
                name="free_time_once",
                nulls_distinct=False,
            )
        ]

    def __str__(self):
        return f"{self.get_covers_display()} of {self.carrier}"


class PastPassage(models.Model):
    """A passage that was finished before Northing: from it, too, arrival ranges are learnt."""

    reference = models.CharField(max_length=40, unique=True)
    supplier = models.ForeignKey(Party, models.PROTECT, null=True, blank=True, related_name="+")
    carrier = models.ForeignKey(Party, models.PROTECT, null=True, blank=True, related_name="+")
    load_port = models.ForeignKey(Port, models.PROTECT, related_name="+")
    discharge_port = models.ForeignKey(Port, models.PROTECT, related_name="+")
    planned_departure = models.DateField()
    departed_on = models.DateField()
    planned_arrival = models.DateField()
    arrived_on = models.DateField()
    planned_dock = models.DateField(null=True, blank=True)
    received_on = models.DateField(null=True, blank=True)

    class Meta:
        ordering = ["reference"]

    def __str__(self):
        return self.reference
