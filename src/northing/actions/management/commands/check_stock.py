"""`manage check_stock`."""

from django.core.management.base import BaseCommand, CommandError

from northing.inventory.queries import stock_faults


class Command(BaseCommand):
    help = "Rebuild what lies in every bin from its movements and prove it equal."

    def handle(self, **_):
        faults = stock_faults()
        if faults:
            raise CommandError("\n".join(faults))
        self.stdout.write("stock: everything holds.")
