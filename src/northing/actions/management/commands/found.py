"""`manage found`: a house where there is none, with its first company and its first administrator."""

import getpass
import sys

from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from northing.access.acts import Act
from northing.access.models import Person
from northing.actions.access.roles import PersonRequest
from northing.actions.masterdata.records import FoundRequest, found_house
from northing.core.problems import Refused


def _secret(username: str) -> str:
    """The password, asked for, so that it stands in no history of commands; without a terminal the first line given."""
    if sys.stdin.isatty():
        return getpass.getpass(f"Password of {username}: ")
    given = sys.stdin.readline().rstrip("\n")
    if not given:
        raise CommandError("There is no terminal to ask for the password: give it as the first line of standard input.")
    return given


class Command(BaseCommand):
    help = "Found a house on an empty database: its first company and its first administrator."

    def add_arguments(self, parser):
        parser.add_argument("--code", required=True, help="the company's code; its orders are numbered CODE-00001")
        parser.add_argument("--name", required=True, help="the company's name")
        parser.add_argument("--country", required=True, help="its country, such as NZ")
        parser.add_argument("--currency", required=True, help="its base currency, such as NZD")
        parser.add_argument("--username", required=True, help="how the administrator signs in")
        parser.add_argument("--first-name", default="")
        parser.add_argument("--last-name", default="")
        parser.add_argument("--email", default="")

    def handle(self, *, username, first_name, last_name, email, **facts):
        secret = _secret(username)
        company = tuple((name, facts[name]) for name in ("code", "name", "country", "currency"))
        person = PersonRequest(username, first_name, last_name, email, secret)
        try:
            # No one is there yet who could act.
            found_house(Act(Person(), timezone.now(), channel="opening"), FoundRequest(company, person))
        except Refused as refused:
            raise CommandError("\n".join(str(problem) for problem in refused.problems)) from None
        self.stdout.write(f"{facts['name']} is founded; {username} may sign in and add the rest under House.")
