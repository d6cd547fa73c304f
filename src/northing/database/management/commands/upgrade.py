"""Bring the database to the state of this code, or say why it cannot be."""

from django.core.management import BaseCommand, CommandError, call_command
from django.db import connection, transaction

from northing.database.releases import CURRENT, EMPTY, REFUSED, fit


class Command(BaseCommand):
    """Upgrade the database in one transaction: it is at the old state or at the new one, never between."""

    help = __doc__

    def add_arguments(self, parser):
        """Take `--check`, which changes nothing."""
        parser.add_argument(
            "--check", action="store_true", help="only print the state: empty, current, forward VERSION"
        )

    def handle(self, *args, check=False, **options):
        """Print the state, or upgrade. Raises CommandError where the database does not fit."""
        found = fit()
        if found.how == REFUSED:
            raise CommandError(found.words)
        if check:
            self.stdout.write(f"{found.how} {found.version}".strip())
        elif found.how == EMPTY:
            call_command("migrate", verbosity=0, interactive=False)
        elif found.how != CURRENT:
            with transaction.atomic():
                call_command("migrate", verbosity=0, interactive=False)
                # What the upgrade wrote is checked before it stands.
                with connection.cursor() as cursor:
                    cursor.execute("set constraints all immediate")
                after = fit()
                if after.how != CURRENT:
                    raise CommandError(f"The upgrade did not come to the state of this code. {after.words}")
            self.stdout.write(f"Upgraded the database from {found.version} to {after.version}.")
