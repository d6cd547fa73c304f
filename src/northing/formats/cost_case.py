"""A cost case as JSON: text to core values, and the computed sheet back to text.

Numbers are strings or JSON numbers and are read exactly as written. Whatever is wrong raises
BadCase with one line that names the field.
"""

import json
from collections.abc import Iterable
from dataclasses import replace
from decimal import Decimal
from typing import Any

from northing.core.costing.customs import Customs
from northing.core.costing.landed_cost import (
    BASES,
    CUSTOMS_VALUE,
    DUTY,
    KINDS,
    Charge,
    CostSheet,
    ImportTax,
    Line,
    LineCost,
    ValueBelowZero,
    cost_sheet,
)
from northing.core.money.exact import exactly
from northing.core.money.money import MINOR_UNITS
from northing.core.money.spread import NothingToSpreadOver
from northing.formats import json_fields as fields
from northing.formats.cost_customs import DUTY_FACTS, Duties, customs_of, duty_facts, entry_of, rounding_of
from northing.formats.json_fields import BadCase

_CASE = {"base_currency", "rates", "lines", "charges", "import_tax", "customs"}
_LINE = {"id", "quantity", "unit_price", "currency", "volume_m3", "weight_kg", "rate", "customs_rate", *DUTY_FACTS}
_CHARGE = {"id", "kind", "amount", "currency", "basis", "lines", "shares", "rate", "customs_rate", "in_customs_value"}
_TAX = {"rate", "base", "reclaimable", "unit", "way"}
ZERO, ONE = Decimal(0), Decimal(1)


def compute(text: bytes) -> str:
    """The costed case of `text` (UTF-8 JSON) as one JSON document. Raises BadCase."""
    case = _load(text)
    base_currency = fields.currency(case, "base_currency", "")
    rates = _Rates(case, base_currency)
    customs = customs_of(case, base_currency)
    lines = _lines(case, rates)
    tax = _import_tax(case, base_currency)
    charges = _charges(case, lines, rates, tax, customs)
    tax = _known_base_words(tax, charges)
    try:
        sheet = cost_sheet(lines, charges, tax, base_currency, customs)
    except ValueBelowZero as error:
        index = next(index for index, line in enumerate(lines) if line.id == str(error))
        raise BadCase(f"lines[{index}].included: more is deducted than the customs value") from None
    except NothingToSpreadOver as error:
        index = next(index for index, charge in enumerate(charges) if charge.id == str(error))
        basis = charges[index].basis
        raise BadCase(f"charges[{index}].basis: every line of the scope has zero {basis}") from None
    return json.dumps(_written(sheet, base_currency))


def _load(text: bytes) -> dict[str, Any]:
    try:
        case = json.loads(
            text.decode("utf-8-sig"),
            parse_float=fields.Number,
            parse_int=fields.Number,
            parse_constant=fields.refuse_constant,
            object_pairs_hook=fields.object_of,
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
    fields.only(case, _CASE, "")
    return case


class _Rates:
    """The two rate tables. A record's own rate comes first, the base currency's rate is 1."""

    def __init__(self, case: dict[str, Any], base_currency: str):
        self.base_currency = base_currency
        tables = fields.typed(case, "rates", dict, "", {})
        fields.only(tables, {"book", "customs"}, "rates.")
        self.tables = {purpose: self._table(tables, purpose) for purpose in ("book", "customs")}

    def _table(self, tables: dict[str, Any], purpose: str) -> dict[str, Decimal]:
        table = fields.typed(tables, purpose, dict, "rates.", {})
        where = f"rates.{purpose}."
        for currency in table:
            if currency not in MINOR_UNITS:
                raise BadCase(f"{where}{fields.quoted(currency)}: unknown currency")
        return {currency: self._rate(table, currency, where, currency) for currency in table}

    def _rate(self, record: dict[str, Any], name: str, where: str, currency: str) -> Decimal:
        rate = fields.number(record, name, where)
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
    records = fields.typed(case, "lines", list, "", None)
    if not records:
        raise BadCase("lines: there is no line")
    lines, seen, duties = [], set[str](), Duties(rates.customs)
    for index, record in enumerate(records):
        where = f"lines[{index}]."
        fields.is_object(record, where, _LINE)
        line_id = fields.new_id(record, where, seen)
        currency = fields.currency(record, "currency", where)
        quantity = fields.number(record, "quantity", where)
        if quantity <= 0:
            raise BadCase(f"{where}quantity: must be above 0")
        lines.append(
            Line(
                id=line_id,
                quantity=quantity,
                unit_price=fields.not_negative(record, "unit_price", where),
                currency=currency,
                book_rate=rates.book(record, where),
                customs_rate=rates.customs(record, where),
                volume_m3=fields.not_negative(record, "volume_m3", where, ZERO),
                weight_kg=fields.not_negative(record, "weight_kg", where, ZERO),
                **duty_facts(record, where, currency, duties),
            )
        )
    return lines


def _charges(case: dict[str, Any], lines: list[Line], rates: _Rates, tax: ImportTax, customs: Customs) -> list[Charge]:
    positions = {line.id: position for position, line in enumerate(lines)}
    charges, seen = [], set[str]()
    for index, record in enumerate(fields.typed(case, "charges", list, "", [])):
        where = f"charges[{index}]."
        fields.is_object(record, where, _CHARGE)
        charge_id = fields.new_id(record, where, seen)
        kind = fields.text(record, "kind", where)
        if kind in (CUSTOMS_VALUE, DUTY):
            raise BadCase(f"{where}kind: {kind} is not a kind of charge")
        currency = fields.currency(record, "currency", where)
        amount = fields.amount(fields.number(record, "amount", where), currency, f"{where}amount")
        scope = _scope(record, positions, where)
        basis, by_hand, scope = _basis(record, amount, currency, scope, positions, where)
        charge = Charge(
            id=charge_id,
            kind=kind,
            amount=amount,
            book_rate=rates.book(record, where),
            scope=scope,
            basis=basis,
            by_hand=by_hand,
            in_customs_value=_in_customs_value(record, where, customs),
        )
        if kind in tax.base or charge.belongs(customs) or "customs_rate" in record:
            charge = replace(charge, customs_rate=rates.customs(record, where))
        charges.append(charge)
    return charges


def _in_customs_value(record: dict[str, Any], where: str, customs: Customs) -> bool | None:
    if "in_customs_value" not in record:
        return None
    said: bool = fields.typed(record, "in_customs_value", bool, where, None)
    if said and customs.basis == "price":
        raise BadCase(f"{where}in_customs_value: the customs value is the price alone")
    return said


def _scope(record: dict[str, Any], positions: dict[str, int], where: str) -> list[int]:
    """Positions of the lines a charge is spread over, in the order of the file's lines."""
    if "lines" not in record:
        return list(range(len(positions)))
    named = fields.typed(record, "lines", list, where, None)
    if not named:
        raise BadCase(f"{where}lines: the scope is empty")
    if not all(isinstance(name, str) and name in positions for name in named):
        unknown = next(name for name in named if not (isinstance(name, str) and name in positions))
        raise BadCase(f"{where}lines: unknown line {fields.quoted(unknown)}")
    scope = sorted({positions[name] for name in named})
    if len(scope) != len(named):
        raise BadCase(f"{where}lines: a line is named twice")
    return scope


def _basis(
    record: dict[str, Any], amount: Decimal, currency: str, scope: list[int], positions: dict[str, int], where: str
) -> tuple[str, list[Decimal], list[int]]:
    if "shares" not in record:
        basis = fields.text(record, "basis", where)
        if basis not in BASES:
            raise BadCase(f"{where}basis: unknown basis {fields.quoted(basis)}; one of {', '.join(BASES)}")
        return basis, [], scope
    if "basis" in record:
        raise BadCase(f"{where}shares: give shares or a basis, not both")
    shares = fields.typed(record, "shares", dict, where, None)
    if not shares:
        raise BadCase(f"{where}shares: the scope is empty")
    inside, field = set(scope), f"{where}shares."
    given: dict[int, Decimal] = {}
    for name in shares:
        if positions.get(name) not in inside:
            raise BadCase(f"{field}{fields.quoted(name)}: unknown line, or outside the charge's lines")
        given[positions[name]] = fields.amount(fields.not_negative(shares, name, field), currency, field + name)
    with exactly():
        total = sum(given.values(), ZERO)
    if total != amount:
        raise BadCase(f"{where}shares: they do not sum to the amount")
    if "lines" not in record:
        scope = sorted(given)
    return "", [given.get(position, ZERO) for position in scope], scope


def _import_tax(case: dict[str, Any], base_currency: str) -> ImportTax:
    if "import_tax" not in case:
        return ImportTax()
    record, where = case["import_tax"], "import_tax."
    fields.is_object(record, where, _TAX)
    words = fields.typed(record, "base", list, where, [])
    for word in words:
        if not isinstance(word, str) or isinstance(word, fields.Number):
            raise BadCase("import_tax.base: must be a list of words")
    if len(set(words)) != len(words):
        raise BadCase("import_tax.base: a word is named twice")
    reclaimable = fields.typed(record, "reclaimable", bool, where, True)
    rounding = rounding_of(record, where, base_currency)
    return ImportTax(fields.not_negative(record, "rate", where), tuple(words), Decimal(int(reclaimable)), **rounding)


def _known_base_words(tax: ImportTax, charges: Iterable[Charge]) -> ImportTax:
    known = {CUSTOMS_VALUE, DUTY, *KINDS} | {charge.kind for charge in charges}
    for word in tax.base:
        if word not in known:
            raise BadCase(f"import_tax.base: unknown base word {fields.quoted(word)}")
    return tax


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
                **_duties(line),
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
        **entry_of(sheet),
    }


def _duties(line: LineCost) -> dict[str, dict[str, str]]:
    """Each duty by its id, where there are extra ones."""
    return {"duties": {name: str(amount) for name, amount in line.duties.items()}} if len(line.duties) > 1 else {}
