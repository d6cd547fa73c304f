"""The shapes of a scenario file. Numbers are read exactly as written; an unknown field is refused."""

from datetime import date
from decimal import Decimal
from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, TypeAdapter, ValidationError

from northing.scenarios.world_shapes import Code, Id, Moment, NotScenario, Number, Shape, WorldShape

__all__ = ["NotScenario", "Shape", "WorldShape"]


# Each is a number, or a range such as KT-098..KT-101.
Serials = list[str]


class DatedPart(Shape):
    """A part of a line that is to be ready on a day, at its own price where we agree to one."""

    quantity: Number
    ready: date
    price: Number | None = None


class LineShape(Shape):
    """A line of an order; the price is per base unit. Its parts, where it has some, are called `PO1/1.1`, `PO1/1.2`."""

    item: Code
    quantity: Number
    price: Number
    parts: list[DatedPart] = []


class Dated(Shape):
    """An action on a day; its day is also the day on which it is done."""

    day: date
    id: Id = ""


class Order(Dated):
    """Write, check, approve and send an order, and record the supplier's answer as asked; `stop` ends it earlier."""

    do: Literal["order"]
    id: Id
    company: Code
    supplier: Code
    site: Code
    incoterm: str = "FOB"
    ours_from: Moment | None = None
    need_by: date | None = None
    lines: list[LineShape]
    stop: Literal["", "draft", "checked", "approved", "sent"] = ""


class Stop(Dated):
    """Cancel an order or lines of it (by number), or order again what was cancelled."""

    do: Literal["cancel", "reopen"]
    order: Id
    lines: list[int] = []


class PartShape(Shape):
    """A quantity of a line, in a container by any name."""

    line: Id
    quantity: Number
    container: Id = "1"


class Ship(Dated):
    """Pack parts of lines into containers of a new shipment."""

    do: Literal["ship"]
    id: Id
    parts: list[PartShape]
    departs: date | None = None
    arrives: date | None = None
    dock: date | None = None


class Happened(Dated):
    """A shipment departed, or arrived, on that day."""

    do: Literal["depart", "arrive"]
    shipment: Id
    accept: bool = False


class Scope(Shape):
    """The scope of a charge."""

    shipments: list[Id] = []
    containers: list[Id] = []
    lines: list[Id] = []
    orders: list[Id] = []


class HandShare(Shape):
    """What a line bears, of a container of it (`SH1 2`) or as a whole; in base currency."""

    line: Id
    container: Id = ""
    amount: Number


class ChargeAction(Dated):
    """A charge: with a number it is billed, without one it is an estimate; `estimate` is what the bill replaces.

    With `shares` it is spread by hand.
    """

    do: Literal["charge"]
    id: Id
    company: Code = ""
    payee: Code = ""
    kind: str = ""
    basis: str = ""
    amount: Number
    currency: Code = ""
    over: Scope | None = None
    number: str = ""
    estimate: Id = ""
    remark: str = ""
    shares: list[HandShare] = []


class BillLineShape(Shape):
    """A line of a bill: of an estimate, of a charge of its own, or of goods of an order line.

    `final` says whether more of an estimate will come. Goods have a quantity and a price; a `decision` is about a
    difference of that price.
    """

    charge: Id = ""
    kind: str = ""
    basis: str = ""
    amount: Number | None = None
    over: Scope | None = None
    final: bool = True
    line: Id = ""
    quantity: Number | None = None
    price: Number | None = None
    decision: Literal["", "accept", "dispute"] = ""
    case: Id = ""
    # Of a bill: the line is a cost of the case, and goes into the cost of its goods, into its claim, or is a loss.
    into: Literal["", "goods", "claim", "loss"] = ""


class TaxShape(Shape):
    """A tax line of a bill, by a code of its company."""

    code: Code
    amount: Number


class BillAction(Dated):
    """A bill, or a credit note, with its lines.

    A credit note for one line or case may name it with the amount instead, and leave out supplier and company.
    """

    do: Literal["bill", "credit"]
    id: Id
    supplier: Code = ""
    provider: Code = ""
    office: Code = ""
    company: Code = ""
    number: str
    currency: Code = ""
    lines: list[BillLineShape] = []
    line: Id = ""
    case: Id = ""
    amount: Number | None = None
    tax: Number = Decimal(0)
    taxes: list[TaxShape] = []
    total: Number | None = None
    due: date | None = None
    rate: Number | None = None
    accept: bool = False


class KeepBill(Dated):
    """A supplier's bill is not booked: it waits for its goods, or goes back for a reason; or the supplier sends it."""

    do: Literal["keep bill"]
    supplier: Code
    company: Code
    number: str
    currency: Code = ""
    lines: list[BillLineShape] = []
    total: Number | None = None
    back: str = ""
    by_supplier: bool = False


class DropBill(Dated):
    """A bill that is kept is not to be booked."""

    do: Literal["drop bill"]
    bill: Id
    reason: str = "entered twice"


class Approve(Dated):
    """A second person approves a bill for payment, or a payment, which is made by that."""

    do: Literal["approve"]
    what: Id


class DropPayment(Dated):
    """A payment that waits for a second person is not made."""

    do: Literal["drop payment"]
    payment: Id
    reason: str = "not now"


class Block(Dated):
    """A bill is not paid for now, for a reason; without one it may be paid again."""

    do: Literal["block"]
    bill: Id
    reason: str = ""


class EndDispute(Dated):
    """What is in dispute of a bill is accepted."""

    do: Literal["end dispute"]
    bill: Id


class Deposit(Dated):
    """Pay an amount in advance on an order."""

    do: Literal["deposit"]
    order: Id
    amount: Number
    rate: Number | None = None
    bank: Number | None = None


class PaidBill(Shape):
    """How much is paid of a bill; left out: what is open of it."""

    id: Id
    amount: Number | None = None


class UsedAdvance(Shape):
    """How much is set off, or comes back, of an advance on an order; left out: what is open of it."""

    order: Id
    amount: Number | None = None


class Pay(Dated):
    """Pay bills, or parts of them, less credit notes and advances.

    `discount` is off them and not paid, `withheld` is not paid to the party; `bank` is what left the account, in base.
    """

    do: Literal["pay"]
    bills: Annotated[list[PaidBill], Field(min_length=1)]
    credits: list[PaidBill] = []
    advances: list[UsedAdvance] = []
    rate: Number | None = None
    bank: Number | None = None
    discount: Number = Decimal(0)
    charges: Number = Decimal(0)
    withheld: Number = Decimal(0)


class Offset(Dated):
    """Settle bills by credit notes and advances; no money moves."""

    do: Literal["offset"]
    bills: Annotated[list[PaidBill], Field(min_length=1)]
    credits: list[PaidBill] = []
    advances: list[UsedAdvance] = []
    rate: None = None


class Refund(Dated):
    """Money of credit notes and advances comes back; `bank` is what reached the account, in base."""

    do: Literal["refund"]
    credits: list[PaidBill] = []
    advances: list[UsedAdvance] = []
    rate: Number | None = None
    bank: Number | None = None
    charges: Number = Decimal(0)


class SettleBetween(Dated):
    """Two companies settle what they owe each other in a currency; a rate for each, unless the table says it."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
    do: Literal["settle between"]
    first: Code
    second: Code
    currency: Code
    first_rate: Number | None = None
    second_rate: Number | None = None


class Close(Dated):
    """Close the books of a company (of all of them, without one) through a day."""

    do: Literal["close"]
    company: Code = ""
    through: date


class EndEstimate(Dated):
    """An estimate will not be billed."""

    do: Literal["end", "estimate end"]
    charge: Id
    reason: str = "no bill will come"


class SpreadAnew(Dated):
    """A charge is spread by another basis; or by hand, with the shares of all that bears it."""

    do: Literal["spread"]
    charge: Id
    basis: str = "by_hand"
    shares: list[HandShare] = []


class TakeCards(Dated):
    """What rate cards say of a shipment is estimated for a company.

    The charges are named by `id` and kind: "T1/freight".
    """

    do: Literal["take cards"]
    id: Id = ""
    shipment: Id
    company: Code


class TheirFigures(Shape):
    """What the office asks: duty of the groups in their order (of all, where duty is by line), and import tax."""

    duty: list[Number | None] = []
    tax: Number | None = None
    reason: str = ""


class IncludedShape(Shape):
    """What of an order's price for the goods is freight and insurance, in its currency; under `fob` it is deducted."""

    order: Id
    freight: Number = Decimal(0)
    insurance: Number = Decimal(0)


class Customs(Dated):
    """Book a customs entry as computed, or as the office reckons.

    It is over all of the company in the shipment, in some containers, or of receipts that came unpacked; a correction
    that names none of them is over the goods of the entry whose place it takes.
    """

    do: Literal["customs"]
    id: Id = ""
    shipment: Id = ""
    containers: list[Id] = []
    receipts: list[Id] = []
    company: Code
    office: Code
    number: str
    corrects: Id = ""
    their: TheirFigures | None = None
    included: list[IncludedShape] = []
    rates: dict[Code, Number] = {}


class PayOffice(Dated):
    """What a customs entry, and those before it, owe to the office is paid."""

    do: Literal["pay office"]
    id: Id = ""
    entry: Id


class Released(Dated):
    """Customs releases the goods of an entry; or of all that a company's entries declare of a shipment."""

    do: Literal["release"]
    id: Id = ""
    entry: Id = ""
    shipment: Id = ""
    company: Code = ""


class Proof(Dated):
    """A paper proves the origin of goods, by the name that the tariff gives it.

    They are a company's in a shipment, or what came unpacked with receipts.
    """

    do: Literal["proof"]
    id: Id = ""
    shipment: Id = ""
    receipts: list[Id] = []
    company: Code
    name: str
    number: str
    dated: date
    until: date | None = None


class RowShape(Shape):
    """The units found of a line; a short rest says whether it is coming, what is over whether it is held.

    Another item than ordered names its `item`; its `line` is the one it stands in for.
    """

    line: Id = ""
    item: Code = ""
    quantity: Number
    rest: Literal["", "coming", "no more", "dispute"] = ""
    over: Literal["", "hold"] = ""
    condition: Literal["", "damaged", "inspect"] = ""
    lot: str = ""
    best_before: date | None = None
    sscc: str = ""
    serials: Serials = []
    bin: Code | None = None


class ScanShape(Shape):
    """A scan, and how many identical pallets stand there."""

    scan: str
    times: Annotated[int, Field(ge=1, le=999)] = 1


class Receive(Dated):
    """Receive goods from a shipment, one container of it, unpacked against an order, or without one from a supplier.

    Rows say what was counted, or scans do, as the dock page reads them.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
    do: Literal["receive"]
    id: Id
    site: Code
    note: str
    source: Id = Field(default="", alias="from")
    supplier: Code = ""
    reason: str = ""
    container: Id = ""
    rows: list[RowShape] = []
    scans: list[str | ScanShape] = []
    rest: Literal["coming", "no more", "dispute"] = "coming"
    emptied: bool = False
    accept: bool = False


class ToldShape(RowShape):
    """A row of a warehouse's receipt: of a line, or of an item; out of a container (`SH1 2`), or unpacked."""

    container: Id = ""
    supplier: Code = ""
    note: str = ""


class TakeTold(Dated):
    """A contract warehouse tells what it took in, under its own number: read, and taken as receipts."""

    do: Literal["told"]
    id: Id
    site: Code
    number: str
    rows: list[ToldShape]
    rest: Literal["", "coming", "no more", "dispute"] = ""
    leave_out: bool = False
    reason: str = ""
    accept: bool = False


class Correct(Dated):
    """A quantity of a receipt was counted wrongly: the receipt is reversed and received again."""

    do: Literal["correct"]
    receipt: Id
    line: Id
    quantity: Number
    rest: Literal["coming", "no more"] = "coming"
    reason: str = "counted wrongly"
    serials: Serials = []


class Tie(Dated):
    """Goods of a receipt that belong to no order are those of an order line."""

    do: Literal["tie"]
    receipt: Id
    line: Id
    quantity: Number | None = None
    accept: bool = False


class EndHeld(Dated):
    """Goods of a receipt that belong to no order went back, or are kept free of charge; units of a `case` are kept.

    Of those `reduced` of their price is to be credited.
    """

    do: Literal["send back", "keep"]
    case: Id = ""
    receipt: Id = ""
    item: Code = ""
    quantity: Number
    reference: str = ""
    reason: str = "as decided"
    serials: Serials = []
    reduced: Number = Decimal(0)


class AnswerShort(Dated):
    """The buyer answers what is short beyond tolerance of a line of a receipt."""

    do: Literal["answer short"]
    receipt: Id
    line: Id
    rest: Literal["coming", "no more"]


class Adjust(Dated):
    """Goods in a bin were counted; the books follow."""

    do: Literal["adjust"]
    site: Code
    item: Code
    bin: Code
    counted: Number
    lot: str = ""
    reason: str
    serials: Serials = []


class Issue(Dated):
    """Issue stock, the oldest first."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
    do: Literal["issue"]
    site: Code
    item: Code
    quantity: Number
    purpose: str = Field(alias="for")
    serials: Serials = []


class Inspect(Dated):
    """A verdict on held goods of a line of a receipt; what fails opens the case `id`.

    Of a lot with a plan the sample is as large as that asks for, and what failed was found in it, as major defects;
    unless it says otherwise. A `sample` of 0: all was looked at. With `plan` the result says the plan.
    """

    do: Literal["inspect"]
    receipt: Id
    line: Id
    passed: Number
    failed: Number = Decimal(0)
    reason: str = ""
    serials: Serials = []
    sample: int | None = None
    critical: int = 0
    major: int | None = None
    minor: int = 0
    overruled: str = ""
    plan: bool = False


class SetAside(Dated):
    """A case is opened by hand, for goods of a line of a receipt: units in store that are not right, or (with a `kind`)
    an amount, in the order's currency, that is owed for them.
    """

    do: Literal["case"]
    receipt: Id
    line: Id
    quantity: Number = Decimal(0)
    kind: Literal["", "late", "price", "other"] = ""
    amount: Number = Decimal(0)
    reason: str
    serials: Serials = []
    # Of units that were issued: the issue out of which they come back.
    issue: Id = ""


class Return(Dated):
    """Units of a case go back under the supplier's reference; or goods of a receipt or an order, all or of one line.

    `prepared`, they stay until the return is despatched.
    """

    do: Literal["return"]
    case: Id = ""
    receipt: Id = ""
    line: Id = ""
    prepared: bool = False
    order: Id = ""
    quantity: Number = Decimal(0)
    reference: str
    reason: str = "returned"
    serials: Serials = []


class Despatch(Dated):
    """A prepared return leaves."""

    do: Literal["despatch return"]
    what: Id
    haulier: str = ""


class Divide(Dated):
    """Units of a case become a case of their own."""

    do: Literal["divide"]
    case: Id
    quantity: Number
    reason: str = "another defect"


class Join(Dated):
    """Units of a case go on in another case of the same goods."""

    do: Literal["join"]
    case: Id
    into: Id


class Scrap(Dated):
    """Units of a case are scrapped; their price is claimed or not."""

    do: Literal["scrap"]
    case: Id
    quantity: Number
    claimed: bool = True
    reason: str = "as decided"
    serials: Serials = []


class Rework(Dated):
    """Units of a case were put right and go into store."""

    do: Literal["rework"]
    case: Id
    quantity: Number
    reason: str = "as decided"
    serials: Serials = []


class Authorise(Dated):
    """The supplier takes back units of a case under its reference, for a credit note or for a replacement."""

    do: Literal["authorise"]
    case: Id
    quantity: Number
    reference: str
    owed: Literal["credit", "replacement"] = "credit"


class Replaced(Shape):
    """Units of a case that are ordered anew; all that are owed, where it is not said."""

    case: Id
    quantity: Number | None = None


class MakeGood(Dated):
    """Replacements that are owed are ordered, at the price of the failed goods or at none; `stop` as of an order."""

    do: Literal["make good"]
    id: Id
    cases: list[Replaced] = Field(min_length=1)
    priced: bool = True
    stop: Literal["", "draft", "checked", "approved", "sent"] = ""


class CreditInstead(Dated):
    """The supplier credits the units of an authorisation that are not ordered anew; done again, it replaces them."""

    do: Literal["credit instead"]
    authorisation: Id


class EndMissing(Dated):
    """Missing units of a case (of a line, where the receipt missed several) are here after all, lost, or never came."""

    do: Literal["find", "lose", "never supplied"]
    case: Id
    line: Id = ""
    quantity: Number
    reason: str = "as decided"
    serials: Serials = []
    # Of what is found, where the item keeps lots.
    lot: str = ""


class Turn(Dated):
    """What is claimed of a case is claimed from another party."""

    do: Literal["turn"]
    case: Id
    line: Id = ""
    party: Code
    reason: str = "as decided"


class ClaimMoney(Dated):
    """An amount is claimed beyond the price, paid, or given up; without one all that is open of it."""

    do: Literal["claim", "claim paid", "give up"]
    case: Id
    line: Id = ""
    party: Code = ""
    currency: Code = ""
    amount: Number | None = None
    rate: Number | None = None
    bank: Number | None = None
    reason: str = "as decided"


class Reverse(Dated):
    """Undo the action of that id."""

    do: Literal["reverse"]
    what: Id
    reason: str = "entered by mistake"


class Move(Dated):
    """Goods in store go to another bin, also of another site of the company."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
    do: Literal["move"]
    item: Code
    source: list[Code] = Field(alias="from", min_length=2, max_length=2)
    target: list[Code] = Field(alias="to", min_length=2, max_length=2)
    quantity: Number
    line: str = ""
    lot: str = ""
    serials: Serials = []


class PutAway(Dated):
    """Goods that lie at the dock of a site go into a bin of it; the oldest first."""

    do: Literal["put away"]
    item: Code
    site: Code
    bin: Code
    quantity: Number
    lot: str = ""
    reason: str = ""
    serials: Serials = []


class Send(Dated):
    """Goods in a bin are sent to another site of the company."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
    do: Literal["send"]
    item: Code
    source: list[Code] = Field(alias="from", min_length=2, max_length=2)
    target: Code = Field(alias="to")
    quantity: Number
    lot: str = ""
    reference: str = ""
    serials: Serials = []


class ComeIn(Dated):
    """Units that were sent arrive in a bin (its dock's, where none is said), or come back."""

    do: Literal["come in"]
    sent: Id
    quantity: Number
    bin: str = ""
    back: bool = False
    serials: Serials = []


class StockShape(Shape):
    """Goods on hand at the beginning, with their value in base currency."""

    item: Code
    site: Code
    quantity: Number
    value: Number


class Open(Dated):
    """A company begins with goods on hand."""

    do: Literal["open"]
    stock: list[StockShape]


Action = Annotated[
    Order
    | Stop
    | Ship
    | Happened
    | ChargeAction
    | BillAction
    | KeepBill
    | DropBill
    | Approve
    | DropPayment
    | Block
    | EndDispute
    | Deposit
    | Pay
    | Offset
    | Refund
    | SettleBetween
    | Close
    | EndEstimate
    | Customs
    | Proof
    | PayOffice
    | TakeCards
    | SpreadAnew
    | Released
    | Receive
    | TakeTold
    | Correct
    | Tie
    | EndHeld
    | AnswerShort
    | Adjust
    | Issue
    | Inspect
    | Return
    | SetAside
    | Scrap
    | Despatch
    | Divide
    | Join
    | Rework
    | Authorise
    | EndMissing
    | MakeGood
    | CreditInstead
    | Turn
    | ClaimMoney
    | Reverse
    | Move
    | PutAway
    | Send
    | ComeIn
    | Open,
    Field(discriminator="do"),
]


class Scenario(Shape):
    """A file: a world, actions in it, and what must come out."""

    world: WorldShape
    actions: list[Action]
    expect: dict[str, Any] = {}


_ADAPTER = TypeAdapter(Scenario)


def read_scenario(found: Any) -> Scenario:
    """The scenario that parsed JSON says. Raises NotScenario with the first field that is wrong."""
    try:
        return _ADAPTER.validate_python(found)
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        where = ".".join(str(part) for part in first["loc"]) or "file"
        raise NotScenario(f"{where}: {first['msg']}") from None
