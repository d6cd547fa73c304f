"""Shapes of the house: suppliers, items, prices."""

from datetime import date
from decimal import Decimal
from typing import Annotated

from ninja import Schema
from pydantic import Field, StringConstraints

from northing.api.shapes.common import NO_NUL, Address, Day, Id, Long, Number, Strict, Text, Word


class Supplier(Schema):
    """A supplier; the tax rate is a fraction of 1."""

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
