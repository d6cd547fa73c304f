"""The count of the dock, as it is entered."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any

# How files and programs say the rest of a line that is short; whatever else says nothing of it.
RESTS = {"coming": True, "no more": False}


def rest_said(word: str) -> dict[str, Any]:
    """The answer about a short rest, as rows say it: `coming`, `no more` or `dispute`."""
    return {"still_coming": RESTS.get(word), "in_dispute": word == "dispute"}


@dataclass(frozen=True)
class ReceiveRow:
    """The units found of a shipment line, or (unpacked) of an instalment, in one lot and bin.

    Of a short rest it is said, on one of its rows, whether it is still coming, or is in dispute; and, of goods of a
    container, whether they are not in it, but with the supplier. Units beyond tolerance may be put on hold.

    Goods that belong to no order are of an `item` alone; they may stand for an ordered line (id).
    """

    shipment_line: int | None
    quantity: Decimal
    still_coming: bool | None = None
    lot: str = ""
    best_before: date | None = None
    bin: int | None = None
    instalment: int | None = None
    not_there: bool = False
    in_dispute: bool = False
    hold: bool = False
    # Damaged, or to be inspected: held apart.
    condition: str = ""
    sscc: str = ""
    # Which pallet of the receipt these units stand on, where it gets an SSCC of ours.
    pallet: int | None = None
    # The numbers of the units, where their item keeps them.
    serials: tuple[str, ...] = ()
    item: int | None = None
    stands_for: int | None = None
    # The line (id) of held goods that these are.
    tied_from: int | None = None
    # How its fields are called, where they are not called by its part.
    end: str = ""

    @property
    def part(self) -> str:
        """Which part it is a row of."""
        if self.item is not None:
            return f"u{self.item}"
        return f"i{self.instalment}" if self.shipment_line is None else str(self.shipment_line)

    @property
    def key(self) -> str:
        """Fields of pages end with it."""
        return self.end or self.part


@dataclass(frozen=True)
class Papers:
    """Further facts of a delivery, from its papers and its lorry; none of them is ever required."""

    supplier_bill: str = ""
    haulier: str = ""
    vehicle: str = ""
    seal: str = ""
    remark: str = ""


@dataclass(frozen=True)
class ReceiveRequest:
    """A receipt of one company's goods at one site: out of one container, or (without one) against its orders.

    Goods without an order are a `supplier`'s (id); where that needs a reason, it is said.
    """

    container: int | None
    site: int
    delivery_note: str
    occurred_on: date
    rows: tuple[ReceiveRow, ...]
    # A person was asked about what is missing, and goes on all the same.
    accept: bool = False
    supplier: int | None = None
    reason: str = ""
    papers: Papers = Papers()
    # A second person (id) who has just proved to be there, and lets pass what the receiver may not.
    approved_by: int | None = None
