"""Keep the state of a migrated database, and the hashes of its migrations, with the code."""

import json

from django.core.management import BaseCommand, CommandError

from northing import __version__
from northing.database.frozen import faults, freeze
from northing.database.releases import STATES, mark, migrations_of_code, states
from northing.database.schema import applied, schema


class Command(BaseCommand):
    """Freeze the migrations: they are never edited from then on."""

    help = __doc__

    def handle(self, *args, **options):
        """Add new migrations and their state to the committed lists; refuse where a frozen one was edited."""
        edited = [fault for fault in faults() if "new" not in fault]
        if edited:
            raise CommandError("\n".join(edited))
        if applied() != migrations_of_code():
            raise CommandError(
                "The database has not the migrations of this code; freeze an empty one that was migrated."
            )
        freeze()
        kept = [state for state in states() if state["migrations"] != mark(applied())] if STATES.exists() else []
        kept.append({"version": __version__, "migrations": mark(applied()), "schema": schema()})
        STATES.write_text(json.dumps(kept, indent=1) + "\n")
        self.stdout.write(f"{len(kept)} states are kept; the newest is {__version__}.")
