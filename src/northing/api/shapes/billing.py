"""Shapes of suppliers' bills and of payments."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field, StringConstraints

from northing.api.shapes.common import NO_NUL, Day, Id, Number, Strict

Code = Annotated[str, StringConstraints(max_length=40, pattern=NO_NUL)]
Remark = Annotated[str, StringConstraints(max_length=120, pattern=NO_NUL)]


class BillLineIn(Strict):
    """Goods of an order line (`order`, and `line` by number or `item`), or a charge beside them (`kind`).

    The quantity is in the item's base unit, the price that of a pack of the order line.
    """

    order: Code = ""
    line: Code = ""
    item: Code = ""
    quantity: Number | None = None
    price: Number | None = None
    decision: Annotated[Literal["", "accept", "dispute"], Field(description="of a difference of price")] = ""
    kind: Code = ""
    amount: Number | None = None
    remark: Remark = ""
    case: Annotated[Id | None, Field(description="of a credit note: the case whose claim is credited")] = None


class TaxIn(Strict):
    """A tax line, by a code of the company."""

    code: Code
    amount: Number


class BillIn(Strict):
    """A supplier's bill for goods of our orders; or a credit note, of which a line has an amount only."""

    kind: Literal["bill", "credit"] = "bill"
    company: Code
    supplier: Code
    number: Code
    day: Day
    currency: Annotated[str, StringConstraints(min_length=3, max_length=3, pattern=r"^[A-Z]{3}$")]
    lines: Annotated[list[BillLineIn], Field(min_length=1, max_length=2_000)]
    tax: Number | None = None
    taxes: Annotated[list[TaxIn], Field(max_length=20, description="the tax line by line")] = []
    total: Number | None = None
    due_on: Day | None = None
    rate: Number | None = None
    accept: Annotated[bool, Field(description="answers what is asked, and accepts differences as cost")] = False


class BillOut(Schema):
    """A bill or credit note, and how far it is settled; amounts in its currency."""

    id: int
    kind: str
    number: str
    company: str
    party: str
    day: Day
    due_on: Day | None
    currency: str
    total: Number
    tax: Number
    advance: Number
    paid: Number
    discount: Number
    disputed: Number
    open: Number
    why_not_paid: str
    reversed: bool


class BillPage(Schema):
    """Bills, newest first."""

    items: list[BillOut]
    next: str | None


class OpenItemOut(Schema):
    """What is owed, claimed, accrued or paid in advance; debit is positive."""

    id: int
    company: str
    account: str
    party: str
    document_kind: str
    document: int
    currency: str
    amount: Number
    base: Number
    since: Day


class OpenItemPage(Schema):
    """Open items by id."""

    items: list[OpenItemOut]
    next: str | None


class PaymentPartIn(Strict):
    """What is paid of a bill, or in advance on an order; a credit note, and an advance with `set_off`, is set off."""

    bill: Id | None = None
    order: Id | None = None
    amount: Number
    discount: Number | None = None
    set_off: bool = False


class PaymentIn(Strict):
    """A payment to one party. `bank` is what left the account, `charges` what the bank took, in base currency."""

    company: Code
    party: Code
    day: Day
    currency: Annotated[str, StringConstraints(min_length=3, max_length=3, pattern=r"^[A-Z]{3}$")]
    parts: Annotated[list[PaymentPartIn], Field(min_length=1, max_length=5_000)]
    rate: Number | None = None
    bank: Number | None = None
    charges: Number | None = None
    withheld: Annotated[Number | None, Field(description="tax that is not paid to the party")] = None
    remark: Remark = ""


class PaymentOut(Schema):
    """A payment, below 0 what came back; `bank_amount` is in the currency of the account."""

    id: int
    company: str
    party: str
    day: Day
    currency: str
    amount: Number
    bank_currency: str
    bank_amount: Number
    charges: Number
    withheld: Number
    reversed: bool


class StatementRow(Schema):
    """A movement on what is owed to a party, and what is owed after it; `bill` is the bill or credit note."""

    day: Day
    text: str
    bill: int | None
    amount: Number
    owed: Number


class StatementOut(Schema):
    """What was owed to a party before a period, its movements, and what is owed at its end, in one currency."""

    party: str
    currency: str
    before: Number
    rows: list[StatementRow]
    after: Number


class PaymentPage(Schema):
    """Payments, newest first."""

    items: list[PaymentOut]
    next: str | None
