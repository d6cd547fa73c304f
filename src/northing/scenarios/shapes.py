"""The shapes of a scenario file. Numbers are read exactly as written; an unknown field is refused."""

from datetime import date
from decimal import Decimal
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, TypeAdapter, ValidationError

from northing.core.money.exact import read_exact


class NotScenario(Exception):
    """The file is no scenario: the field, and what is wrong with it."""


def _exact(value: Any) -> Any:
    return read_exact(value) if isinstance(value, str) else value


Number = Annotated[Decimal, BeforeValidator(_exact)]
Code = Annotated[str, Field(min_length=1, max_length=24)]
Id = Annotated[str, Field(min_length=1, max_length=24)]
Moment = Literal["pickup", "on board", "arrival", "receipt"]


class Shape(BaseModel):
    """A part of a file."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class ImportTax(Shape):
    """A company's import tax: its rate, what it is on, and which part is reclaimed."""

    rate: Number
    base: list[str] = ["customs_value", "duty"]
    reclaimed: Number = Decimal(1)


class CompanyShape(Shape):
    """A company; import tax is none where nothing is said, and every check warns."""

    code: Code
    currency: Code
    country: Annotated[str, Field(pattern="^[A-Z]{2}$")]
    import_tax: ImportTax | None = None
    checks: dict[Literal["depart without voyage", "receive without entry"], Literal["warn", "ask", "block"]] = {}


class SiteShape(Shape):
    """A site, and its bins by purpose: dock, quarantine, store."""

    code: Code
    company: Code
    bins: dict[Code, Literal["dock", "quarantine", "store"]]


class SupplierShape(Shape):
    """A supplier."""

    code: Code
    currency: Code
    country: str = "CN"
    over: Number = Decimal(0)


class ProviderShape(Shape):
    """A forwarder, carrier, broker or haulier."""

    code: Code


class OfficeShape(Shape):
    """A customs office."""

    code: Code
    country: str = "NZ"


class ItemShape(Shape):
    """An item, per base unit."""

    code: Code
    unit: str = "pc"
    decimals: int = 0
    weight_kg: Number = Decimal(0)
    volume_m3: Number = Decimal(0)
    hs: str = ""
    origin: str = "CN"
    duty_rate: Number = Decimal(0)
    inspected: bool = False
    lot: bool = False
    best_before: bool = False


class RateShape(Shape):
    """Rates of a day: base currency for one unit. A currency without a customs rate takes the book rate."""

    currency: Code
    base: Code
    day: date
    book: Number
    customs: Number | None = None


class WorldShape(Shape):
    """Where the actions happen."""

    companies: list[CompanyShape]
    sites: list[SiteShape] = []
    suppliers: list[SupplierShape] = []
    providers: list[ProviderShape] = []
    offices: list[OfficeShape] = []
    items: list[ItemShape] = []
    rates: list[RateShape] = []


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


class ChargeAction(Dated):
    """A charge: with a number it is billed, without one it is an estimate; `estimate` is what the bill replaces."""

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


class BillLineShape(Shape):
    """A line of a bill: of an estimate, or of a charge of its own; `final` says whether more of it will come."""

    charge: Id = ""
    kind: str = ""
    basis: str = ""
    amount: Number | None = None
    over: Scope | None = None
    final: bool = True


class BillAction(Dated):
    """A bill, or a credit note, with its lines."""

    do: Literal["bill", "credit"]
    id: Id
    supplier: Code = ""
    provider: Code = ""
    office: Code = ""
    company: Code
    number: str
    currency: Code = ""
    lines: list[BillLineShape]
    tax: Number = Decimal(0)
    total: Number | None = None
    due: date | None = None
    rate: Number | None = None


class EndEstimate(Dated):
    """An estimate will not be billed."""

    do: Literal["end"]
    charge: Id
    reason: str = "no bill will come"


class Customs(Dated):
    """Book a customs entry as computed."""

    do: Literal["customs"]
    shipment: Id
    company: Code
    office: Code
    number: str
    corrects: Id = ""


class RowShape(Shape):
    """The units found of a line; a short rest says whether it is coming."""

    line: Id
    quantity: Number
    rest: Literal["", "coming", "no more"] = ""
    lot: str = ""
    best_before: date | None = None
    bin: Code | None = None


class Receive(Dated):
    """Receive goods from a shipment, from one container of it, or unpacked against an order."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
    do: Literal["receive"]
    id: Id
    site: Code
    note: str
    source: Id = Field(alias="from")
    container: Id = ""
    rows: list[RowShape]
    emptied: bool = False
    accept: bool = False


class Issue(Dated):
    """Issue stock, the oldest first."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)
    do: Literal["issue"]
    site: Code
    item: Code
    quantity: Number
    purpose: str = Field(alias="for")


class Inspect(Dated):
    """A verdict on held goods of a line of a receipt; what fails opens the case `id`."""

    do: Literal["inspect"]
    receipt: Id
    line: Id
    passed: Number
    failed: Number = Decimal(0)
    reason: str = ""


class Return(Dated):
    """Units of a case go back under the supplier's reference."""

    do: Literal["return"]
    case: Id
    quantity: Number
    reference: str


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
    | EndEstimate
    | Customs
    | Receive
    | Issue
    | Inspect
    | Return
    | Reverse
    | Move
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
