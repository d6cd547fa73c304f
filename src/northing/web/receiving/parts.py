"""The parts that the dock expects and counts, each in one or several rows."""

from dataclasses import dataclass
from decimal import Decimal

from northing.masterdata.models import Item
from northing.orders.models import OrderLine


@dataclass
class Part:
    """What is expected of a shipment line, or (unpacked) of an instalment; it came in `rows` lots or bins."""

    line: OrderLine
    open: Decimal
    shipment_line: int | None = None
    instalment: int | None = None
    rows: int = 1
    # Units that were scanned, as far as the form was sent.
    scanned: Decimal = Decimal(0)

    @property
    def key(self) -> str:
        """By which its fields are named, as refusals name them."""
        return str(self.shipment_line) if self.shipment_line else f"i{self.instalment}"

    @property
    def item(self) -> Item:
        """The item that was ordered."""
        return self.line.item

    def ends(self) -> list[str]:
        """The ends of its fields' names, a row each."""
        return [self.key, *(f"{self.key}-{number}" for number in range(2, self.rows + 1))]
