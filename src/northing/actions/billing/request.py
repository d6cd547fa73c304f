"""A bill or credit note as it is entered."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.actions.costing.charges import ChargeRequest
from northing.actions.costing.scope import Scope
from northing.actions.costing.spread import Share
from northing.billing.models import Bill


@dataclass(frozen=True)
class BillLineRequest:
    """An amount as on the paper: of an expected charge (its id), or of a new one, with its kind, basis and scope (ids).

    Facts given beside an expected charge replace the estimated ones. A line that is not `final` leaves the rest of the
    estimate expected.

    Or goods of an `order_line` (id): their quantity in the item's base unit, and their price per pack of that line;
    without a price the amount says it, without an amount the price.
    """

    amount: Decimal = Decimal(0)
    charge: int | None = None
    kind: str = ""
    basis: str = ""
    shipments: tuple[int, ...] = ()
    containers: tuple[int, ...] = ()
    lines: tuple[int, ...] = ()
    orders: tuple[int, ...] = ()
    remark: str = ""
    final: bool = True
    order_line: int | None = None
    quantity: Decimal | None = None
    price: Decimal | None = None
    goods: tuple[int, ...] = ()
    # Of a credit note: the case (id) whose claim is credited; with an order line, its price is. Of a bill: the case it
    # is a cost of, and where that goes: goods, claim or loss.
    case: int | None = None
    into: str = ""
    # What is decided of a difference: accept it as cost, or dispute it. And how problems name the line.
    decision: str = ""
    where: str = ""
    # Of a charge that is spread by hand: what its goods bear.
    shares: tuple[Share, ...] = ()

    @property
    def of_goods(self) -> bool:
        """Whether it is about goods or a case, not about a charge."""
        return bool(self.order_line or self.case)

    @property
    def scope(self) -> Scope:
        """Its scope."""
        return Scope(self.shipments, self.containers, self.lines, self.orders, self.goods)


@dataclass(frozen=True)
class BillRequest:
    """A bill or credit note. A stated `total` is that of the lines and the tax; `rate` is the paper's own."""

    company: int
    party: int
    number: str
    day: date
    currency: str
    lines: tuple[BillLineRequest, ...]
    tax: Decimal = Decimal(0)
    total: Decimal | None = None
    due_on: date | None = None
    rate: Decimal | None = None
    # The tax line by line, by the company's codes; without it the tax is one line, of the code that fits its orders.
    taxes: tuple[tuple[str, Decimal], ...] = ()
    # Differences beyond what may pass are accepted: they are cost.
    accept: bool = False
    kind: str = Bill.Kind.BILL


def of_one(asked: ChargeRequest, number: str, charge: int | None = None) -> BillRequest:
    """The bill of a single charge, or of the expected charge (id) that it bills."""
    over = asked.scope
    facts = (asked.kind, asked.basis, over.shipments, over.containers, over.lines, over.orders, asked.remark)
    line = BillLineRequest(asked.amount, charge, *facts, shares=asked.shares)
    return BillRequest(asked.company, asked.payee, number, asked.day, asked.currency, (line,))
