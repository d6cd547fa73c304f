"""Shapes of receipts."""

from typing import Annotated

from ninja import Schema
from pydantic import Field, StringConstraints

from northing.api.shapes.common import NO_NUL, Day, Id, Number, Strict

Code = Annotated[str, StringConstraints(max_length=40, pattern=NO_NUL)]


class ReceiptRowIn(Strict):
    """The units found of a shipment line, or (unpacked) of an instalment, in one lot and bin.

    Of a short rest one of its rows says whether it is still coming.
    """

    shipment_line: Id | None = None
    instalment: Id | None = None
    quantity: Number
    still_coming: bool | None = None
    lot: Code = ""
    best_before: Day | None = None
    bin: Code = ""


class ReceiptMade(Schema):
    """A receipt that was made, with our number of it."""

    id: int
    number: str


class ReceiptIn(Strict):
    """Goods taken in at a site under a delivery note: out of a container, or (without one) against orders."""

    site: Code
    delivery_note: Code
    received_on: Day
    container: Id | None = None
    accept: bool = Field(default=False, description="go on where a check asks, such as for a customs entry")
    emptied: bool = Field(
        default=False, description="the container is empty: what is still coming is with the supplier again"
    )
    rows: Annotated[list[ReceiptRowIn], Field(min_length=1, max_length=2_000)]
