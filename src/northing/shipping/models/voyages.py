"""Voyages, and the ports they call at."""

from django.db import models

from northing.masterdata.models import Party, Port


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
