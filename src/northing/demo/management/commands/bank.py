"""`manage bank`: the stand-in for a central bank's daily rates, on loopback."""

from django.core.management.base import BaseCommand
from django.utils import timezone

from northing.access.acts import Act
from northing.access.models import Person
from northing.actions.masterdata.rate_feed import RateFeedRequest, set_rate_feed
from northing.demo.standing import until_stopped
from northing.integrations.bank.standin import serve


class Command(BaseCommand):
    help = "Say on loopback what currencies are worth against the euro"

    def add_arguments(self, parser):
        parser.add_argument("--port", type=int, required=True)

    def handle(self, *args, port, **options):
        pell = Person.objects.get(username="pell")
        asked = RateFeedRequest(f"http://127.0.0.1:{port}/daily.xml", every_minutes=30)
        set_rate_feed(Act(pell, timezone.now(), channel="demo"), asked)
        server = serve(timezone.localdate, port)
        until_stopped(server.shutdown)
