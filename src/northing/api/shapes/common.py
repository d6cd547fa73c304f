"""Shapes of values: exact numbers as strings, days as 2026-11-24, ids as they are in addresses."""

from datetime import date
from decimal import Decimal
from typing import Annotated, Literal

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
    """A body sent to us: an unknown name is refused, so that no wish is silently dropped."""

    model_config = ConfigDict(extra="forbid")


class Fault(Schema):
    """One thing that is wrong: what, where, how to mend it, and how strong it is."""

    what: str
    where: str = ""
    mend: str = ""
    strength: str = Field(default="block", description="ask: send it again with `accept`")


class ProblemDetails(Schema):
    """An error after RFC 9457."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str = ""
    problems: list[Fault] = []


class Made(Schema):
    """The record that an action made or changed."""

    id: int
