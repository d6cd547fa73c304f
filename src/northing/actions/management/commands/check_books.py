"""`manage check_books`."""

from django.core.management.base import BaseCommand, CommandError

from northing.reports.book_proof import book_faults


class Command(BaseCommand):
    help = "Prove that every account is explained by the facts."

    def handle(self, **_):
        faults = book_faults()
        if faults:
            raise CommandError("\n".join(faults))
        self.stdout.write("books: everything holds.")
