"""Derived rows, kept in the transaction of each fact: expectations, whose move it is, where each line stands."""

from collections.abc import Iterable, Sequence

from django.db import connection

from northing.actions.worklist import expected_days
from northing.actions.worklist.bills import refresh_bills
from northing.actions.worklist.cases import refresh_cases
from northing.actions.worklist.deliveries import refresh_deliveries
from northing.actions.worklist.instalments import refresh_instalments
from northing.actions.worklist.kept import refresh_kept_of
from northing.actions.worklist.layers import refresh_layers
from northing.actions.worklist.orders import refresh_orders
from northing.actions.worklist.questions import open_questions, refresh_questions
from northing.actions.worklist.receipts import refresh_receipts
from northing.actions.worklist.shipments import refresh_shipments
from northing.actions.worklist.unbilled import refresh_unbilled
from northing.claims.queries import cases_replaced_on
from northing.core.positions.places import COLUMNS, OUTSTANDING
from northing.worklist.models import LineSummary
from northing.worklist.operations import forget_unsent

RECEIVED = ("held", "in_store", "issued", "rejected", "scrapped", "returned")

# The lines that an action touched, by whatever of them it knew.
TOUCHED = """
select n.line_id from orders_instalment n where n.id = any(%(instalments)s)
union
select n.line_id
  from shipping_container c
  join shipping_shipmentline w on w.container_id = c.id and w.accounted < w.quantity
  join orders_instalment n on n.id = w.instalment_id
 where c.shipment_id = any(%(shipments)s)
union
select n.line_id
  from ledger_costlayer y
  join shipping_shipmentline w on w.id = y.shipment_line_id
  join orders_instalment n on n.id = w.instalment_id
 where y.id = any(%(layers)s) or y.id in (select layer_id from claims_claim where id = any(%(cases)s))
"""

WITH_REPLACEMENTS = f"""
select t.line_id, exists (select from claims_replacement p where p.order_line_id = t.line_id) from ({TOUCHED}) t
"""

# Whose move a line is: ours before anybody's, then what is due first; of all the open matters of its units.
MOVES = """
  select distinct on (line_id) line_id, party, reason, since, due
    from (
      select t.line_id, w.party, w.reason, w.since, w.due
        from touched t
        join orders_instalment n on n.line_id = t.line_id
        join worklist_matter w on w.kind = 'instalment' and w.record = n.id
       union all
      select t.line_id, w.party, w.reason, w.since, w.due
        from touched t
        join orders_orderline l on l.id = t.line_id
        join orders_purchaseorder o on o.id = l.order_id
        join orders_instalment n on n.line_id = l.id
        join shipping_shipmentline g on g.instalment_id = n.id and g.accounted < g.quantity
        join shipping_container c on c.id = g.container_id
        join worklist_matter w on w.kind = 'shipment' and w.record = c.shipment_id and w.company_id = o.company_id
       union all
      select t.line_id, w.party, w.reason, w.since, w.due
        from touched t
        join orders_instalment n on n.line_id = t.line_id
        join shipping_shipmentline g on g.instalment_id = n.id and g.accounted > 0
        join ledger_costlayer y on y.shipment_line_id = g.id
        left join claims_claim k on k.layer_id = y.id
        join worklist_matter w
          on (w.kind = 'layer' and w.record = y.id) or (w.kind = 'case' and w.record = k.id)
    ) all_of_them
   order by line_id, party <> 'us', due nulls last, since, party, reason
"""

# Units to be billed are those recognised at a price, less what went back or never came; a line of which nobody else has
# to do anything and that has such units is accounts' move.
FIGURES = f"""
with touched as materialized ({{touched}}),
moves as ({MOVES}),
rates as (
  select distinct on (company_id, currency) company_id, currency, rate
    from masterdata_exchangerate where purpose = 'book' order by company_id, currency, day desc
),
recognised as (
  select n.line_id, 'shipment_line' as kind, g.id as document, g.quantity as units, g.opening_billed as billed,
         g.goods_amount > 0 as priced, g.ours_on as day
    from touched t
    join orders_instalment n on n.line_id = t.line_id
    join shipping_shipmentline g on g.instalment_id = n.id and g.goods_base is not null
   union all
  select n.line_id, 'receipt_line', w.id, w.recognised_units, false, w.recognised_amount > 0, r.occurred_on
    from touched t
    join orders_instalment n on n.line_id = t.line_id
    join receiving_receiptline w on w.instalment_id = n.id and w.recognised_units > 0
    join receiving_receipt r on r.id = w.receipt_id and r.reversed_by_id is null
),
released as (
  select i.document_kind, i.document, sum(a.quantity) as units
    from recognised c
    join ledger_openitem i
      on i.account = 'owned_not_billed' and i.document_kind = c.kind and i.document = c.document
    join ledger_allocation a on a.item_id = i.id
   group by i.document_kind, i.document
),
bills as (
  select c.line_id, sum(c.units) filter (where c.billed) as billed,
         sum(c.units - coalesce(x.units, 0)) filter (where c.priced and not c.billed) as unbilled,
         min(c.day) filter (where c.priced and not c.billed and c.units > coalesce(x.units, 0)) as since
    from recognised c
    left join released x on x.document_kind = c.kind and x.document = c.document
   group by c.line_id
),
papers as (
  select w.order_line_id as line_id, sum(w.quantity) as units
    from touched t
    join billing_billline w on w.order_line_id = t.line_id
    join billing_bill k on k.id = w.bill_id and k.reversed_by_id is null
   group by w.order_line_id
),
parts as (
  select n.line_id, sum(n.agreed_quantity) as agreed, max(n.asked_on) as requested_on,
         min(n.first_promise) as first_promise, max(n.promise) as promise,
         max(n.promise - n.first_promise) as slip,
         min(n.promise) filter (where p.with_supplier > 0) as next_promise, max(n.expected_on) as expected_on,
         bool_or(exists (select 1 from confirmations_answer x where x.instalment_id = n.id and x.outcome = 'open'))
           as answer_waits,
         sum((p.{" + p.".join(OUTSTANDING)}) * n.pack_price * n.net_share) as worth,
         {", ".join(f"sum(p.{name}) as {name}" for name in COLUMNS)}
    from touched t
    join orders_instalment n on n.line_id = t.line_id
    join positions_position p on p.instalment_id = n.id
   group by n.line_id
)
select l.id as line_id, o.id as order_id, o.company_id, o.supplier_id, l.item_id, o.site_id, o.buyer_id,
       coalesce(s.port_id, '') as port, o.currency, a.expected_on is not null as is_open,
       {", ".join(f"a.{name}" for name in COLUMNS)}, a.agreed,
       a.{" + a.".join(RECEIVED)} as received,
       a.{" + a.".join(OUTSTANDING)} as outstanding,
       coalesce(b.billed, 0) + coalesce(w.units, 0) as billed,
       coalesce(b.unbilled, 0) as unbilled,
       round(a.worth / l.pack_factor, 4) as value,
       round(a.worth / l.pack_factor
             * case when o.currency = c.currency then 1 else coalesce(r.rate, 0) end, 4) as value_base,
       l.need_by, a.requested_on, a.first_promise, a.promise, a.next_promise, a.expected_on, a.slip,
       a.answer_waits,
       coalesce(m.party, case when b.since is null then '' else 'accounts' end) as party,
       coalesce(m.reason, case when b.since is null then '' else 'received, not billed yet' end) as reason,
       coalesce(m.since, b.since) as since, m.due
  from touched t
  join orders_orderline l on l.id = t.line_id
  join orders_purchaseorder o on o.id = l.order_id and o.sent_at is not null
  join masterdata_company c on c.id = o.company_id
  join masterdata_party s on s.id = o.supplier_id
  join parts a on a.line_id = l.id
  left join bills b on b.line_id = l.id
  left join papers w on w.line_id = l.id
  left join moves m on m.line_id = l.id
  left join rates r on r.company_id = o.company_id and r.currency = o.currency
"""

NAMES = [field.column for field in LineSummary._meta.concrete_fields]
# What a new exchange rate moves without a fact; a proof leaves it out.
DRIFTING = {"value_base"}


def bring_along(
    *,
    orders: Iterable[int] = (),
    instalments: Iterable[int] = (),
    dated: Iterable[int] = (),
    shipments: Iterable[int] = (),
    layers: Iterable[int] = (),
    cases: Iterable[int] = (),
    questions: Iterable[int] = (),
    lines: Iterable[int] = (),
    bills: Iterable[int] = (),
    receipts: Iterable[int] = (),
) -> None:
    """Bring along all that follows from facts about these records (ids).

    `dated` are instalments of which only the dates moved, `lines` order lines that were only billed. Every action that
    writes facts ends with this.
    """
    orders, instalments = list(orders), list(instalments)
    keys = {"instalments": [*instalments, *dated], "shipments": [*shipments], "layers": [*layers], "cases": [*cases]}
    for refresh, records in (
        (expected_days.refresh_expected, keys["instalments"]),
        (refresh_orders, orders),
        (refresh_instalments, instalments),
        (refresh_shipments, keys["shipments"]),
        (refresh_layers, keys["layers"]),
        (refresh_cases, keys["cases"]),
        (refresh_bills, [*bills]),
        (refresh_receipts, [*receipts]),
        (refresh_questions, [*questions, *(open_questions(instalments) if instalments else [])]),
    ):
        if records:
            refresh(records)
    if billed := list(lines):
        refresh_lines(billed)
    if any(keys.values()):
        found = _lines_of(keys)
        lines = [line for line, _ in found]
        refresh_lines(lines)
        refresh_deliveries(lines, keys["shipments"])
        _follow_replacements([line for line, replaces in found if replaces])


def _follow_replacements(lines: Sequence[int]) -> None:
    """Cases whose units these lines (ids) replace end when those have come; the lines that failed say so too."""
    if not lines:
        return
    cases = cases_replaced_on(lines)
    refresh_cases(cases)
    failed = _lines_of({"instalments": [], "shipments": [], "layers": [], "cases": cases})
    refresh_lines([line for line, _ in failed])


def _lines_of(keys: dict[str, list[int]]) -> list[tuple[int, bool]]:
    """The lines that were touched, and whether their goods come in the place of others."""
    with connection.cursor() as cursor:
        cursor.execute(WITH_REPLACEMENTS, keys)
        return cursor.fetchall()


def refresh_lines(lines: Iterable[int]) -> None:
    """Write where the lines (ids) stand; what is right already is left alone.

    They go over as an array and not as the query that found them: then the planner knows how many there are. With
    the query it thought of 25 for a shipment of 5,000 and chose loops within loops.
    """
    _write_standing("select unnest(%(lines)s::bigint[]) as line_id", {"lines": list(lines)})


def _write_standing(touched: str, values: dict) -> None:
    kept = [name for name in NAMES if name != "line_id"]
    ours, theirs = (", ".join(f"{row}.{name}" for name in kept) for row in ("b", "excluded"))
    statement = (
        f"insert into {LineSummary._meta.db_table} as b ({', '.join(NAMES)})"
        f" select {', '.join(NAMES)} from ({FIGURES.format(touched=touched)}) f order by line_id"
        f" on conflict (line_id) do update set {', '.join(f'{name} = excluded.{name}' for name in kept)}"
        f" where ({ours}) is distinct from ({theirs})"
        " returning order_id, unbilled > 0 or xmax <> 0"
    )
    with connection.cursor() as cursor:
        cursor.execute(statement, values)
        changed = {order for order, may_differ in cursor.fetchall() if may_differ}
    # Of a line that is new and has nothing to be billed nothing waits for its bill.
    if changed:
        refresh_unbilled(sorted(changed))
        refresh_kept_of(changed)


def refresh_every_line() -> None:
    """Write where all lines stand: after a file of openings, and for the values when rates have moved."""
    _write_standing("select id as line_id from orders_orderline", {})
    forget_unsent()
