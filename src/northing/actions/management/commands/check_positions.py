"""`manage check_positions`."""

from django.core.management.base import BaseCommand, CommandError

from northing.reports.proofs import position_faults


class Command(BaseCommand):
    help = "Rebuild every position from its movements and prove it equal."

    def handle(self, **_):
        faults = position_faults()
        if faults:
            raise CommandError("\n".join(faults))
        self.stdout.write("positions: everything holds.")
