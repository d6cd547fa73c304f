"""What goes in and out: exact numbers as strings, days as 2026-11-24, ids as they are in addresses."""

from datetime import date, datetime
from decimal import Decimal
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import ConfigDict, Field, PlainSerializer, StringConstraints, WithJsonSchema

from northing.core.money.exact import plain

# PostgreSQL's text holds no NUL; a text with one is refused before it gets there.
NO_NUL = r"^[^\x00]*$"
Id = Annotated[int, Field(ge=1, le=2**63 - 1)]
Word = Annotated[str, StringConstraints(max_length=60, pattern=NO_NUL)]
Text = Annotated[str, StringConstraints(max_length=500, pattern=NO_NUL)]
Address = Annotated[str, StringConstraints(max_length=400, pattern=NO_NUL)]
Long = Annotated[str, StringConstraints(max_length=1_000, pattern=NO_NUL)]
_NUMBER = {"type": "string", "pattern": r"^-?[0-9]{1,15}(\.[0-9]{1,10})?$", "examples": ["18.40"]}
Number = Annotated[
    Decimal,
    Field(max_digits=25, decimal_places=10, allow_inf_nan=False, gt=-(10**12), lt=10**12),
    PlainSerializer(plain, return_type=str),
    WithJsonSchema(_NUMBER),
]
Day = Annotated[date, Field(examples=["2027-02-10"])]
Mode = Literal["sea", "air", "road", "rail"]


class Strict(Schema):
    """What is sent to us: a name that is not known is refused, so that no wish is silently dropped."""

    model_config = ConfigDict(extra="forbid")


class Fault(Schema):
    """One thing that is wrong: what, where, how to mend it."""

    what: str
    where: str = ""
    mend: str = ""


class ProblemDetails(Schema):
    """An error after RFC 9457."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str = ""
    problems: list[Fault] = []


class Supplier(Schema):
    """Somebody we order from; the tax rate is a fraction of 1."""

    id: int
    code: str
    name: str
    currency: str
    country: str
    city: str
    email: str
    passage_days: int
    tax_rate: Number
    order_address: str
    despatch_address: str
    return_address: str
    remit_address: str


class SupplierIn(Strict):
    """A supplier as it is to be, by its code; what is left out stays, or is what a new one usually has."""

    code: Annotated[str, StringConstraints(min_length=1, max_length=16, pattern=NO_NUL)]
    name: Long | None = None
    currency: Word | None = None
    country: Word | None = None
    city: Word | None = None
    port: Word | None = Field(default=None, description="its UN/LOCODE")
    email: Text | None = None
    passage_days: Annotated[int, Field(ge=0, le=400)] | None = None
    tax_rate: Number | None = Field(default=None, description="a fraction of 1")
    order_address: Address | None = None
    despatch_address: Address | None = None
    return_address: Address | None = None
    remit_address: Address | None = None


class Suppliers(Schema):
    """A page of suppliers."""

    items: list[Supplier]
    next: str | None = None


class PackOut(Schema):
    """A packaging level: how many base units, and its GTIN."""

    name: str
    factor: Number
    gtin: str | None


class ItemOut(Schema):
    """Something bought."""

    id: int
    code: str
    description: str
    group: str
    unit: str
    decimals: int
    weight_kg: Number
    volume_m3: Number
    hs_code: str
    origin: str
    duty_rate: Number
    keeps_lot: bool
    keeps_best_before: bool
    inspected: bool
    packs: list[PackOut]


class PackIn(Strict):
    """A packaging level as it is to be."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=16, pattern=NO_NUL)]
    factor: Number
    gtin: Word = ""


class ItemIn(Strict):
    """An item as it is to be, by its code; what is left out stays, or is what a new one usually has."""

    code: Annotated[str, StringConstraints(min_length=1, max_length=32, pattern=NO_NUL)]
    description: Long | None = None
    group: Word | None = None
    unit: Word | None = None
    decimals: Annotated[int, Field(ge=0, le=6)] | None = None
    weight_kg: Number | None = None
    volume_m3: Number | None = None
    hs_code: Word | None = None
    origin: Word | None = None
    duty_rate: Number | None = Field(default=None, description="a fraction of 1")
    keeps_lot: bool | None = None
    keeps_best_before: bool | None = None
    inspected: bool | None = None
    packs: Annotated[list[PackIn], Field(max_length=20)] = []


class Items(Schema):
    """A page of items."""

    items: list[ItemOut]
    next: str | None = None


class AgreementOut(Schema):
    """A price step: per base unit, from a day and a quantity on."""

    id: int
    supplier: int
    item: str
    supplier_code: str
    price: Number
    currency: str
    valid_from: date
    from_quantity: Number
    minimum: Number
    multiple: Number
    lead_days: int


class Agreements(Schema):
    """A page of price steps."""

    items: list[AgreementOut]
    next: str | None = None


class AgreementIn(Strict):
    """A price step as it is to be; one of the same item, day and quantity is replaced."""

    supplier: Id
    item: Word
    price: Number
    valid_from: Day
    supplier_code: Annotated[str, StringConstraints(max_length=32, pattern=NO_NUL)] = ""
    from_quantity: Number = Decimal(0)
    minimum: Number = Decimal(0)
    multiple: Number = Decimal(0)
    lead_days: Annotated[int, Field(ge=0, le=999)] = 30


class OrderLineIn(Strict):
    """A line: item code or GTIN, how many packs, price per pack (the agreed one when left out)."""

    item: Word
    quantity: Number
    pack: Annotated[str, StringConstraints(max_length=16, pattern=NO_NUL)] = ""
    price: Number | None = None
    discount: Number = Field(default=Decimal(0), description="a fraction of 1")
    need_by: Day | None = None


class OrderIn(Strict):
    """An order to be written as a draft."""

    company: Word = Field(description="its code")
    site: Word = Field(description="its code")
    supplier: Word = Field(description="its code")
    need_by: Day
    lines: Annotated[list[OrderLineIn], Field(min_length=1, max_length=1_000)]
    incoterm: Annotated[str, StringConstraints(max_length=3, pattern=NO_NUL)] = "FOB"
    incoterm_place: Word = ""
    ours_from: Literal["pickup", "on_board", "arrival", "receipt"] | None = None
    mode: Mode = "sea"
    reference: Word = ""
    supplier_reference: Word = ""
    remark: Text = ""
    answer_by: Day | None = None
    discount: Number = Field(default=Decimal(0), description="on the whole order, a fraction of 1")
    surcharge: Number = Field(default=Decimal(0), description="on the whole order, a fraction of 1")
    tax_rate: Number | None = Field(default=None, description="a fraction of 1; the supplier's when left out")
    buyer: Word = Field(default="", description="name of sign-in; whoever writes it when left out")
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
    """A change of an order; `version` is the one that was read, so that nobody's change is overwritten unseen."""

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


class ConfirmationOut(Schema):
    """What a supplier answered of an instalment, beside what was asked."""

    id: int
    order: int
    line: int
    instalment: int
    reference: str
    quantity: Number
    ready_on: date
    price: Number
    asked_quantity: Number
    asked_on: date
    asked_price: Number
    remark: str
    answered_on: date
    outcome: str


class Confirmations(Schema):
    """A page of answers, newest first."""

    items: list[ConfirmationOut]
    next: str | None = None


class ConfirmationRowIn(Strict):
    """What is answered of one instalment: quantity in base units, price per pack."""

    instalment: Id
    quantity: Number
    ready_on: Day
    price: Number
    remark: Text = ""


class ConfirmationIn(Strict):
    """A supplier's answer to an order."""

    order: Id
    reference: Word = ""
    answered_on: Day
    rows: Annotated[list[ConfirmationRowIn], Field(min_length=1, max_length=1_000)]


class DecisionIn(Strict):
    """Our answer to theirs; a counter names a day, or what was asked before stands again."""

    decision: Literal["accept", "refuse", "counter"]
    counter_on: Day | None = None


class DocumentOut(Schema):
    """A document on an order."""

    id: int
    name: str
    media_type: str
    size: int
    sha256: str
    shared: bool
    added_at: datetime


class Documents(Schema):
    """The documents of an order."""

    items: list[DocumentOut]


class ChangeOut(Schema):
    """An entry of the story: what was done, by whom, to which records."""

    id: int
    at: datetime
    action: str
    actor: str
    channel: str
    text: str
    changes: list[dict[str, str]]
    records: list[str]


class Changes(Schema):
    """What was done since; `next` is where to go on, also when there is nothing yet."""

    items: list[ChangeOut]
    next: str


class Made(Schema):
    """What an action made or changed."""

    id: int


class EventsIn(Strict):
    """Events as a carrier says them, and who says them."""

    source: Annotated[str, StringConstraints(min_length=1, max_length=60, pattern=NO_NUL)]
    events: Annotated[list[dict[str, Any]], Field(max_length=2_000)]


class EventsOut(Schema):
    """How many events were new or known, what became of the new ones, and what could not be read."""

    new: int
    known: int
    tied: int
    noted: int
    waits: int
    wrong: list[str]
