"""Shapes of suppliers' answers."""

from datetime import date
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from northing.api.shapes.common import Day, Id, Number, Strict, Text, Word


class ConfirmationOut(Schema):
    """A supplier's answer to an instalment, beside our question."""

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
