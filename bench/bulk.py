"""Many rows at once, written below the actions, for counting queries and for the bench."""

from datetime import timedelta

from django.db import connection
from tests.worlds import TODAY, World

from northing.actions.worklist.deliveries import refresh_deliveries
from northing.actions.worklist.refresh import refresh_lines
from northing.masterdata.models import Agreement, Item, Party

# One order in a hundred lines; every line has one instalment, its position and its matter.
LINES = """
with orders as (
  insert into orders_purchaseorder (company_id, number, supplier_id, site_id, buyer_id, currency, incoterm, incoterm_place,
         ours_from, need_by, created_at, checked_at, approved_at, sent_at, revision)
  select %(company)s, 'B' || lpad((%(start)s + n)::text, 8, '0'),
         (%(suppliers)s::bigint[])[1 + n %% cardinality(%(suppliers)s::bigint[])], %(site)s, %(buyer)s, 'USD', 'FOB', '',
         'on_board', %(today)s::date + (n %% 200)::int, now(), now(), now(), now(), 1
    from generate_series(0, (%(rows)s - 1) / 100) n
  returning id, number
), numbered as (
  select id, row_number() over (order by number) - 1 as place from orders
), lines as (
  insert into orders_orderline (order_id, number, item_id, pack, pack_factor, quantity, pack_price, discount, need_by)
  select o.id, n %% 100 + 1, (%(items)s::bigint[])[1 + n * 31 %% cardinality(%(items)s::bigint[])], 'pc', 1, 10 + n %% 500, 18.4, 0, %(today)s::date + (n * 7919 %% 300 - 100)::int
    from generate_series(0::bigint, %(rows)s - 1) n join numbered o on o.place = n / 100
  returning id, quantity, need_by, order_id, number
), parts as (
  insert into orders_instalment (line_id, number, quantity, asked_on, pack_price, agreed_quantity, first_promise, promise, expected_on)
  select id, 1, quantity, need_by - 40, 18.4, quantity, need_by - 40, need_by - 40,
         case when n %% 5 < 2 then %(today)s::date + (n * 104729 %% 300 - 90)::int end
    from (select l.*, o.place * 100 + l.number - 1 as n from lines l join numbered o on o.id = l.order_id) counted
  returning id, quantity, expected_on
), stands as (
  insert into positions_position (instalment_id, ordered, excess, with_supplier, packed, under_way, landed, held, in_store,
         issued, rejected, scrapped, returned, missing, lost, dropped)
  select id, quantity, 0, case when expected_on is null then 0 else quantity end, 0, 0, 0, 0,
         case when expected_on is null then quantity else 0 end, 0, 0, 0, 0, 0, 0, 0 from parts
)
insert into worklist_matter (kind, record, company_id, party, reason, since, due, at_stake)
select 'instalment', id, %(company)s, 'supplier', 'to have the goods ready', %(today)s, %(today)s, id %% 1000
  from parts where expected_on is not null
"""
MOVEMENTS = """
with told as (
  insert into activity_historyentry (action, actor_id, channel, at, occurred_on, text, changes)
  values ('bulk', %(buyer)s, 'file', now(), %(today)s, 'bulk', '[]') returning id
)
insert into positions_movement (instalment_id, source, target, quantity, history_id)
select p.instalment_id, 'ordered', case when p.with_supplier > 0 then 'with_supplier' else 'in_store' end, p.ordered, told.id
  from positions_position p cross join told
 where not exists (select 1 from positions_movement m where m.instalment_id = p.instalment_id)
"""
# A shipment, a charge, an entry, a layer, a receipt and a case for each row.
RECORDS = """
with chosen as (
  select n.id as part, n.line_id, n.quantity, row_number() over (order by n.id) as place
    from orders_instalment n join positions_position p on p.instalment_id = n.id
   where p.with_supplier > 0 and not exists (select 1 from shipping_shipmentline s where s.instalment_id = n.id)
   order by n.id desc limit %(rows)s
), shipments as (
  insert into shipping_shipment (reference, document, created_at, expected_dock, planned_dock)
  select 'B' || part, '', now(), %(today)s, %(today)s from chosen returning id, reference
), boxes as (
  insert into shipping_container (shipment_id, number, size_type, seal) select id, 'X' || id, '22G1', '' from shipments
  returning id, shipment_id
), stowed as (
  insert into shipping_shipmentline (container_id, instalment_id, quantity, accounted, opening_billed)
  select b.id, substr(s.reference, 2)::bigint, 1, 0, false from boxes b join shipments s on s.id = b.shipment_id
  returning id, container_id
), charges as (
  insert into costing_charge
         (company_id, payee_id, kind, basis, currency, estimated_currency, remark, announced_number, billed, billed_on, closed_on)
  select %(company)s, %(payee)s, 'freight', 'volume', 'NZD', '', '', '', 1, %(today)s, %(today)s from stowed returning id
), bearing as (
  insert into costing_chargepart (charge_id, company_id, amount, base_amount, billed, billed_base)
  select id, %(company)s, 1, 1, 1, 1 from charges
), layers as (
  insert into ledger_costlayer (kind, company_id, site_id, item_id, lot, occurred_on, received, gone, total_cost, taken_cost,
         goods_cost, goods_taken)
  select 'stock', %(company)s, %(site)s, %(item)s, '', %(today)s, 5, 0, 0, 0, 0, 0 from stowed returning id
), told as (
  insert into activity_historyentry (action, actor_id, channel, at, occurred_on, text, changes)
  values ('bulk', %(buyer)s, 'file', now(), %(today)s, 'bulk', '[]') returning id
), hand as (
  insert into inventory_onhand (layer_id, bin_id, status, quantity) select id, %(bin)s, 'held', 5 from layers
), moved as (
  insert into inventory_stockmovement (layer_id, source_status, target_id, target_status, quantity, history_id)
  select layers.id, '', %(bin)s, 'held', 5, told.id from layers cross join told
), cases as (
  insert into claims_claim
         (company_id, kind, layer_id, supplier_id, against_id, reason, quantity, ended, authorised, opened_on)
  select %(company)s, 'rejected', id, %(supplier)s, %(supplier)s, 'bulk', 1, 0, 0, %(today)s from layers
), entries as (
  insert into ledger_entry (history_id, actor_id, action, text, occurred_on, at)
  select told.id, %(buyer)s, 'bulk', 'bulk', %(today)s, now() from told cross join stowed returning id
), bills as (
  insert into billing_bill
         (kind, company_id, party_id, number, number_key, day, currency, rate, total, tax, entered_by_id, at, entry_id)
  select 'bill', %(company)s, %(payee)s, 'B' || id, 'B' || id, %(today)s, 'NZD', 1, 1, 0, %(buyer)s, now(), id from entries
  returning id
), billed as (
  insert into billing_billline (bill_id, number, charge_id, amount, remark, final)
  select b.id, 1, c.id, 1, '', true
    from (select id, row_number() over (order by id) as n from bills) b
    join (select id, row_number() over (order by id) as n from charges) c using (n)
), items as (
  insert into ledger_openitem (company_id, account, party_id, document_kind, document, currency, amount, base,
         order_line_id, occurred_on)
  select %(company)s, account, %(supplier)s, 'shipment_line', e.id, 'NZD', amount, amount,
         (select line_id from chosen limit 1), %(today)s
    from entries e cross join (values ('owned_not_billed', -1), ('claims', 1)) as two(account, amount)
)
insert into ledger_posting (entry_id, company_id, account, posted_on, party_id, document_kind, document, amount,
       foreign_amount, foreign_currency, order_line_id)
select e.id, %(company)s, account, %(today)s, %(supplier)s, 'shipment_line', e.id, amount, amount, 'NZD',
       (select line_id from chosen limit 1)
  from entries e cross join (values ('owned_not_billed', -1), ('claims', 1)) as two(account, amount)
"""


def spread_out(world: World, suppliers: int = 50, items: int = 2_000) -> None:
    """So many suppliers and items more, over which lines are spread from then on."""
    usd, kettle = world.parties["USD"], world.items["A"]
    Party.objects.bulk_create(
        Party(kind="supplier", code=f"BS{n:03d}", name=f"Bulk Supplier {n:03d}", currency="USD", country="CN")
        for n in range(suppliers)
    )
    Item.objects.bulk_create(
        Item(code=f"BI-{n:05d}", description=f"bulk item {n}", group=f"g{n % 20}", hs_code="851610", origin="CN")
        for n in range(items)
    )
    Agreement.objects.bulk_create(
        Agreement(supplier=usd, item=item, price=n + 1, currency="USD", valid_from=TODAY - timedelta(days=400))
        for n, item in enumerate(Item.objects.exclude(pk=kettle.pk).filter(code__startswith="BI-"))
    )


def parameters(world: World, rows: int) -> dict:
    """Ids of the small world for the statements above."""
    suppliers = Party.objects.filter(code__startswith="BS").values_list("pk", flat=True)
    items = Item.objects.filter(code__startswith="BI-").values_list("pk", flat=True)
    with connection.cursor() as cursor:
        cursor.execute("select coalesce(max(id), 0) from orders_purchaseorder")
        start = cursor.fetchone()[0]
    return {
        "rows": rows,
        "start": start,
        "company": world.nz.pk,
        "site": world.site.pk,
        "bin": world.site.bins.first().pk,
        "supplier": world.parties["USD"].pk,
        "payee": world.parties["provider"].pk,
        "item": world.items["A"].pk,
        "suppliers": list(suppliers) or [world.parties["USD"].pk],
        "items": list(items) or [world.items["A"].pk],
        "buyer": world.people["expediter"].pk,
        "today": TODAY,
    }


def fill_lines(world: World, rows: int) -> None:
    """`rows` order lines, two fifths of them open, with instalments, positions, movements, matters."""
    with connection.cursor() as cursor:
        values = parameters(world, rows)
        cursor.execute(LINES, values)
        cursor.execute(MOVEMENTS, values)
        cursor.execute("analyze")
        missing = "select l.id from orders_orderline l left join worklist_linesummary b on b.line_id = l.id where b.line_id is null"
        cursor.execute(missing)
        lines = [line for (line,) in cursor.fetchall()]
    refresh_lines(lines)
    refresh_deliveries(lines)
    with connection.cursor() as cursor:
        cursor.execute("analyze")


def fill(world: World, rows: int) -> None:
    """`rows` of whatever lists show; more lines than that, so that enough of them are open."""
    fill_lines(world, rows * 3)
    with connection.cursor() as cursor:
        cursor.execute(RECORDS, parameters(world, rows))
        cursor.execute("analyze")  # as autovacuum would have done
        cursor.execute(
            "select n.line_id from shipping_shipmentline g join orders_instalment n on n.id = g.instalment_id"
        )
        lines = [line for (line,) in cursor.fetchall()]
    refresh_lines(lines)
    refresh_deliveries(lines)
