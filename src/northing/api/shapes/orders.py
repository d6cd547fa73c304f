"""Shapes of orders and their lines."""

from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field, StringConstraints

from northing.api.shapes.common import NO_NUL, Address, Day, Mode, Number, Strict, Text, Word


class OrderLineIn(Strict):
    """A line: item code or GTIN, how many packs, price per pack (the agreed one when left out)."""

    item: Word
    quantity: Number
    pack: Annotated[str, StringConstraints(max_length=16, pattern=NO_NUL)] = ""
    price: Number | None = None
    discount: Number = Field(default=Decimal(0), description="a fraction of 1")
    need_by: Day | None = None


class OrderIn(Strict):
    """An order to be written as a draft. Terms that are left out are those kept for the supplier."""

    company: Word = Field(description="its code")
    site: Word = Field(description="its code")
    supplier: Word = Field(description="its code")
    need_by: Day | None = Field(default=None, description="the first day the goods can keep when left out")
    lines: Annotated[list[OrderLineIn], Field(min_length=1, max_length=1_000)]
    incoterm: Annotated[str, StringConstraints(max_length=3, pattern=NO_NUL)] = ""
    incoterm_place: Word = ""
    ours_from: Literal["pickup", "on_board", "arrival", "receipt"] | None = None
    mode: Mode | Literal[""] = ""
    reference: Word = ""
    supplier_reference: Word = ""
    remark: Text = ""
    answer_by: Day | None = None
    discount: Number = Field(default=Decimal(0), description="on the whole order, a fraction of 1")
    surcharge: Number = Field(default=Decimal(0), description="on the whole order, a fraction of 1")
    tax_rate: Number | None = Field(default=None, description="a fraction of 1; the supplier's when left out")
    buyer: Word = Field(default="", description="name of sign-in; the person who writes it when left out")
    order_to: Address = ""
    despatch_from: Address = ""
    deliver_to: Address = ""
    invoice_to: Address = ""


class LineChangeIn(Strict):
    """A line as it is to be; what is left out stays. Quantity in base units, price per pack."""

    number: Annotated[int, Field(ge=1, le=32_767)]
    quantity: Number | None = None
    price: Number | None = None
    discount: Number | None = None
    need_by: Day | None = None


class OrderChangeIn(Strict):
    """A change of an order; `version` is the one that was read, so that no one's change is overwritten unseen."""

    version: Annotated[int, Field(ge=0, le=2**31 - 1)]
    incoterm: Annotated[str, StringConstraints(max_length=3, pattern=NO_NUL)] | None = None
    incoterm_place: Word | None = None
    mode: Mode | None = None
    reference: Word | None = None
    supplier_reference: Word | None = None
    remark: Text | None = None
    answer_by: Day | None = None
    discount: Number | None = None
    surcharge: Number | None = None
    tax_rate: Number | None = None
    order_to: Address | None = None
    despatch_from: Address | None = None
    deliver_to: Address | None = None
    invoice_to: Address | None = None
    lines: Annotated[list[LineChangeIn], Field(max_length=1_000)] = []
    added: Annotated[list[OrderLineIn], Field(max_length=1_000)] = []


class InstalmentOut(Schema):
    """A dated part of a line."""

    id: int
    number: int
    quantity: Number
    agreed_quantity: Number
    asked_on: date
    first_promise: date | None
    promise: date | None
    expected_on: date | None
    price: Number
    position: dict[str, Number]


class OrderLineOut(Schema):
    """A line of an order with where its units are."""

    id: int
    number: int
    item: str
    quantity: Number
    pack: str
    pack_factor: Number
    price: Number
    discount: Number
    need_by: date
    instalments: list[InstalmentOut] = []


class OrderOut(Schema):
    """An order."""

    id: int
    number: str
    version: int
    stage: str
    revision: int
    company: str
    supplier: str
    site: str
    currency: str
    incoterm: str
    incoterm_place: str
    ours_from: str
    mode: str
    reference: str
    supplier_reference: str
    remark: str
    need_by: date
    answer_by: date | None
    buyer: str
    discount: Number
    surcharge: Number
    tax_rate: Number
    order_to: str
    despatch_from: str
    deliver_to: str
    invoice_to: str
    sent_at: datetime | None
    lines: list[OrderLineOut] = []


class Orders(Schema):
    """A page of orders, newest first, without their lines."""

    items: list[OrderOut]
    next: str | None = None


class LineOut(Schema):
    """A line as the line book shows it: every quantity, date and whose move it is."""

    id: int
    order: int
    order_number: str
    number: int
    item: str
    description: str
    unit: str
    supplier: str
    company: str
    site: str
    currency: str
    position: dict[str, Number]
    agreed: Number
    received: Number
    outstanding: Number
    billed: Number
    unbilled: Number
    value: Number
    requested_on: date
    first_promise: date | None
    promise: date | None
    expected_on: date | None
    need_by: date
    move: str
    reason: str
    since: date | None
    due: date | None


class Lines(Schema):
    """A page of lines; `unknown` are phrases of the sentence that nothing is called."""

    items: list[LineOut]
    next: str | None = None
    unknown: list[str] = []
