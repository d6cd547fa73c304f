"""`manage carrier`: the stand-in for a carrier's feed, on loopback, saying what befalls the demo's own voyages."""

from datetime import UTC, datetime, time

from django.core.management.base import BaseCommand
from django.utils import timezone

from northing.access.acts import Act
from northing.access.models import Person
from northing.actions.shipping import carrier_feeds
from northing.demo.standing import until_stopped
from northing.integrations.carrier.standin import Clock, Sail, StandIn, scenario, serve
from northing.masterdata.models import Party
from northing.shipping.models import Container, Leg


class Command(BaseCommand):
    help = "Say on loopback what befalls the voyages that are to come"

    def add_arguments(self, parser):
        parser.add_argument("--port", type=int, required=True)
        parser.add_argument("--speed", type=float, default=1.0)

    def handle(self, *args, port, speed, **options):
        wyn, carrier = Person.objects.get(username="wyn"), Party.objects.get(code="VAN")
        asked = carrier_feeds.FeedRequest(carrier.pk, f"http://127.0.0.1:{port}", every_minutes=1)
        carrier_feeds.set_feed(Act(wyn, timezone.now(), channel="demo"), asked)
        standin = StandIn(scenario(_sails()), Clock(timezone.now(), speed))
        server = serve(standin, port)
        until_stopped(server.shutdown)


def _sails() -> list[Sail]:
    """The legs that have not been sailed."""
    legs = Leg.objects.filter(load_call__voyage__carrier__code="VAN", shipment__arrived_on=None)
    legs = legs.select_related("load_call__voyage", "discharge_call").order_by("pk")
    found = []
    for leg in legs:
        voyage = leg.load_call.voyage
        boxes = Container.objects.filter(shipment=leg.shipment_id).values_list("number", flat=True)
        days = (datetime.combine(day, time(12), UTC) for day in (leg.expected_start, leg.expected_end))
        ports = (leg.load_call.port_id, leg.discharge_call.port_id)
        found.append(Sail(voyage.imo, voyage.vessel, voyage.number, *ports, *days, tuple(boxes)))
    return found
