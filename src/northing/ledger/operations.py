"""Writes of the books: entries with their postings, layers and what leaves them."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import NamedTuple

from django.db import connection
from django.db.models import F, Sum

from northing.access.acts import Act
from northing.activity.models import HistoryEntry
from northing.core.costing import layers as rule
from northing.core.money.money import from_minor, to_minor
from northing.core.money.periods import posting_day
from northing.core.money.spread import share_so_far
from northing.core.problems import Problem, Refused
from northing.database.columns import insert_columns, update_columns
from northing.ledger.models import (
    OPEN_ITEM_ACCOUNTS,
    Account,
    AccountNumber,
    Allocation,
    AskedRate,
    Closing,
    CostLayer,
    Entry,
    ExportedPosting,
    JournalExport,
    LayerCost,
    LayerTake,
    OpenItem,
    Posting,
    RateFeed,
)
from northing.masterdata.models import Company, Site


class Draft(NamedTuple):
    """A posting to be made; debit is positive. On an account of open items party, document and currency are needed."""

    company: int
    account: str
    amount: Decimal
    foreign_amount: Decimal | None = None
    foreign_currency: str | None = None
    rate: Decimal | None = None
    order_line: int | None = None
    charge: int | None = None
    layer: int | None = None
    party: int | None = None
    document_kind: str = ""
    document: int | None = None


def open_entry(act: Act, history, text: str, occurred_on: date, reverses=None) -> Entry:
    """An entry to post on; each company posts in the first period that is open there."""
    return Entry.objects.create(
        history=history,
        actor=act.person,
        action=history.action,
        text=text[:240],
        occurred_on=occurred_on,
        at=act.at,
        reverses=reverses,
    )


def open_entries(act: Act, stories: Sequence[HistoryEntry], occurred_on: date) -> list[Entry]:
    """An entry for each story, all of one day."""
    return Entry.objects.bulk_create(
        Entry(history=one, actor=act.person, action=one.action, text=one.text[:240], occurred_on=occurred_on, at=act.at)
        for one in stories
    )


# In the order of Draft's fields, and then the entry and its day.
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
    "party_id": "bigint",
    "document_kind": "text",
    "document": "bigint",
    "entry_id": "bigint",
    "posted_on": "date",
}


def post(entry: Entry, drafts: Iterable[Draft]) -> None:
    """Write all the postings of an entry in one statement; the database refuses what does not balance."""
    post_rows([(entry, draft) for draft in drafts])


def post_rows(rows: Sequence[tuple[Entry, Draft]]) -> None:
    """Write the postings of entries of one day in one statement."""
    rows = [(entry, draft) for entry, draft in rows if draft.amount or draft.foreign_amount]
    if not rows:
        return
    occurred_on = rows[0][0].occurred_on
    days = _days_held({draft.company for _, draft in rows}, occurred_on)
    written = [(draft.company, str(draft.account), *draft[2:], entry.pk, days[draft.company]) for entry, draft in rows]
    insert_columns(Posting._meta.db_table, POSTING, written)
    _add_to_items(occurred_on, [draft for _, draft in rows if draft.account in OPEN_ITEM_ACCOUNTS])


HOLD = "select id, closed_through from masterdata_company where id = any(%s) order by id for key share"


def _days_held(companies: Iterable[int], occurred_on: date) -> dict[int, date]:
    """The day that each company (id) posts on; none of them is closed until this transaction has ended."""
    with connection.cursor() as cursor:
        cursor.execute(HOLD, [list(companies)])
        return {company: posting_day(occurred_on, through) for company, through in cursor.fetchall()}


ITEM = "company_id, account, party_id, document_kind, document, currency, amount, base, order_line_id, occurred_on"
ON_CONFLICT = """
on conflict (account, document_kind, document, company_id, currency, party_id) do update
   set amount = i.amount + excluded.amount, base = i.base + excluded.base
"""
ADD_TO_ITEMS = f"""
insert into ledger_openitem as i ({ITEM})
select *, %s from unnest(%s::bigint[], %s::text[], %s::bigint[], %s::text[], %s::bigint[], %s::text[],
                         %s::numeric[], %s::numeric[], %s::bigint[])
{ON_CONFLICT}
"""


def _add_to_items(occurred_on: date, drafts: Iterable[Draft]) -> None:
    """Add postings on accounts of open items to the items of their documents."""
    items: dict[tuple, list] = {}
    for one in drafts:
        key = (one.company, str(one.account), one.party, one.document_kind, one.document, one.foreign_currency)
        item = items.setdefault(key, [Decimal(0), Decimal(0), one.order_line])
        item[0] += one.foreign_amount or 0
        item[1] += one.amount
    if items:
        columns = zip(*((*key, *item) for key, item in sorted(items.items(), key=_by_key)), strict=True)
        with connection.cursor() as cursor:
            cursor.execute(ADD_TO_ITEMS, [occurred_on, *(list(column) for column in columns)])


def _by_key(item: tuple[tuple, list]) -> tuple:
    """In the order of the records' ids, so that two entries lock the same items one way."""
    return tuple(part or 0 for part in item[0])


# A query of postings, whose columns are Draft's fields, gets the entry and each company's posting day; what it posts
# on accounts of open items is added to them by the same statement, in the order of `_by_key`.
POST_ALL = """
with written as (
  insert into {table} (entry_id, posted_on, {names})
  select %s, case when c.closed_through >= %s then c.closed_through + 1 else %s end, q.*
    from ({postings}) q ({names}) join masterdata_company c on c.id = q.company_id for key share of c
  returning *
)
insert into ledger_openitem as i ({item})
select company_id, account, party_id, document_kind, document, foreign_currency, sum(foreign_amount), sum(amount),
       min(order_line_id), %s
  from written where account = any(%s) group by 1, 2, 3, 4, 5, 6
 order by company_id, account collate "C", party_id, document_kind collate "C", document, foreign_currency collate "C"
{on_conflict}
"""


def post_all(entry: Entry, postings: str, values: Sequence[object]) -> None:
    """Write whatever the query `postings` finds; its columns are Draft's fields, in their order.

    For the many postings of a vessel: nothing of them leaves the database.
    """
    names = ", ".join(name for name in POSTING if name not in ("entry_id", "posted_on"))
    table = Posting._meta.db_table
    statement = POST_ALL.format(table=table, names=names, postings=postings, item=ITEM, on_conflict=ON_CONFLICT)
    accounts = [account.value for account in OPEN_ITEM_ACCOUNTS]
    day = entry.occurred_on
    with connection.cursor() as cursor:
        cursor.execute(statement, [entry.pk, day, day, *values, day, accounts])


def mirror(entry: Entry, of: Entry, layers: Sequence[int]) -> None:
    """Post the counter-entry: the postings of another entry with the other sign, at its rates.

    Of those on layers only on these (ids): what the entry put upon others follows from what is left.
    """
    post_all(entry, MIRROR, [of.pk, list(layers)])


MIRROR = """
select company_id, account, -amount, -foreign_amount, foreign_currency, rate, order_line_id, charge_id, layer_id,
       party_id, document_kind, document
  from ledger_posting where entry_id = %s and (layer_id is null or layer_id = any(%s))
"""


def owed_again(of: Entry) -> list[Draft]:
    """The counter-postings of what an entry did to open items, at its rates."""
    rows = Posting.objects.filter(entry=of, account__in=OPEN_ITEM_ACCOUNTS).order_by("pk")
    drafts = [Draft(*row) for row in rows.values_list(*Draft._fields)]
    return [one._replace(amount=-one.amount, foreign_amount=-one.foreign_amount) for one in drafts]


def write_layers(layers: Sequence[CostLayer]) -> list[CostLayer]:
    """Layers of goods received, or not found; their cost is added by components."""
    return CostLayer.objects.bulk_create(layers)


def add_goods(layer: CostLayer, value: Decimal) -> None:
    """Goods value that a layer has of its own receipt."""
    CostLayer.objects.filter(pk=layer.pk).update(total_cost=F("total_cost") + value, goods_cost=F("goods_cost") + value)


def bring_to(layer: CostLayer, site: Site) -> None:
    """All of a layer lies at another site of its company now; its value stays."""
    layer.site = site
    layer.save(update_fields=["site"])


def empty_layers(layers: Sequence[int]) -> None:
    """Layers (ids) hold nothing: their receipt is reversed."""
    CostLayer.objects.filter(pk__in=list(layers)).update(
        received=0, gone=0, total_cost=0, taken_cost=0, goods_cost=0, goods_taken=0
    )


def allocate(entry: Entry, item: OpenItem, amount: Decimal, base: Decimal, quantity: Decimal | None = None) -> None:
    """Write down what uses up a part of an item; the posting itself brings the item along."""
    Allocation.objects.create(item=item, entry=entry, quantity=quantity, amount=amount, base=base)


def allocate_rows(rows: Iterable[tuple[Entry, int, Decimal, Decimal, Decimal]]) -> None:
    """`allocate` for many: the entry, the item (id), units, amount and base."""
    Allocation.objects.bulk_create(
        Allocation(entry=entry, item_id=item, quantity=units, amount=amount, base=base)
        for entry, item, units, amount, base in rows
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


class Taking(NamedTuple):
    """Units that an entry takes out of a locked layer; `claimed` says that their price is."""

    entry: Entry
    layer: CostLayer
    quantity: Decimal
    claimed: bool = False


def take(
    layer: CostLayer, quantity: Decimal, reason: str, entry: Entry, currency: str, *, claimed: bool = False
) -> LayerTake:
    """Take units out of a locked layer, at their cost in base currency; `claimed` says that their price is."""
    made = _taken(Taking(entry, layer, quantity, claimed), reason, currency)
    made.save(force_insert=True)
    layer.save(update_fields=["gone", "taken_cost", "goods_taken"])
    return made


GONE = {"gone": "numeric", "taken_cost": "numeric", "goods_taken": "numeric"}


def take_rows(takings: Sequence[Taking], reason: str) -> list[LayerTake]:
    """`take` for many, in two statements; of one layer one after the other."""
    made = [_taken(one, reason, one.layer.company.currency) for one in takings]
    LayerTake.objects.bulk_create(made)
    layers = {one.layer.pk: one.layer for one in takings}
    rows = [(key, layer.gone, layer.taken_cost, layer.goods_taken) for key, layer in layers.items()]
    update_columns(CostLayer._meta.db_table, GONE, rows)
    return made


def _taken(one: Taking, reason: str, currency: str) -> LayerTake:
    """What is written of units that go; the layer knows of them."""
    layer, quantity = one.layer, one.quantity
    try:
        taken = rule.take(as_rule(layer, currency), quantity)
    except rule.NotThatMuch:
        raise Refused(
            Problem(
                f"Only {layer.remaining.normalize():f} are left of this layer.", "quantity", "Take at most that many."
            )
        ) from None
    cost, goods = from_minor(taken.cost, currency), from_minor(taken.goods, currency)
    layer.gone += quantity
    layer.taken_cost += cost
    layer.goods_taken += goods
    return LayerTake(
        layer=layer, reason=reason, quantity=quantity, cost=cost, goods_cost=goods, claimed=one.claimed, entry=one.entry
    )


def give_back(
    layer: CostLayer,
    quantity: Decimal,
    cost: Decimal,
    goods: Decimal,
    reason: str,
    entry: Entry,
    *,
    claimed: bool = False,
) -> Decimal:
    """Units taken out of a locked layer at `cost` come back to it; returns what they bring back into stock.

    That is the cost at which they went, and what came late upon them since.
    """
    currency = layer.company.currency
    gone = layer.gone - quantity
    held = as_rule(layer, currency)
    left, goods_left = (share_so_far(total, gone, layer.received) for total in (held.total, held.goods))
    back = from_minor(held.taken - left, currency)
    LayerTake.objects.create(
        layer=layer, reason=reason, quantity=-quantity, cost=-cost, goods_cost=-goods, claimed=claimed, entry=entry
    )
    layer.gone, layer.taken_cost, layer.goods_taken = gone, from_minor(left, currency), from_minor(goods_left, currency)
    layer.save(update_fields=["gone", "taken_cost", "goods_taken"])
    return back


def take_back(entry: Entry, layers: Sequence[int]) -> None:
    """Undo the takes of layers (ids), way by way, by counter-rows."""
    sums = LayerTake.objects.filter(layer__in=list(layers)).values("layer", "reason", "claimed")
    sums = sums.annotate(units=Sum("quantity"), of_cost=Sum("cost"), of_goods=Sum("goods_cost")).order_by("layer")
    LayerTake.objects.bulk_create(
        LayerTake(
            layer_id=row["layer"],
            reason=row["reason"],
            claimed=row["claimed"],
            quantity=-row["units"],
            cost=-row["of_cost"],
            goods_cost=-row["of_goods"],
            entry=entry,
        )
        for row in sums
        if row["units"]
    )


def release_allocations(entry: Entry, of: Entry) -> None:
    """Reopen the open items that an entry used up, by counter-rows."""
    Allocation.objects.bulk_create(
        Allocation(
            item_id=one.item_id,
            entry=entry,
            quantity=-one.quantity if one.quantity is not None else None,
            amount=-one.amount,
            base=-one.base,
            difference=-one.difference,
        )
        for one in Allocation.objects.filter(entry=of).order_by("pk")
    )


def add_costs(entry: Entry, costs: Iterable[tuple[int, int | None, str, Decimal]]) -> None:
    """Record what a layer's cost is made of: (layer, charge or None, component, amount)."""
    types = {
        "layer_id": "bigint",
        "charge_id": "bigint",
        "component": "text",
        "amount": "numeric",
        "entry_id": "bigint",
    }
    rows = [(layer, charge, str(component), amount, entry.pk) for layer, charge, component, amount in costs if amount]
    insert_columns(LayerCost._meta.db_table, types, rows)


# How goods went, and whether their price is claimed.
Way = tuple[str, bool]
# Where a late cost goes of goods that are gone, by how they went.
LATE = {
    LayerTake.Reason.ISSUED: Account.LATE_ISSUED,
    LayerTake.Reason.RETURNED: Account.RETURN_LOSS,
    LayerTake.Reason.MISSING: Account.MISSING_LOSS,
    LayerTake.Reason.SCRAPPED: Account.SCRAP_LOSS,
    LayerTake.Reason.COUNTED: Account.COUNT_DIFFERENCE,
}


def late_account(component: str, way: Way) -> str:
    """The account of a late cost of a component, of goods that went by `way`.

    A price difference on goods whose price is claimed raises the claim; every other component is lost with them.
    """
    reason, claimed = way
    if claimed and component == LayerCost.Component.PRICE_DIFFERENCE:
        return Account.CLAIMS.value
    return LATE[LayerTake.Reason(reason)].value


OF_CHARGES = {"duty": LayerCost.Component.DUTY, "import_tax": LayerCost.Component.TAX}


def component_of(kind: str | None) -> str:
    """The component of a layer's cost that a charge of a kind is; without a charge it is the goods."""
    if kind is None:
        return LayerCost.Component.GOODS.value
    return OF_CHARGES.get(kind, LayerCost.Component.CHARGE).value


def write_closing(closing: Closing) -> Closing:
    """A period is closed: nothing posts in it any more."""
    closing.save(force_insert=True)
    Company.objects.filter(pk=closing.company_id).update(closed_through=closing.through)
    return closing


def reopen(closing: Closing, reason: str, at: datetime) -> None:
    """A period is open again, up to the one that was closed before it."""
    closing.reason, closing.reopened_at = reason, at
    closing.save(update_fields=["reason", "reopened_at"])
    Company.objects.filter(pk=closing.company_id).update(closed_through=closing.before)


EXPORT = """
insert into ledger_exportedposting (posting_id, export_id)
select p.id, %s from ledger_posting p
 where p.company_id = %s and p.posted_on <= %s
   and not exists (select 1 from ledger_exportedposting x where x.posting_id = p.id)
"""


def write_export(export: JournalExport) -> JournalExport:
    """A journal of all postings of its company that are in none yet; its company is locked."""
    export.save(force_insert=True)
    with connection.cursor() as cursor:
        cursor.execute(EXPORT, [export.pk, export.company_id, export.through])
    export.postings = ExportedPosting.objects.filter(export=export).count()
    export.save(update_fields=["postings"])
    return export


def number_accounts(company: int, numbers: Mapping[str, str]) -> None:
    """The accountants' numbers of accounts of a company (id); an empty one is taken away."""
    AccountNumber.objects.filter(company=company, account__in=list(numbers)).delete()
    AccountNumber.objects.bulk_create(
        AccountNumber(company_id=company, account=account, number=number)
        for account, number in sorted(numbers.items())
        if number
    )


def name_lot(layer: CostLayer, lot: str, best_before: date | None) -> None:
    """Units of a layer whose lot was not known are of this one; nothing changes where none is said."""
    if lot:
        CostLayer.objects.filter(pk=layer.pk).update(lot=lot, best_before=best_before)
        layer.lot, layer.best_before = lot, best_before


def keep_rate_feed(act: Act, url: str, purposes: str, every_minutes: int, active: bool) -> RateFeed:
    """Set the feed of rates; it is asked at once."""
    feed = RateFeed.objects.select_for_update().first() or RateFeed()
    feed.url, feed.purposes, feed.every_minutes, feed.active = url, purposes, every_minutes, active
    feed.set_by, feed.next_at, feed.failures = act.person, act.at, 0
    feed.save()
    return feed


def note_rate_poll(feed: RateFeed, at: datetime, following: datetime, failures: int, said: str) -> None:
    """How asking for rates went, and when they are asked for again."""
    feed.last_at, feed.next_at, feed.failures, feed.last_said = at, following, failures, said[:240]
    feed.save(update_fields=["last_at", "next_at", "failures", "last_said"])


def ask_rates(rates: Sequence[AskedRate]) -> None:
    """Keep rates that are asked about; one that is there already stays as it is."""
    AskedRate.objects.bulk_create(rates, ignore_conflicts=True)


def settle_rate(asked: AskedRate, act: Act, *, believed: bool) -> None:
    """A person believed a rate, or dropped it."""
    asked.settled_at, asked.settled_by, asked.believed = act.at, act.person, believed
    asked.save(update_fields=["settled_at", "settled_by", "believed"])
