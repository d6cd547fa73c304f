"""Shapes of stock: what lies where, its movements, counts, putaway, and goods between sites."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from northing.api.shapes.common import Day, Id, Number, Strict
from northing.api.shapes.receiving import Code, Words

Serials = Annotated[list[Code], Field(max_length=5_000, description="numbers, or ranges as K-1..K-9")]


class Stock(Schema):
    """Units of an item in a bin and state, of one layer."""

    id: int
    item: str
    site: str
    bin: str
    status: str
    lot: str
    best_before: Day | None
    quantity: Number
    layer: int
    serials: list[str]


class StockPage(Schema):
    """A page of stock."""

    items: list[Stock]
    next: str | None


class StockMovement(Schema):
    """Units that went from a bin and state to another; without `source` they came in, without `target` they left."""

    id: int
    item: str
    layer: int
    source: str | None
    source_status: str
    target: str | None
    target_status: str
    quantity: Number
    serials: list[str]
    occurred_on: Day
    action: str


class StockMovements(Schema):
    """A page of stock movements."""

    items: list[StockMovement]
    next: str | None


class CountIn(Strict):
    """The count of an item in a bin, and why it differs."""

    site: Code
    bin: Code
    item: Code
    lot: Code = ""
    counted: Number
    serials: Annotated[list[Code], Field(max_length=5_000)] = []
    reason: Words
    occurred_on: Day


class Made(Schema):
    """What was made."""

    id: int


class Proposed(Schema):
    """A bin in which units are best put, and why."""

    bin: str
    quantity: Number
    why: str


class Task(Schema):
    """Goods that wait to be put away, and the bins in which they are best put."""

    item: str
    layer: int
    bin: str
    status: str
    quantity: Number
    lot: str
    since: Day
    receipt: str | None
    sscc: str
    proposed: list[Proposed]


class Tasks(Schema):
    """The oldest goods that wait to be put away at a site, in the order of bins; `waiting` are all of them."""

    waiting: int
    items: list[Task]


class MoveRowIn(Strict):
    """Units of a layer that lie in a bin and state, and the bin they go to; why, where another suits better."""

    layer: Id
    bin: Code
    status: Literal["in_store", "held", "rejected"] = "in_store"
    quantity: Number
    to: Code
    reason: Words = ""
    serials: Serials = []


class MovesIn(Strict):
    """Moves at a site that are made together, or not at all."""

    site: Code
    rows: Annotated[list[MoveRowIn], Field(min_length=1, max_length=500)]


class UndoIn(Strict):
    """Why something is undone."""

    reason: Words


class SentRowIn(Strict):
    """Units of a layer that lie in a bin and state, and are sent to another site."""

    layer: Id
    bin: Code
    status: Literal["in_store", "held", "rejected"] = "in_store"
    quantity: Number
    serials: Serials = []


class TransferIn(Strict):
    """Goods that one site sends to another of its company."""

    site: Code
    to: Code
    sent_on: Day
    reference: Code = ""
    rows: Annotated[list[SentRowIn], Field(min_length=1, max_length=500)]


class TransferLine(Schema):
    """Units of a layer that are on their way from one site to another."""

    id: int
    transfer: int
    source: str
    target: str
    item: str
    layer: int
    quantity: Number
    on_way: Number
    sent_on: Day


class TransferLines(Schema):
    """A page of what is on its way."""

    items: list[TransferLine]
    next: str | None


class ArrivedRowIn(Strict):
    """Units of a line of a transfer, and the bin they are put into; without one it is the dock's."""

    line: Id
    quantity: Number
    bin: Code = ""
    serials: Serials = []


class ArrivalIn(Strict):
    """Units of a transfer that arrived; with `back`, units that came back into the bins they left."""

    rows: Annotated[list[ArrivedRowIn], Field(min_length=1, max_length=500)]
    back: bool = False
