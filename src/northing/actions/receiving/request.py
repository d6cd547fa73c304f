"""The count of the dock, as it is entered."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal


@dataclass(frozen=True)
class ReceiveRow:
    """The units found of a shipment line, or (unpacked) of an instalment, in one lot and bin.

    Of a short rest it is said, on one of its rows, whether it is still coming; and, of goods of a container, whether
    they are not in it, but with the supplier.
    """

    shipment_line: int | None
    quantity: Decimal
    still_coming: bool | None = None
    lot: str = ""
    best_before: date | None = None
    bin: int | None = None
    instalment: int | None = None
    not_there: bool = False

    @property
    def key(self) -> str:
        """Which part it is a row of; fields of pages end with it."""
        return f"i{self.instalment}" if self.shipment_line is None else str(self.shipment_line)


@dataclass(frozen=True)
class ReceiveRequest:
    """A receipt of one company's goods at one site: out of one container, or (without one) against its orders."""

    container: int | None
    site: int
    delivery_note: str
    occurred_on: date
    rows: tuple[ReceiveRow, ...]
    # A person was asked about what is missing, and goes on all the same.
    accept: bool = False
