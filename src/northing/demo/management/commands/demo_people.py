"""`manage demo_people`: who can sign in to the demo."""

from django.core.management.base import BaseCommand

from northing.demo.people import PASSWORD, PEOPLE


class Command(BaseCommand):
    help = "Print the sign-in of each demo person."

    def add_arguments(self, parser):
        parser.add_argument("--address", default="")

    def handle(self, *, address, **_):
        self.stdout.write(
            f"\nNorthing is at {address}\nSign in with one of these names and the password {PASSWORD}\n\n"
        )
        for username, first, last, roles, where in PEOPLE:
            words = "both companies" if where == "both" else where
            self.stdout.write(f"  {username:<7} {first} {last:<10} {', '.join(roles)}, {words}\n")
        self.stdout.write("\n")
