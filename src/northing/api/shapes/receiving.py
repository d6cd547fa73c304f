"""Shapes of receipts, and of what becomes of goods without an order."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field, StringConstraints

from northing.api.shapes.common import NO_NUL, Day, Id, Number, Strict

Code = Annotated[str, StringConstraints(max_length=40, pattern=NO_NUL)]
Words = Annotated[str, StringConstraints(max_length=200, pattern=NO_NUL)]


class ReceiptRowIn(Strict):
    """The units found of a shipment line, or (unpacked) of an instalment, in one lot and bin; or of an `item` that is
    not ordered there.

    Of a short rest one of its rows says whether it is still coming, or is in dispute.
    """

    shipment_line: Id | None = None
    instalment: Id | None = None
    item: Code = ""
    stands_for: Annotated[Id | None, Field(description="the order line that another item came instead of")] = None
    quantity: Number
    still_coming: bool | None = None
    in_dispute: bool = False
    hold: Annotated[bool, Field(description="hold what is beyond tolerance")] = False
    lot: Code = ""
    best_before: Day | None = None
    serials: Annotated[list[Code], Field(max_length=5_000, description="numbers, or ranges as K-1..K-9")] = []
    sscc: Code = ""
    condition: Literal["", "damaged", "inspect"] = ""
    bin: Code = ""


class ScanIn(Strict):
    """The text that a scanner read, and how many identical pallets stand there."""

    scan: Words
    times: Annotated[int, Field(ge=1, le=999)] = 1


class ReceiptMade(Schema):
    """A receipt that was made, with our number of it and the SSCCs of its pallets."""

    id: int
    number: str
    sscc: list[str] = []


class ReceiptIn(Strict):
    """Goods taken in at a site under a delivery note: out of a container, against orders, or of a supplier without one.

    The goods are listed in rows, or as scans; those are of the `container` or `order`, if one is named.
    """

    site: Code
    delivery_note: Code
    received_on: Day
    container: Id | None = None
    order: Id | None = None
    supplier: Code = ""
    reason: Annotated[Words, Field(description="why there is no order")] = ""
    accept: bool = Field(default=False, description="go on where a check asks, such as for a customs entry")
    emptied: bool = Field(
        default=False, description="the container is empty: what is still coming is with the supplier again"
    )
    supplier_bill: Code = ""
    haulier: Words = ""
    vehicle: Code = ""
    seal: Code = ""
    remark: Words = ""
    rows: Annotated[list[ReceiptRowIn], Field(max_length=2_000)] = []
    scans: Annotated[list[ScanIn], Field(max_length=500)] = []
    scans_rest: Annotated[
        Literal["coming", "no more", "dispute"], Field(description="what scans leave open of what was expected")
    ] = "coming"


class TieIn(Strict):
    """Held goods of a receipt are those of an order line; all of its item, unless a quantity is said."""

    order_line: Id
    quantity: Number | None = None
    occurred_on: Day
    accept: bool = False


class ShortAnswerIn(Strict):
    """Whether no more comes of what was short beyond tolerance."""

    no_more: bool
