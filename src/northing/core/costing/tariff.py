"""Which rules of a tariff apply to goods on a day: the duty, the preference that it gives way to, extra duties, and
import tax where it is not what the company usually pays.

Of several that fit, the longest HS prefix counts; then the one of a supplier, of a country before a group of countries
before any origin, and the newest.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date

from northing.core.costing.customs import Expression
from northing.core.money.exact import plain, shifted

DUTY, PREFERENCE, EXTRA, TAX = "duty", "preference", "extra", "import tax"
KINDS = (DUTY, PREFERENCE, EXTRA, TAX)


@dataclass(frozen=True, slots=True)
class Rule:
    """A rule: for codes that begin with `hs`, of some countries (None: of any), from a supplier (None: from any).

    A preference needs a `proof` by that name, empty: none. `name` tells extra duties apart. `one_country` says that the
    rule names a country and not a group.
    """

    key: int
    kind: str
    hs: str
    since: date
    expression: Expression
    until: date | None = None
    countries: frozenset[str] | None = None
    one_country: bool = False
    supplier: int | None = None
    name: str = ""
    proof: str = ""

    @property
    def narrow(self) -> tuple[int, bool, int, date, int]:
        """How narrow it is: the highest counts."""
        origin = 0 if self.countries is None else 2 if self.one_country else 1
        return len(self.hs), self.supplier is not None, origin, self.since, self.key

    def is_valid(self, day: date) -> bool:
        """Whether it stands on a day."""
        return self.since <= day and (self.until is None or day <= self.until)


@dataclass(frozen=True, slots=True)
class Goods:
    """What of goods a tariff asks: their HS code and origin, who supplies them (id), the proofs that are there."""

    hs: str
    origin: str
    supplier: int | None = None
    proofs: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Applied:
    """The rules that apply. `missed` is a preference without its proof; `finer` rules have longer codes than the
    goods, so they may or may not apply. `tax` is the rule of import tax, where one says another than the usual rate.
    """

    duty: Rule | None = None
    extras: Sequence[Rule] = field(default_factory=tuple)
    missed: Rule | None = None
    finer: Sequence[Rule] = field(default_factory=tuple)
    tax: Rule | None = None

    def with_proof(self) -> "Applied":
        """What would apply if the missing proof were there."""
        return Applied(self.missed, self.extras, None, self.finer, self.tax) if self.missed else self


def applied(rules: Iterable[Rule], goods: Goods, day: date) -> Applied:
    """The rules that apply to goods on a day.

    >>> from decimal import Decimal
    >>> general = Rule(1, DUTY, "85", date(2026, 1, 1), Expression(Decimal("0.05")))
    >>> narrower = Rule(2, DUTY, "851610", date(2026, 1, 1), Expression(Decimal("0.1")))
    >>> applied([general, narrower], Goods("851610", "CN"), date(2026, 5, 1)).duty.key
    2
    """
    stands = [rule for rule in rules if rule.is_valid(day) and _concerns(rule, goods)]
    fit = [rule for rule in stands if goods.hs.startswith(rule.hs)]
    duty = _narrowest(rule for rule in fit if rule.kind == DUTY)
    preference = _narrowest(rule for rule in fit if rule.kind == PREFERENCE)
    proved = preference is not None and (not preference.proof or preference.proof in goods.proofs)
    names = dict.fromkeys(rule.name for rule in sorted(fit, key=lambda rule: rule.key) if rule.kind == EXTRA)
    extras = [_narrowest(rule for rule in fit if rule.kind == EXTRA and rule.name == name) for name in names]
    finer = [rule for rule in stands if len(rule.hs) > len(goods.hs) and rule.hs.startswith(goods.hs)]
    return Applied(
        preference if proved else duty,
        tuple(rule for rule in extras if rule),
        None if proved else preference,
        tuple(sorted(finer, key=lambda rule: (rule.hs, rule.key))),
        _narrowest(rule for rule in fit if rule.kind == TAX),
    )


def _concerns(rule: Rule, goods: Goods) -> bool:
    ours = rule.countries is None or goods.origin in rule.countries
    return ours and rule.supplier in (None, goods.supplier)


def _narrowest(rules: Iterable[Rule]) -> Rule | None:
    return max(rules, key=lambda rule: rule.narrow, default=None)


def because(rule: Rule | None) -> str:
    """Why a rule applies, in words; without a rule the item itself says it."""
    if rule is None:
        return "the item's own rate"
    code = f"HS {rule.hs}" if rule.hs else "any HS code"
    origin = "any origin" if rule.countries is None else f"origin {', '.join(sorted(rule.countries))}"
    parts = [code, origin, *(["this supplier"] if rule.supplier else [])]
    parts += [rule.name] if rule.kind == PREFERENCE and rule.name else []
    parts += [f"with {rule.proof}"] if rule.proof else []
    return ", ".join([*parts, *([f"until {rule.until:%-d %b %Y}"] if rule.until else [])])


def words_of(expression: Expression) -> str:
    """A duty as people read it.

    >>> from decimal import Decimal
    >>> words_of(Expression(Decimal("0.065")))
    '6.5 %'
    """
    parts = [f"{plain(shifted(expression.ad_valorem, 2))} %"] if expression.ad_valorem else []
    parts += [f"{one.currency} {plain(one.amount)} per {one.per}" for one in expression.specific]
    if not parts:
        return "free"
    if expression.combine == "sum":
        return " + ".join(parts)
    value, specific = parts[0], " + ".join(parts[1:])
    return f"the {expression.combine} of {value} and {specific}"
