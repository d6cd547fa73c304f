"""Open lines whose duty a coming change of the tariff moves: by today's rules, and by those of the day they land."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Prefetch

from northing.core.costing.tariff import Applied
from northing.core.money.money import converted, rounded
from northing.core.orders.orders import net_amount
from northing.masterdata.models import Company, Item
from northing.masterdata.queries import Rates
from northing.masterdata.tariffs import Tariff, duty_of, duty_words, unmeasured
from northing.orders.models import Instalment, OrderLine

ZERO = Decimal(0)


@dataclass(frozen=True)
class Moved:
    """Units of a line that are with the supplier: when they land, the duty today and then, what that makes in all."""

    line: OrderLine
    quantity: Decimal
    lands: date
    before: str
    after: str
    difference: Decimal

    @property
    def currency(self) -> str:
        """The base currency of its company."""
        return self.line.order.company.currency


def tariff_moves(companies: Collection[int], today: date) -> list[Moved]:
    """What of open lines lands under other rules than today's; the largest difference first. On the price alone."""
    parts = Instalment.objects.filter(line__order__company__in=companies, position__with_supplier__gt=0)
    lines = Prefetch("line", OrderLine.objects.select_related("item", "order__company"))
    tariffs: dict[int, Tariff] = {}
    book = Rates(today)
    rates, found = Rates(today, "customs", book), []
    for part in parts.select_related("position").prefetch_related(lines).order_by("pk"):
        line = part.line
        company, lands = line.order.company, part.expected_on or line.need_by
        if company.pk not in tariffs:
            tariffs[company.pk] = _tariff(company, today, rates)
        tariff = tariffs[company.pk]
        if lands <= today or not tariff.changes:
            continue
        now = tariff.of(line.item, line.order.supplier_id)
        then = tariff.of(line.item, line.order.supplier_id, (), lands)
        rate = rates.known(company, line.order.currency)
        if (now.duty, now.extras) == (then.duty, then.extras) or rate is None:
            continue
        if unmeasured(line.item, now) or unmeasured(line.item, then):
            continue
        quantity = part.position.with_supplier
        amount = net_amount(quantity, line.pack_factor, part.pack_price, part.net_share, line.order.currency)
        value = converted(amount, rate, company.currency)
        difference = _duty(line.item, then, value, quantity) - _duty(line.item, now, value, quantity)
        if difference:
            words = (duty_words(line.item, now), duty_words(line.item, then))
            found.append(Moved(line, quantity, lands, *words, rounded(difference, company.currency)))
    return sorted(found, key=lambda one: (-abs(one.difference), one.line.pk))


def _tariff(company: Company, today: date, rates: Rates) -> Tariff:
    return Tariff(company.country, today, lambda currency: rates.known(company, currency) or ZERO)


def _duty(item: Item, found: Applied, value: Decimal, quantity: Decimal) -> Decimal:
    expressions = [duty_of(item, found), *(rule.expression for rule in found.extras)]
    net = item.net_weight(quantity)
    weight = item.weight_kg * quantity if net is None else net
    measures = item.measures(quantity)
    return sum((one.amount(value, weight, quantity, measures) for one in expressions), ZERO)
