"""Goods becoming ours: owned afloat against owned not billed, at that day's rate; and valued anew on another day."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from decimal import Decimal
from functools import partial
from typing import NamedTuple

from django.db.models import Exists, OuterRef, Q, Sum

from northing.access.acts import Act
from northing.actions.costing import advances
from northing.actions.costing.valuing import Valued, Valuer, settle
from northing.activity.models import HistoryEntry
from northing.core.costing.ownership import moments_through, ours_since
from northing.core.money.money import converted
from northing.core.orders.orders import net_amount
from northing.ledger.models import Account, Allocation, DocumentKind, Entry, Posting
from northing.ledger.operations import open_entry, post, post_all
from northing.ledger.queries import posting_note
from northing.masterdata.models import Company
from northing.masterdata.queries import Rates
from northing.receiving.models import Receipt
from northing.shipping.models import ShipmentLine
from northing.shipping.operations import own_shipment_lines


class Goods(NamedTuple):
    """A part of a shipment as it is valued. Ids of its records; price per pack in the order's currency."""

    shipment_line: int
    line: int
    order: int
    company: int
    currency: str
    quantity: Decimal
    pack_factor: Decimal
    pack_price: Decimal
    net_share: Decimal


GOODS = (
    "pk",
    "instalment__line",
    "instalment__line__order",
    "instalment__line__order__company",
    "instalment__line__order__currency",
    "quantity",
    "instalment__line__pack_factor",
    "instalment__pack_price",
    "instalment__net_share",
)


class Owned(NamedTuple):
    """A part with its worth."""

    goods: Goods
    worth: Valued

    @property
    def amount(self) -> Decimal:
        """In the order's currency."""
        return self.worth.amount

    @property
    def base(self) -> Decimal:
        """In base currency."""
        return self.worth.base


def goods_amount(part: ShipmentLine, quantity: Decimal) -> Decimal:
    """Goods price of `quantity` of a shipment line in the order's currency, rounded once."""
    line = part.instalment.line
    price, paid = part.instalment.pack_price, part.instalment.net_share
    return net_amount(quantity, line.pack_factor, price, paid, line.order.currency)


def value_today(part: ShipmentLine, rates: Rates) -> Decimal:
    """The worth of the whole shipment line in base currency at the rates of the day."""
    order = part.instalment.line.order
    amount = goods_amount(part, part.quantity)
    return converted(amount, rates.of(order.company, order.currency), order.company.currency)


def becoming_ours(shipment_lines, event: str, day: date) -> list[Owned]:
    """What `event` makes ours among a queryset of shipment lines. Raises Refused without a rate.

    Goods that are ours from their receipt are valued there, as much of them as was received.
    """
    moments = [moment for moment in moments_through(event) if moment != "receipt"]
    waiting = shipment_lines.filter(ours_on=None, instalment__line__order__ours_from__in=moments).order_by("pk")
    return valued(waiting, day)


def valued(shipment_lines, day: date) -> list[Owned]:
    """A queryset of shipment lines at the rates of a day. Raises Refused without a rate."""
    rows = list(map(Goods._make, shipment_lines.values_list(*GOODS)))
    if not rows:
        return []
    companies = Company.objects.in_bulk({goods.company for goods in rows})
    valuer = Valuer(day, {goods.order for goods in rows}, {goods.line for goods in rows})
    owned = []
    for goods in rows:
        price = partial(_price, goods)
        company = companies[goods.company]
        worth = valuer.value(company, goods.currency, goods.order, goods.line, goods.quantity, price)
        owned.append(Owned(goods, worth))
    return owned


def _price(goods: Goods, units: Decimal) -> Decimal:
    return net_amount(units, goods.pack_factor, goods.pack_price, goods.net_share, goods.currency)


def owned_otherwise(days: Mapping[int, Mapping[str, date | None]]) -> dict[tuple[int, str, date], date | None]:
    """Goods aboard that are ours since another day than that of their moment.

    `days` are those of the moments, by shipment (id). Returns by shipment, rule and the day in the books the day it
    should be; None where nothing has made them ours.
    """
    ours = _unsettled(days).order_by().values_list(*OWNED_BY).distinct()
    found = {}
    for shipment, rule, since in ours:
        due = ours_since(rule, days[shipment])
        if due != since:
            found[shipment, rule, since] = due
    return found


OWNED_BY = ("container__shipment", "instalment__line__order__ours_from", "ours_on")


def _unsettled(shipments: Iterable[int]):
    """What is ours at a value that can still change: afloat, or received while only the receipt proves that it came;
    and nothing of it was given back or claimed at that value."""
    ours = ShipmentLine.objects.filter(container__shipment__in=list(shipments), ours_on__isnull=False)
    of_shipment = Receipt.objects.filter(container__shipment=OuterRef("container__shipment"), reversed_by=None)
    ours = ours.filter(Q(accounted=0) | Exists(of_shipment.filter(Q(proves_departure=True) | Q(proves_arrival=True))))
    items = {"item__document_kind": DocumentKind.SHIPMENT_LINE, "item__document": OuterRef("pk")}
    used = Allocation.objects.filter(item__account=Account.OWNED_NOT_BILLED, **items).order_by().values("item")
    used = used.annotate(total=Sum("amount")).exclude(total=0)
    return ours.exclude(instalment__line__order__ours_from="receipt").exclude(Exists(used))


def brought_in() -> Exists:
    """Of a shipment line: a file brought it in as goods afloat, at a value of its own."""
    return Exists(Posting.objects.filter(order_line=OuterRef("instalment__line"), entry__action="open_afloat"))


def _revaluable(shipments: Iterable[int]):
    return _unsettled(shipments).exclude(brought_in())


def those_owned(shipments: Iterable[int], rule: str, since: date):
    """The shipment lines that keys of `owned_otherwise` stand for; not what a file brought in."""
    return _revaluable(shipments).filter(instalment__line__order__ours_from=rule, ours_on=since)


def require_rates(shipments: Iterable[int], day: date) -> None:
    """Raises Refused where what is ours aboard shipments (ids) could not be valued by the rates of a day."""
    order = "instalment__line__order"
    needed = _revaluable(shipments).order_by().values_list(f"{order}__company", f"{order}__currency").distinct()
    needed = list(needed)
    companies, rates = Company.objects.in_bulk({company for company, _ in needed}), Rates(day)
    for company, currency in needed:
        rates.of(companies[company], currency)


# Two postings for each shipment line: owned afloat in base, owned not billed in both currencies; Draft's fields.
POSTINGS = """
select o.company_id, v.account, v.sign * s.goods_base,
       case when v.owed then v.sign * s.goods_amount end, case when v.owed then o.currency end,
       case when v.owed then s.goods_rate end, n.line_id, null::bigint, null::bigint,
       case when v.owed then o.supplier_id end, 'shipment_line', s.id
  from shipping_shipmentline s
  join orders_instalment n on n.id = s.instalment_id
  join orders_orderline l on l.id = n.line_id
  join orders_purchaseorder o on o.id = l.order_id
 cross join (values ('owned_afloat', %s, false), ('owned_not_billed', -%s, true)) v(account, sign, owed)
 where s.id = any(%s) and s.goods_base <> 0
"""


def take_ownership(entry: Entry, owned: Sequence[Owned], day: date) -> None:
    """Write the values on the shipment lines and post them."""
    own_shipment_lines((one.goods.shipment_line, day, one.amount, one.base, one.worth.rate) for one in owned)
    post_all(entry, POSTINGS, [1, 1, [one.goods.shipment_line for one in owned]])
    kind = DocumentKind.SHIPMENT_LINE
    post(entry, settle(entry, [(kind, one.goods.shipment_line, one.goods.order, one.worth) for one in owned]))


def own_by(act: Act, history: HistoryEntry, event: str, shipment_lines, day: date, name: str) -> None:
    """What `event` makes ours among a queryset of shipment lines, in an entry of its own.

    `name` says what it happened to.
    """
    owned = becoming_ours(shipment_lines, event, day)
    if owned:
        companies = {one.goods.company for one in owned}
        text = f"Goods became ours: {event.replace('_', ' ')} of {name}{posting_note(companies, day)}"
        take_ownership(open_entry(act, history, text, day), owned, day)


def keep(entry: Entry, shipment_lines: Sequence[int]) -> None:
    """Shipment lines (ids) stay ours, at their value, though what made them ours is undone by the entry."""
    post_all(entry, POSTINGS, [1, 1, list(shipment_lines)])


def give_up(entry: Entry, shipment_lines: Sequence[int]) -> None:
    """Shipment lines (ids) that are ours no more: what was posted when they became ours goes back, at the same rate."""
    post_all(entry, POSTINGS, [-1, -1, list(shipment_lines)])
    advances.give_up_all(entry, DocumentKind.SHIPMENT_LINE, shipment_lines)
    own_shipment_lines((key, None, None, None, None) for key in shipment_lines)
