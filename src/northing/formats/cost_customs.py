"""What a cost case says about customs: the territory's rules, duties of a line, and the entry that comes out."""

from collections.abc import Callable
from decimal import Decimal
from typing import Any

from northing.core.costing.customs import (
    BASES,
    COMBINES,
    DUTY,
    INCLUDES,
    MEASURES,
    PER,
    USUAL_RULE,
    WAYS,
    Customs,
    Expression,
    Specific,
)
from northing.core.costing.landed_cost import CostSheet
from northing.core.money.money import is_whole
from northing.formats import json_fields as fields
from northing.formats.json_fields import BadCase

ZERO = Decimal(0)
_CUSTOMS = {"basis", "per", "unit", "way"}
_EXPRESSION = {"ad_valorem", "specific", "combine"}
_SPECIFIC = {"amount", "currency", "per"}
# What a line may say about its duties.
DUTY_FACTS = {"duty_rate", "duty", "extra", "hs", "origin", "net_weight_kg", "incoterm", "included"}
# The customs rate of a record with a currency; its place for the message.
RateOf = Callable[[dict[str, Any], str], Decimal]


def customs_of(case: dict[str, Any], base_currency: str) -> Customs:
    """How the territory counts (rules 9 and 10). Raises BadCase."""
    if "customs" not in case:
        return Customs()
    record, where = case["customs"], "customs."
    fields.is_object(record, where, _CUSTOMS)
    basis = _word(record, "basis", where, BASES)
    return Customs(basis, _word(record, "per", where, PER), **rounding_of(record, where, base_currency))


def rounding_of(record: dict[str, Any], where: str, base_currency: str) -> dict[str, Any]:
    """The unit and the way in which an amount is rounded (rule 12). Raises BadCase."""
    unit = None
    if "unit" in record:
        unit = fields.number(record, "unit", where)
        if unit <= 0 or not is_whole(unit, base_currency):
            raise BadCase(f"{where}unit: must be a whole multiple of the minor unit of {base_currency}")
    return {"unit": unit, "way": _word(record, "way", where, WAYS)}


class Duties:
    """Reads what lines say about their duties; an expression that many lines have is read once."""

    def __init__(self, rate_of: RateOf):
        self._rate_of = rate_of
        self._read: dict[str, Expression] = {}

    def expression(self, record: Any, where: str, known: set[str]) -> Expression:
        """A duty. Raises BadCase."""
        said = repr(record)
        if said not in self._read:
            self._read[said] = _expression(record, where, known, self._rate_of)
        return self._read[said]


def duty_facts(record: dict[str, Any], where: str, currency: str, duties: Duties) -> dict[str, Any]:
    """What a line says about its duties, as the core's line takes it. Raises BadCase."""
    if "duty" in record and "duty_rate" in record:
        raise BadCase(f"{where}duty: give duty or duty_rate, not both")
    if "duty" in record:
        duty = duties.expression(record["duty"], f"{where}duty.", _EXPRESSION)
    else:
        duty = Expression(fields.not_negative(record, "duty_rate", where, ZERO))
    incoterm = _word(record, "incoterm", where, tuple(INCLUDES), USUAL_RULE)
    return {
        "duty": duty,
        "extra": _extra(record, where, duties),
        "hs": fields.text(record, "hs", where) if "hs" in record else "",
        "origin": fields.text(record, "origin", where) if "origin" in record else "",
        "net_weight_kg": fields.not_negative(record, "net_weight_kg", where) if "net_weight_kg" in record else None,
        "incoterm": incoterm,
        "included": _included(record, where, incoterm, currency),
    }


def _word(record: dict[str, Any], name: str, where: str, known: tuple[str, ...], absent: str = "") -> str:
    if name not in record:
        return absent or known[0]
    word = fields.text(record, name, where)
    if word not in known:
        raise BadCase(f"{where}{name}: unknown word {fields.quoted(word)}; one of {', '.join(known)}")
    return word


def _included(record: dict[str, Any], where: str, incoterm: str, currency: str) -> dict[str, Decimal]:
    said = fields.typed(record, "included", dict, where, {})
    fields.only(said, {"freight", "insurance"}, f"{where}included.")
    for kind in said:
        if kind not in INCLUDES[incoterm] and kind in ("freight", "insurance"):
            raise BadCase(f"{where}included.{kind}: the price under {incoterm} does not include it")
    return {
        kind: fields.amount(fields.not_negative(said, kind, f"{where}included."), currency, f"{where}included.{kind}")
        for kind in ("freight", "insurance")
        if kind in said
    }


def _extra(record: dict[str, Any], where: str, duties: Duties) -> tuple[tuple[str, Expression], ...]:
    found, seen = [], {DUTY}
    for index, one in enumerate(fields.typed(record, "extra", list, where, [])):
        place = f"{where}extra[{index}]."
        fields.is_object(one, place, {"id", *_EXPRESSION})
        found.append((fields.new_id(one, place, seen), duties.expression(one, place, {"id", *_EXPRESSION})))
    return tuple(found)


def _expression(record: Any, where: str, known: set[str], rate_of: RateOf) -> Expression:
    fields.is_object(record, where, known)
    combine = _word(record, "combine", where, COMBINES)
    said = record.get("specific", [])
    rows = [said] if isinstance(said, dict) else fields.typed(record, "specific", list, where, [])
    single = isinstance(said, dict)
    specific = [
        _specific(one, f"{where}specific." if single else f"{where}specific[{index}].", rate_of)
        for index, one in enumerate(rows)
    ]
    if combine != "sum" and ("ad_valorem" not in record or not specific):
        raise BadCase(f"{where}combine: {combine} takes a part of the value and a specific amount")
    if combine == "sum":
        # What adds nothing makes no other expression.
        specific = [one for one in specific if one.amount]
    return Expression(
        fields.not_negative(record, "ad_valorem", where, ZERO),
        tuple(sorted(specific, key=lambda one: (one.currency, one.per, one.amount))),
        combine,
    )


def _specific(record: Any, where: str, rate_of: RateOf) -> Specific:
    fields.is_object(record, where, _SPECIFIC)
    currency = fields.currency(record, "currency", where)
    per = _word({"per": ""} | record, "per", where, MEASURES)
    return Specific(fields.not_negative(record, "amount", where), currency, per, rate_of(record, where))


def entry_of(sheet: CostSheet) -> dict[str, Any]:
    """The groups of the entry, where duties are reckoned by group (rule 14)."""
    if not sheet.groups:
        return {}
    rows = []
    for group in sheet.groups:
        duties = {name: str(amount) for name, amount in group.duties.items()}
        rows.append(
            {
                "hs": group.hs or None,
                "origin": group.origin or None,
                "lines": [sheet.lines[place].id for place in group.lines],
                "customs_value": str(group.customs_value),
                "duty": duties.pop(DUTY),
                "extra": duties,
            }
        )
    return {"entry": rows}
