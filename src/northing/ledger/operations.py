"""Writes of the books: entries with their postings, layers and what leaves them."""

from collections.abc import Iterable, Sequence
from datetime import date
from decimal import Decimal
from typing import NamedTuple

from django.db import connection

from northing.access.acts import Act
from northing.core.costing import layers as rule
from northing.core.money.money import from_minor, to_minor
from northing.core.problems import Problem, Refused
from northing.database.columns import insert_columns
from northing.ledger.models import Account, CostLayer, Entry, LayerCost, LayerTake, Posting
from northing.ledger.queries import first_open_day


class Draft(NamedTuple):
    """A posting to be made; debit is positive."""

    company: int
    account: str
    amount: Decimal
    foreign_amount: Decimal | None = None
    foreign_currency: str | None = None
    rate: Decimal | None = None
    order_line: int | None = None
    charge: int | None = None
    layer: int | None = None


def open_entry(act: Act, history, text: str, companies: Iterable[int], occurred_on: date, reverses=None) -> Entry:
    """An entry that posts in the first open period of all its companies."""
    return Entry.objects.create(
        history=history,
        actor=act.person,
        action=history.action,
        text=text[:240],
        occurred_on=occurred_on,
        posted_on=first_open_day(companies, occurred_on),
        at=act.at,
        reverses=reverses,
    )


# In the order of Draft's fields, and then the entry.
POSTING = {
    "company_id": "bigint",
    "account": "text",
    "amount": "numeric",
    "foreign_amount": "numeric",
    "foreign_currency": "text",
    "rate": "numeric",
    "order_line_id": "bigint",
    "charge_id": "bigint",
    "layer_id": "bigint",
    "entry_id": "bigint",
}


def post(entry: Entry, drafts: Iterable[Draft]) -> None:
    """Write all the postings of an entry in one statement; the database refuses what does not balance."""
    rows = [(draft.company, str(draft.account), *draft[2:], entry.pk) for draft in drafts if draft.amount]
    insert_columns(Posting._meta.db_table, POSTING, rows)


def post_all(entry: Entry, postings: str, values: Sequence[object]) -> None:
    """Write whatever the query `postings` finds; its columns are Draft's fields, in their order.

    For the many postings of a vessel: nothing of them leaves the database.
    """
    names = [name for name in POSTING if name != "entry_id"]
    with connection.cursor() as cursor:
        cursor.execute(
            f"insert into {Posting._meta.db_table} (entry_id, {', '.join(names)}) select %s, q.* from ({postings}) q",
            [entry.pk, *values],
        )


def as_rule(layer: CostLayer, currency: str) -> rule.Layer:
    """The layer as the core sees it, in minor units of its company's base currency."""
    return rule.Layer(
        received=layer.received,
        gone=layer.gone,
        total=to_minor(layer.total_cost, currency),
        taken=to_minor(layer.taken_cost, currency),
        goods=to_minor(layer.goods_cost, currency),
        goods_taken=to_minor(layer.goods_taken, currency),
    )


def take(layer: CostLayer, quantity: Decimal, reason: str, entry: Entry, currency: str) -> tuple[Decimal, Decimal]:
    """Take units out of a locked layer. Returns their cost and the goods price in it, in base currency."""
    try:
        taken = rule.take(as_rule(layer, currency), quantity)
    except rule.NotThatMuch:
        raise Refused(
            Problem(
                f"Only {layer.remaining.normalize():f} are left of this layer.", "quantity", "Take at most that many."
            )
        ) from None
    cost, goods = from_minor(taken.cost, currency), from_minor(taken.goods, currency)
    LayerTake.objects.create(layer=layer, reason=reason, quantity=quantity, cost=cost, goods_cost=goods, entry=entry)
    layer.gone += quantity
    layer.taken_cost += cost
    layer.goods_taken += goods
    layer.save(update_fields=["gone", "taken_cost", "goods_taken"])
    return cost, goods


def add_costs(entry: Entry, costs: Iterable[tuple[int, int | None, Decimal]]) -> None:
    """Record components of layer cost: (layer, charge or None for goods, amount)."""
    types = {"layer_id": "bigint", "charge_id": "bigint", "amount": "numeric", "entry_id": "bigint"}
    insert_columns(LayerCost._meta.db_table, types, [(*cost, entry.pk) for cost in costs if cost[2]])


def late_account(reason: str) -> str:
    """The account of a late cost of goods that went by `reason`."""
    return Account(f"late_{reason}").value
