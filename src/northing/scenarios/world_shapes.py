"""The shapes of a scenario's world: companies, sites, parties, items and rates."""

from datetime import date
from decimal import Decimal
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field

from northing.core.checks import CHECKS
from northing.core.money.exact import read_exact


class NotScenario(Exception):
    """The file is no scenario: the field, and what is wrong with it."""


def _exact(value: Any) -> Any:
    return read_exact(value) if isinstance(value, str) else value


Number = Annotated[Decimal, BeforeValidator(_exact)]
Code = Annotated[str, Field(min_length=1, max_length=24)]
Id = Annotated[str, Field(min_length=1, max_length=24)]
WithoutOrder = Literal["allowed", "with reason", "never"]
Moment = Literal["pickup", "on board", "arrival", "receipt"]


class Shape(BaseModel):
    """A part of a file."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class ImportTax(Shape):
    """A company's import tax: its rate, what it is on, and which part is reclaimed."""

    rate: Number
    base: list[str] = ["customs_value", "duty"]
    reclaimed: Number = Decimal(1)


# A check by the words of its code: "bill above price".
NAMED_CHECKS = tuple(check.code.replace("_", " ") for check in CHECKS)


def _check_name(said: str) -> str:
    if said not in NAMED_CHECKS:
        raise ValueError(f"is none of {', '.join(NAMED_CHECKS)}")
    return said


CheckName = Annotated[str, AfterValidator(_check_name)]


class CompanyShape(Shape):
    """A company; import tax is none where nothing is said, and every check warns."""

    code: Code
    currency: Code
    country: Annotated[str, Field(pattern="^[A-Z]{2}$")]
    import_tax: ImportTax | None = None
    gs1_prefix: Annotated[str, Field(pattern="^([0-9]{4,12})?$")] = ""
    under: Number | None = None
    # Bills and payments worth more than this wait for a second person; a tax code and its rate.
    approve_bills_above: Number | None = None
    approve_payments_above: Number | None = None
    tax_codes: dict[Code, Number] = {}
    checks: dict[CheckName, Literal["warn", "ask", "block"]] = {}


Purpose = Literal["dock", "quarantine", "store"]


class BinShape(Shape):
    """A bin that says what it may hold."""

    purpose: Purpose
    zone: str = ""
    home_of: str = ""
    one_item: bool = False
    one_lot: bool = False
    most: Number | None = None
    blocked: str = ""


class SiteShape(Shape):
    """A site, and its bins: their purpose alone (dock, quarantine, store), or with what they may hold."""

    code: Code
    company: Code
    without_order: WithoutOrder = "allowed"
    putaway: Literal["at once", "later"] = "at once"
    bins: dict[Code, Purpose | BinShape]


class SupplierShape(Shape):
    """A supplier."""

    code: Code
    currency: Code
    country: str = "CN"
    over: Number = Decimal(0)
    under: Number | None = None
    without_order: WithoutOrder = "with reason"


class ProviderShape(Shape):
    """A forwarder, carrier, broker or haulier."""

    code: Code


class OfficeShape(Shape):
    """A customs office."""

    code: Code
    country: str = "NZ"


class GtinShape(Shape):
    """A GTIN, and the units in it."""

    gtin: Annotated[str, Field(pattern="^([0-9]{8}|[0-9]{12,14})$")]
    pack: Number = Decimal(1)


class ItemShape(Shape):
    """An item, per base unit. Tolerances are shares: 0.03 are 3 %; one that is 0 is that of supplier or company."""

    code: Code
    unit: str = "pc"
    decimals: int = 0
    weight_kg: Number = Decimal(0)
    net_weight_kg: Number | None = None
    duty_unit: Annotated[str, Field(max_length=8)] = ""
    duty_units: Number | None = None
    volume_m3: Number = Decimal(0)
    hs: str = ""
    origin: str = "CN"
    duty_rate: Number = Decimal(0)
    inspected: bool = False
    zone: str = ""
    lot: bool = False
    best_before: bool = False
    serial: bool = False
    over: Number = Decimal(0)
    under: Number = Decimal(0)
    least_days: int | None = None
    gtins: list[GtinShape] = []


class InspectionShape(Shape):
    """How goods are inspected: of an item, from a supplier, or both."""

    item: Code = ""
    supplier: Code = ""
    how: Literal["none", "every", "sampling", "skip-lot"]
    level: Literal["I", "II", "III", "S-1", "S-2", "S-3", "S-4"] = "II"
    aql: Number = Decimal("1.0")
    aql_minor: Number | None = None
    reduced: bool = True
    skip_after: int = 10
    one_in: int = 5


class RateShape(Shape):
    """Rates of a day: base currency for one unit. A purpose without a rate takes the book rate."""

    currency: Code
    base: Code
    day: date
    book: Number
    customs: Number | None = None
    bill: Number | None = None
    payment: Number | None = None


class TerritoryShape(Shape):
    """How customs of a country counts, as in a cost file; `value_kinds` are charges that belong to its value."""

    country: Annotated[str, Field(pattern="^[A-Z]{2}$")]
    basis: Literal["price", "cif", "fob"] = "price"
    per: Literal["line", "group"] = "line"
    unit: Number | None = None
    way: Literal["half up", "down", "up"] = "half up"
    value_kinds: list[str] = []


class SpecificShape(Shape):
    """So much per kg, per unit, or per a unit that items keep as their `duty_unit`."""

    amount: Number
    currency: Code
    per: Annotated[str, Field(pattern="^[a-z][a-z0-9%]{0,7}$")]


class TariffShape(Shape):
    """A rule of a country's tariff, for codes that begin with `hs`; origins are countries, none: any."""

    country: Annotated[str, Field(pattern="^[A-Z]{2}$")]
    kind: Literal["duty", "preference", "extra", "import tax"] = "duty"
    hs: Annotated[str, Field(pattern="^([0-9]{2,10})?$")] = ""
    origins: list[Annotated[str, Field(pattern="^[A-Z]{2}$")]] = []
    supplier: Code = ""
    name: str = ""
    proof: str = ""
    ad_valorem: Number = Decimal(0)
    specific: SpecificShape | None = None
    combine: Literal["sum", "higher", "lower"] = "sum"
    since: date
    until: date | None = None


class RateCardShape(Shape):
    """What a provider asks for a kind of cost; `origin` and `destination` are countries, or the latter a site."""

    code: Code
    provider: Code
    kind: str
    per: Literal["container", "W/M", "m3", "kg", "chargeable kg", "order", "shipment", "entry", "value"]
    price: Number
    currency: Code
    minimum: Number = Decimal(0)
    origin: str = ""
    destination: str = ""
    mode: Literal["", "sea", "air", "road", "rail"] = ""
    size_type: str = ""
    surcharges: str = ""
    since: date
    until: date | None = None


class WorldShape(Shape):
    """Where the actions happen."""

    companies: list[CompanyShape]
    sites: list[SiteShape] = []
    suppliers: list[SupplierShape] = []
    providers: list[ProviderShape] = []
    offices: list[OfficeShape] = []
    items: list[ItemShape] = []
    inspection: list[InspectionShape] = []
    rates: list[RateShape] = []
    territory: list[TerritoryShape] = []
    tariffs: list[TariffShape] = []
    rate_cards: list[RateCardShape] = []
