"""A cost case as JSON: text to core values, and the computed sheet back to text.

Numbers are strings or JSON numbers and are read exactly as written. Whatever is wrong raises
BadCase with one line that names the field.
"""

import json
from collections.abc import Iterable
from decimal import Decimal
from typing import Any

from northing.core.costing.landed_cost import (
    BASES,
    CUSTOMS_VALUE,
    DUTY,
    KINDS,
    Charge,
    CostSheet,
    ImportTax,
    Line,
    cost_sheet,
)
from northing.core.money.exact import exactly, read_exact
from northing.core.money.money import MINOR_UNITS, is_whole, minor_units
from northing.core.money.spread import NothingToSpreadOver

_CASE = {"base_currency", "rates", "lines", "charges", "import_tax"}
_LINE = {"id", "quantity", "unit_price", "currency", "volume_m3", "weight_kg", "duty_rate", "rate", "customs_rate"}
_CHARGE = {"id", "kind", "amount", "currency", "basis", "lines", "shares", "rate", "customs_rate"}
_TAX = {"rate", "base", "reclaimable"}
_REMARKS = {"description", "name", "note"}
ZERO, ONE = Decimal(0), Decimal(1)


class BadCase(ValueError):
    """The case cannot be computed; the message names the field and what is wrong with it."""


class _Number(str):
    """A JSON number, kept as it was written."""

    __slots__ = ()


def compute(text: bytes) -> str:
    """The costed case of `text` (UTF-8 JSON) as one JSON document. Raises BadCase."""
    case = _load(text)
    base_currency = _currency(case, "base_currency", "")
    rates = _Rates(case, base_currency)
    lines = _lines(case, rates)
    tax = _import_tax(case)
    charges = _charges(case, lines, rates, tax)
    tax = _known_base_words(tax, charges)
    try:
        sheet = cost_sheet(lines, charges, tax, base_currency)
    except NothingToSpreadOver as error:
        index = next(index for index, charge in enumerate(charges) if charge.id == str(error))
        basis = charges[index].basis
        raise BadCase(f"charges[{index}].basis: every line of the scope has zero {basis}") from None
    return json.dumps(_written(sheet, base_currency))


def _load(text: bytes) -> dict[str, Any]:
    try:
        case = json.loads(
            text.decode("utf-8-sig"),
            parse_float=_Number,
            parse_int=_Number,
            parse_constant=_refuse_constant,
            object_pairs_hook=_object,
        )
    except BadCase:
        raise
    except RecursionError:
        raise BadCase("case: nested too deeply") from None
    except UnicodeDecodeError:
        raise BadCase("case: not UTF-8 text") from None
    except ValueError as error:
        raise BadCase(f"case: not JSON: {error}") from None
    if not isinstance(case, dict):
        raise BadCase("case: must be a JSON object")
    _only(case, _CASE, "")
    return case


def _refuse_constant(word: str) -> None:
    raise BadCase(f"case: {word} is not a number")


def _object(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) != len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise BadCase(f"{_quoted(twice)}: named twice in one object")
    return found


def _only(record: dict[str, Any], known: set[str], where: str) -> None:
    for name in record:
        if name not in known and name not in _REMARKS:
            raise BadCase(f"{where}{_quoted(name)}: unknown field")


class _Rates:
    """The two rate tables. A record's own rate comes first, the base currency's rate is 1."""

    def __init__(self, case: dict[str, Any], base_currency: str):
        self.base_currency = base_currency
        tables = _typed(case, "rates", dict, "", {})
        _only(tables, {"book", "customs"}, "rates.")
        self.tables = {purpose: self._table(tables, purpose) for purpose in ("book", "customs")}

    def _table(self, tables: dict[str, Any], purpose: str) -> dict[str, Decimal]:
        table = _typed(tables, purpose, dict, "rates.", {})
        where = f"rates.{purpose}."
        for currency in table:
            if currency not in MINOR_UNITS:
                raise BadCase(f"{where}{_quoted(currency)}: unknown currency")
        return {currency: self._rate(table, currency, where, currency) for currency in table}

    def _rate(self, record: dict[str, Any], name: str, where: str, currency: str) -> Decimal:
        rate = _number(record, name, where)
        if rate <= 0:
            raise BadCase(f"{where}{name}: must be above 0")
        if currency == self.base_currency and rate != 1:
            raise BadCase(f"{where}{name}: the base currency's rate is 1")
        return rate

    def book(self, record: dict[str, Any], where: str) -> Decimal:
        return self._required(record, "rate", "book", where)

    def customs(self, record: dict[str, Any], where: str) -> Decimal:
        return self._required(record, "customs_rate", "customs", where)

    def _required(self, record: dict[str, Any], own: str, purpose: str, where: str) -> Decimal:
        currency = record["currency"]
        if own in record:
            return self._rate(record, own, where, currency)
        if currency == self.base_currency:
            return ONE
        if currency not in self.tables[purpose]:
            raise BadCase(f"{where}{own}: no {purpose} rate for {currency} in rates.{purpose}")
        return self.tables[purpose][currency]


def _lines(case: dict[str, Any], rates: _Rates) -> list[Line]:
    records = _typed(case, "lines", list, "", None)
    if not records:
        raise BadCase("lines: there is no line")
    lines, seen = [], set[str]()
    for index, record in enumerate(records):
        where = f"lines[{index}]."
        _is_object(record, where, _LINE)
        line_id = _new_id(record, where, seen)
        currency = _currency(record, "currency", where)
        quantity = _number(record, "quantity", where)
        if quantity <= 0:
            raise BadCase(f"{where}quantity: must be above 0")
        lines.append(
            Line(
                id=line_id,
                quantity=quantity,
                unit_price=_not_negative(record, "unit_price", where),
                currency=currency,
                book_rate=rates.book(record, where),
                customs_rate=rates.customs(record, where),
                volume_m3=_not_negative(record, "volume_m3", where, ZERO),
                weight_kg=_not_negative(record, "weight_kg", where, ZERO),
                duty_rate=_not_negative(record, "duty_rate", where, ZERO),
            )
        )
    return lines


def _charges(case: dict[str, Any], lines: list[Line], rates: _Rates, tax: ImportTax) -> list[Charge]:
    positions = {line.id: position for position, line in enumerate(lines)}
    charges, seen = [], set[str]()
    for index, record in enumerate(_typed(case, "charges", list, "", [])):
        where = f"charges[{index}]."
        _is_object(record, where, _CHARGE)
        charge_id = _new_id(record, where, seen)
        kind = _text(record, "kind", where)
        if kind in (CUSTOMS_VALUE, DUTY):
            raise BadCase(f"{where}kind: {kind} is not a kind of charge")
        currency = _currency(record, "currency", where)
        amount = _amount(_number(record, "amount", where), currency, f"{where}amount")
        scope = _scope(record, positions, where)
        basis, by_hand, scope = _basis(record, amount, currency, scope, positions, where)
        charges.append(
            Charge(
                id=charge_id,
                kind=kind,
                amount=amount,
                book_rate=rates.book(record, where),
                scope=scope,
                basis=basis,
                by_hand=by_hand,
                customs_rate=rates.customs(record, where) if kind in tax.base or "customs_rate" in record else None,
            )
        )
    return charges


def _scope(record: dict[str, Any], positions: dict[str, int], where: str) -> list[int]:
    """Positions of the lines a charge is spread over, in the order of the file's lines."""
    if "lines" not in record:
        return list(range(len(positions)))
    named = _typed(record, "lines", list, where, None)
    if not named:
        raise BadCase(f"{where}lines: the scope is empty")
    if not all(isinstance(name, str) and name in positions for name in named):
        unknown = next(name for name in named if not (isinstance(name, str) and name in positions))
        raise BadCase(f"{where}lines: unknown line {_quoted(unknown)}")
    scope = sorted({positions[name] for name in named})
    if len(scope) != len(named):
        raise BadCase(f"{where}lines: a line is named twice")
    return scope


def _basis(
    record: dict[str, Any], amount: Decimal, currency: str, scope: list[int], positions: dict[str, int], where: str
) -> tuple[str, list[Decimal], list[int]]:
    if "shares" not in record:
        basis = _text(record, "basis", where)
        if basis not in BASES:
            raise BadCase(f"{where}basis: unknown basis {_quoted(basis)}; one of {', '.join(BASES)}")
        return basis, [], scope
    if "basis" in record:
        raise BadCase(f"{where}shares: give shares or a basis, not both")
    shares = _typed(record, "shares", dict, where, None)
    if not shares:
        raise BadCase(f"{where}shares: the scope is empty")
    inside, field = set(scope), f"{where}shares."
    given: dict[int, Decimal] = {}
    for name in shares:
        if positions.get(name) not in inside:
            raise BadCase(f"{field}{_quoted(name)}: unknown line, or outside the charge's lines")
        given[positions[name]] = _amount(_not_negative(shares, name, field), currency, field + name)
    with exactly():
        total = sum(given.values(), ZERO)
    if total != amount:
        raise BadCase(f"{where}shares: they do not sum to the amount")
    if "lines" not in record:
        scope = sorted(given)
    return "", [given.get(position, ZERO) for position in scope], scope


def _import_tax(case: dict[str, Any]) -> ImportTax:
    if "import_tax" not in case:
        return ImportTax()
    record, where = case["import_tax"], "import_tax."
    _is_object(record, where, _TAX)
    words = _typed(record, "base", list, where, [])
    for word in words:
        if not isinstance(word, str) or isinstance(word, _Number):
            raise BadCase("import_tax.base: must be a list of words")
    if len(set(words)) != len(words):
        raise BadCase("import_tax.base: a word is named twice")
    reclaimable = _typed(record, "reclaimable", bool, where, True)
    return ImportTax(_not_negative(record, "rate", where), tuple(words), Decimal(int(reclaimable)))


def _known_base_words(tax: ImportTax, charges: Iterable[Charge]) -> ImportTax:
    known = {CUSTOMS_VALUE, DUTY, *KINDS} | {charge.kind for charge in charges}
    for word in tax.base:
        if word not in known:
            raise BadCase(f"import_tax.base: unknown base word {_quoted(word)}")
    return tax


def _is_object(record: Any, where: str, known: set[str]) -> None:
    if not isinstance(record, dict):
        raise BadCase(f"{where.rstrip('.')}: must be a JSON object")
    _only(record, known, where)


def _typed(record: dict[str, Any], name: str, kind: type, where: str, absent: Any) -> Any:
    if name not in record and absent is not None:
        return absent
    value = record.get(name)
    if not isinstance(value, kind):
        words = {dict: "an object", list: "a list", bool: "true or false"}
        raise BadCase(f"{where}{name}: must be {words[kind]}" + ("" if name in record else ", and is missing"))
    return value


def _text(record: dict[str, Any], name: str, where: str) -> str:
    value = record.get(name)
    if not isinstance(value, str) or isinstance(value, _Number) or not value:
        raise BadCase(f"{where}{name}: must be text" + ("" if name in record else ", and is missing"))
    return value


def _new_id(record: dict[str, Any], where: str, seen: set[str]) -> str:
    name = _text(record, "id", where)
    if name in seen:
        raise BadCase(f"{where}id: {_quoted(name)} is there twice")
    seen.add(name)
    return name


def _currency(record: dict[str, Any], name: str, where: str) -> str:
    currency = _text(record, name, where)
    if currency not in MINOR_UNITS:
        raise BadCase(f"{where}{name}: unknown currency {_quoted(currency)}")
    return currency


def _number(record: dict[str, Any], name: str, where: str, absent: Decimal | None = None) -> Decimal:
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


def _not_negative(record: dict[str, Any], name: str, where: str, absent: Decimal | None = None) -> Decimal:
    value = _number(record, name, where, absent)
    if value < 0:
        raise BadCase(f"{where}{name}: must not be negative")
    return value


def _amount(value: Decimal, currency: str, where: str) -> Decimal:
    if not is_whole(value, currency):
        raise BadCase(f"{where}: {currency} has {minor_units(currency)} decimals, this has more")
    return value


def _quoted(value: Any) -> str:
    """A value for a one-line message: escaped, and cut where it is long."""
    text = json.dumps(value)
    return text if len(text) <= 60 else text[:57] + "..."


def _written(sheet: CostSheet, currency: str) -> dict[str, Any]:
    """The sheet as JSON values. Its amounts carry their currency's decimals already, so their text is exact."""
    return {
        "base_currency": currency,
        "lines": [
            {
                "id": line.id,
                "goods": str(line.goods),
                "customs_value": str(line.customs_value),
                "duty": str(line.duty),
                "charges": {name: str(share) for name, share in line.charges.items()},
                "import_tax": str(line.import_tax),
                "landed": str(line.landed),
                "unit": str(line.unit),
            }
            for line in sheet.lines
        ],
        "duty": str(sheet.duty),
        "import_tax": {"base": str(sheet.tax_base), "amount": str(sheet.tax)},
        "landed": str(sheet.landed),
    }
