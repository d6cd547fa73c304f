"""`manage demo_world`: lay the demo world into an empty database."""

from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from northing.demo.world import lay_world
from northing.masterdata.models import Company


class Command(BaseCommand):
    help = "Lay the demo world around today into an empty database."

    def handle(self, **_):
        if Company.objects.exists():
            raise CommandError("There are companies already; the demo world needs an empty database.")
        lay_world(timezone.localdate())
