"""The tariff of a territory on a day, as the core reckons with it."""

from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Q

from northing.core.costing.customs import Customs, Expression, Specific
from northing.core.costing.tariff import Applied, Goods, Rule, applied, because, words_of
from northing.masterdata.models import CountryGroup, Item, TariffRule, Territory

ONE = Decimal(1)
# The customs rate of a currency into the base currency.
RateOf = Callable[[str], Decimal]


class Tariff:
    """The rules of a territory that stand on a day or later, read once; without any what an item says itself counts."""

    def __init__(self, territory: str, day: date, rate_of: RateOf, earlier: "Earlier | None" = None):
        self.day = day
        found = TariffRule.objects.filter(Q(valid_until=None) | Q(valid_until__gte=day), territory=territory)
        records = list(found.select_related("group", "supplier"))
        if earlier:
            records = earlier.rules_of(territory, day, records)
        self._rules = [rule_of(record, rate_of) for record in records]
        # Many lines are alike to a tariff.
        self._applied: dict[tuple[Goods, date], Applied] = {}

    def of(self, item: Item, supplier: int | None, proofs: Collection[str] = (), day: date | None = None) -> Applied:
        """The rules that apply to goods of an item from a supplier (id), with proofs of origin by their names.

        On the day of the tariff, or on a later one.
        """
        asked = (Goods(item.hs_code, item.origin, supplier, frozenset(proofs)), day or self.day)
        if asked not in self._applied:
            self._applied[asked] = applied(self._rules, *asked)
        return self._applied[asked]

    @property
    def changes(self) -> bool:
        """Whether a rule begins or ends after the day."""
        return any(rule.since > self.day or rule.until is not None for rule in self._rules)

    @property
    def asks_proof(self) -> bool:
        """Whether a preference of this tariff needs a proof of origin."""
        return any(rule.proof for rule in self._rules)


@dataclass
class Earlier:
    """The tariff before a change: records that were changed as they were; new ones (ids) were not there."""

    rules: list[TariffRule]
    new_rules: Collection[int]
    groups: Mapping[int, CountryGroup]
    territories: Mapping[str, Territory | None]

    def rules_of(self, territory: str, day: date, now: Iterable[TariffRule]) -> list[TariffRule]:
        """The rules of a territory that stood then on a day or later."""
        own = [one for one in self.rules if one.territory == territory and day <= (one.valid_until or day)]
        gone = {one.pk for one in self.rules} | set(self.new_rules)
        found = [*(one for one in now if one.pk not in gone), *own]
        for one in found:
            one.group = self.groups.get(one.group_id or 0, one.group)
        return sorted(found, key=lambda one: one.pk)


def rule_of(record: TariffRule, rate_of: RateOf) -> Rule:
    """A record as the core sees it."""
    countries = frozenset(record.group.countries.split()) if record.group else None
    return Rule(
        key=record.pk,
        kind=record.kind,
        hs=record.hs,
        since=record.valid_from,
        until=record.valid_until,
        expression=_expression(record, rate_of),
        countries=frozenset({record.origin}) if record.origin else countries,
        one_country=bool(record.origin),
        supplier=record.supplier_id,
        name=record.name,
        proof=record.proof,
    )


def _expression(record: TariffRule, rate_of: RateOf) -> Expression:
    if record.amount is None:
        return Expression(record.ad_valorem)
    specific = Specific(record.amount, record.currency, record.per, rate_of(record.currency))
    return Expression(record.ad_valorem, (specific,), record.combine)


def duty_of(item: Item, found: Applied) -> Expression:
    """The duty of goods: by the tariff, else what their item says itself."""
    return found.duty.expression if found.duty else Expression(item.duty_rate)


def unmeasured(item: Item, found: Applied) -> list[str]:
    """The units that the duties of goods ask for and their item does not keep."""
    expressions = [duty_of(item, found), *(rule.expression for rule in found.extras)]
    if not any(one.specific for one in expressions):
        return []
    return sorted(set().union(*(one.units for one in expressions)) - set(item.measures(ONE)))


def duty_words(item: Item, found: Applied) -> str:
    """All duties of goods, in words."""
    extras = [f"{rule.name} {words_of(rule.expression)}" for rule in found.extras]
    return " + ".join([words_of(duty_of(item, found)), *extras])


def reasons(item: Item, found: Applied) -> list[str]:
    """Why it is these duties: what counts, what a proof would bring, and what only a longer code would tell."""
    said = [because(found.duty), *(f"{rule.name}: {because(rule)}" for rule in found.extras)]
    if found.tax:
        said.append(f"import tax {words_of(found.tax.expression)}: {because(found.tax)}")
    if found.missed:
        said.append(f"{words_of(found.missed.expression)} with {found.missed.proof}, which is not there")
    if found.finer:
        codes = ", ".join(dict.fromkeys(rule.hs for rule in found.finer))
        said.append(f"the item's code is too short to tell whether {codes} applies")
    for unit in unmeasured(item, found):
        said.append(f"{item.code} does not say how many {unit} are in one, so its duty is not reckoned")
    return said


def customs_of(territory: str, earlier: Earlier | None = None) -> tuple[Customs, tuple[str, ...]]:
    """How a territory counts, and the kinds of charges that belong to its value whatever the price includes."""
    if earlier and territory in earlier.territories:
        record = earlier.territories[territory]
    else:
        record = Territory.objects.filter(code=territory).first()
    if record is None:
        return Customs(), ()
    return Customs(record.basis, record.per, record.unit, record.way), tuple(record.value_kinds)
