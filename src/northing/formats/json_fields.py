"""Fields of a JSON document read exactly: numbers as they are written, whatever is wrong named in one line."""

import json
from decimal import Decimal
from typing import Any

from northing.core.money.exact import read_exact
from northing.core.money.money import MINOR_UNITS, is_whole, minor_units

REMARKS = {"description", "name", "note"}


class BadCase(ValueError):
    """The case cannot be computed; the message names the field and what is wrong with it."""


class Number(str):
    """A JSON number, kept as it was written."""

    __slots__ = ()


def refuse_constant(word: str) -> None:
    raise BadCase(f"case: {word} is not a number")


def object_of(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) != len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise BadCase(f"{quoted(twice)}: named twice in one object")
    return found


def only(record: dict[str, Any], known: set[str], where: str) -> None:
    for name in record:
        if name not in known and name not in REMARKS:
            raise BadCase(f"{where}{quoted(name)}: unknown field")


def is_object(record: Any, where: str, known: set[str]) -> None:
    if not isinstance(record, dict):
        raise BadCase(f"{where.rstrip('.')}: must be a JSON object")
    only(record, known, where)


def typed(record: dict[str, Any], name: str, kind: type, where: str, absent: Any) -> Any:
    if name not in record and absent is not None:
        return absent
    value = record.get(name)
    if not isinstance(value, kind):
        words = {dict: "an object", list: "a list", bool: "true or false"}
        raise BadCase(f"{where}{name}: must be {words[kind]}" + ("" if name in record else ", and is missing"))
    return value


def text(record: dict[str, Any], name: str, where: str) -> str:
    value = record.get(name)
    if not isinstance(value, str) or isinstance(value, Number) or not value:
        raise BadCase(f"{where}{name}: must be text" + ("" if name in record else ", and is missing"))
    return value


def new_id(record: dict[str, Any], where: str, seen: set[str]) -> str:
    name = text(record, "id", where)
    if name in seen:
        raise BadCase(f"{where}id: {quoted(name)} is there twice")
    seen.add(name)
    return name


def currency(record: dict[str, Any], name: str, where: str) -> str:
    currency = text(record, name, where)
    if currency not in MINOR_UNITS:
        raise BadCase(f"{where}{name}: unknown currency {quoted(currency)}")
    return currency


def number(record: dict[str, Any], name: str, where: str, absent: Decimal | None = None) -> Decimal:
    if name not in record:
        if absent is not None:
            return absent
        raise BadCase(f"{where}{name}: is missing")
    value = record[name]
    if not isinstance(value, str):
        raise BadCase(f"{where}{name}: must be a number")
    try:
        return read_exact(value)
    except ValueError as error:
        raise BadCase(f"{where}{name}: {error}") from None


def not_negative(record: dict[str, Any], name: str, where: str, absent: Decimal | None = None) -> Decimal:
    value = number(record, name, where, absent)
    if value < 0:
        raise BadCase(f"{where}{name}: must not be negative")
    return value


def amount(value: Decimal, currency: str, where: str) -> Decimal:
    if not is_whole(value, currency):
        raise BadCase(f"{where}: {currency} has {minor_units(currency)} decimals, this has more")
    return value


def quoted(value: Any) -> str:
    """A value for a one-line message: escaped, and cut where it is long."""
    text = json.dumps(value)
    return text if len(text) <= 60 else text[:57] + "..."
