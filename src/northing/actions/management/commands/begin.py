"""`manage begin`: bring in opening stock, open orders and goods afloat."""

from pathlib import Path

from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from northing.access.acts import Act
from northing.access.models import Person
from northing.actions.masterdata import opening
from northing.core.problems import Refused

DEEDS = {"stock": opening.open_stock, "orders": opening.open_orders, "afloat": opening.open_afloat}


class Command(BaseCommand):
    help = "Bring in opening balances, one CSV each; a file is taken whole or not at all."

    def add_arguments(self, parser):
        parser.add_argument("what", choices=DEEDS)
        parser.add_argument("file", type=Path)
        parser.add_argument("--as", dest="username", required=True, help="who brings it in (an administrator)")

    def handle(self, *, what, file, username, **_):
        person = Person.objects.filter(username=username).first()
        if person is None:
            raise CommandError(f"There is no person {username!r}.")
        try:
            content = file.read_bytes()
        except OSError as error:
            raise CommandError(f"{file}: {error.strerror}") from None
        try:
            rows = DEEDS[what](Act(person, timezone.now(), channel="opening"), opening.FileRequest(content))
        except Refused as refused:
            raise CommandError("\n".join(str(problem) for problem in refused.problems)) from None
        self.stdout.write(f"{rows} rows of {file.name} are in.")
