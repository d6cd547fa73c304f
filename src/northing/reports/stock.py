"""Stock by item: where it lies, and where it is on its way to us; with its value."""

from django.db import connection

# What is here is added up at once; what is on its way only of the items that the page shows.
SQL = """
with hand as (
  select c.item_id, c.company_id,
         sum(h.quantity) filter (where h.status = 'in_store') as in_store,
         sum(h.quantity) filter (where h.status = 'held') as held,
         sum(h.quantity) filter (where h.status = 'rejected') as rejected,
         sum(h.quantity) filter (where h.status = 'on_way') as on_way
    from inventory_onhand h join ledger_costlayer c on c.id = h.layer_id
   where h.quantity > 0 and c.company_id = any(%(companies)s)
   group by 1, 2
), worth as (
  select item_id, company_id, sum(total_cost - taken_cost) as value
    from ledger_costlayer where company_id = any(%(companies)s) and total_cost <> taken_cost group by 1, 2
), there as materialized (
  select i.id, i.code, i.description, i.unit, y.id as company_id, y.code as company, y.currency,
         h.in_store, h.held, h.rejected, h.on_way, w.value
    from masterdata_item i
    join masterdata_company y on y.id = any(%(companies)s)
    left join hand h on h.item_id = i.id and h.company_id = y.id
    left join worth w on w.item_id = i.id and w.company_id = y.id
   where (h.item_id is not null or w.value <> 0 or exists (
           select 1 from worklist_linesummary b where b.item_id = i.id and b.company_id = y.id and b.is_open))
     and (i.code ilike %(q)s or i.description ilike %(q)s)
   order by i.code, y.code
   limit %(limit)s offset %(first)s
)
select t.id, t.code, t.description, t.unit, t.company, t.currency,
       coalesce(t.in_store, 0) as in_store, coalesce(t.held, 0) as held, coalesce(t.rejected, 0) as rejected,
       coalesce(t.on_way, 0) as on_way, coalesce(t.value, 0) as value,
       coalesce(g.on_order, 0) as on_order, coalesce(g.packed, 0) as packed, coalesce(g.landed, 0) as landed,
       coalesce(g.under_way, 0) as under_way, coalesce(o.ours, 0) as afloat_ours,
       coalesce(g.under_way, 0) - coalesce(o.ours, 0) as afloat
  from there t
 cross join lateral (
       select sum(b.with_supplier) as on_order, sum(b.packed) as packed, sum(b.under_way) as under_way,
              sum(b.landed) as landed
         from worklist_linesummary b where b.item_id = t.id and b.company_id = t.company_id and b.is_open) g
 cross join lateral (
       select sum(s.quantity - s.accounted) as ours
         from worklist_linesummary b
         join orders_instalment n on n.line_id = b.line_id
         join shipping_shipmentline s on s.instalment_id = n.id and s.ours_on is not null and s.accounted < s.quantity
         join shipping_container c on c.id = s.container_id
         join shipping_shipment p on p.id = c.shipment_id and p.departed_on is not null and p.arrived_on is null
        where b.item_id = t.id and b.company_id = t.company_id and b.is_open and b.under_way > 0) o
 order by t.code, t.company
"""


def stock_rows(companies: set[int], text: str, first: int, past: int) -> list[dict]:
    """A row for each item and company that has anything; quantities in base units, value in base currency.

    From row `first` to before row `past`, counted from 0, by code.
    """
    escaped = text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    with connection.cursor() as cursor:
        cursor.execute(SQL, {"companies": list(companies), "q": f"%{escaped}%", "first": first, "limit": past - first})
        names = [column.name for column in cursor.description]
        return [dict(zip(names, row, strict=True)) for row in cursor.fetchall()]
