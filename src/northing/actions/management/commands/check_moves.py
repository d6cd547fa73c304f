"""`manage check_moves`: whose move everything is, and where each line stands, held against the facts."""

from django.core.management.base import BaseCommand, CommandError

from northing.actions.worklist.proof import move_faults


class Command(BaseCommand):
    help = "Hold open matters and the line book against the facts; --mend puts right what differs"

    def add_arguments(self, parser):
        parser.add_argument("--mend", action="store_true", help="write what the facts say")

    def handle(self, *args, mend, **options):
        faults = move_faults(mend)
        for fault in faults:
            self.stdout.write(fault)
        if faults and not mend:
            raise CommandError(f"{len(faults)} differ")
        self.stdout.write(f"{len(faults)} put right" if faults else "all as the facts say")
