"""Stock by item: in store, held, rejected, owned afloat, on order; with its value."""

from django.db import connection

SQL = """
with hand as (
  select c.item_id, c.company_id,
         sum(h.quantity) filter (where h.status = 'in_store') as in_store,
         sum(h.quantity) filter (where h.status = 'held') as held,
         sum(h.quantity) filter (where h.status = 'rejected') as rejected
    from inventory_onhand h join ledger_costlayer c on c.id = h.layer_id
   where h.quantity > 0 and c.company_id = any(%(companies)s)
   group by 1, 2
), worth as (
  select item_id, company_id, sum(total_cost - taken_cost) as value
    from ledger_costlayer where company_id = any(%(companies)s) group by 1, 2
), coming as (
  select item_id, company_id, sum(with_supplier) as on_order, sum(packed + under_way + landed) as coming
    from worklist_linesummary where company_id = any(%(companies)s) and is_open
   group by 1, 2
)
select i.id, i.code, i.description, i.unit, y.code as company, y.currency,
       coalesce(h.in_store, 0) as in_store, coalesce(h.held, 0) as held, coalesce(h.rejected, 0) as rejected,
       coalesce(g.coming, 0) as coming, coalesce(g.on_order, 0) as on_order, coalesce(w.value, 0) as value
  from masterdata_item i
  cross join masterdata_company y
  left join hand h on h.item_id = i.id and h.company_id = y.id
  left join worth w on w.item_id = i.id and w.company_id = y.id
  left join coming g on g.item_id = i.id and g.company_id = y.id
 where (h.item_id is not null or w.value <> 0 or g.item_id is not null)
   and (i.code ilike %(q)s or i.description ilike %(q)s)
 order by i.code, y.code
 limit %(limit)s offset %(first)s
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
