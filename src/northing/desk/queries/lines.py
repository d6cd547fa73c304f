"""The order lines with where their units are: one SQL statement for a page."""

from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from django.db import connection

from northing.core.moves import PARTIES
from northing.core.ordering import net_amount
from northing.core.places import COLUMNS, OUTSTANDING
from northing.desk.queries.paging import Page, page_number, page_of
from northing.drawings.figures import count
from northing.drawings.figures import money as say_money
from northing.drawings.strip import strip

PAGE = 100
SORTS = {
    "need": ("l.need_by, l.id", "need-by date"),
    "expected": ("l.expected_on, l.id", "expected date"),
    "order": ("o.id desc, l.number", "order, newest first"),
}
PLACES = ("with_supplier", "packed", "under_way", "landed", "held", "in_store", "rejected", "missing")
_SUMS = ", ".join(f"sum(p.{name}) as {name}" for name in COLUMNS)

PAGE_SQL = f"""
select l.id, o.id as order_id, o.number as order_number, l.number, i.code, i.description, i.unit, s.name as supplier,
       o.currency, l.quantity, l.pack_factor, l.pack_price, l.discount, l.need_by, l.expected_on,
       a.agreed, a.first_promise, a.promise, a.value, m.party, m.reason, m.since,
       {", ".join(f"a.{name}" for name in COLUMNS)}
  from orders_orderline l
  join orders_purchaseorder o on o.id = l.order_id
  join directory_item i on i.id = l.item_id
  join directory_party s on s.id = o.supplier_id
  join lateral (
    select sum(n.agreed_quantity) as agreed, min(n.first_promise) as first_promise, max(n.promise) as promise,
           sum((p.{" + p.".join(OUTSTANDING)}) * n.pack_price) as value, {_SUMS}
      from orders_instalment n
      join standing_position p on p.instalment_id = n.id
     where n.line_id = l.id
  ) a on true
  left join lateral (
    select w.party, w.reason, w.since
      from orders_instalment n
      join standing_matter w on w.kind = 'instalment' and w.record = n.id and w.company_id = o.company_id
     where n.line_id = l.id
     union all
    select w.party, w.reason, w.since
      from orders_instalment n
      join shipping_stowage g on g.instalment_id = n.id and g.settled < g.quantity
      join shipping_container c on c.id = g.container_id
      join standing_matter w on w.kind = 'shipment' and w.record = c.shipment_id and w.company_id = o.company_id
     where n.line_id = l.id
     limit 1
  ) m on true
 where o.company_id = any(%(companies)s) and o.sent_at is not null {{where}}
 order by {{order}}
 limit %(limit)s offset %(offset)s
"""
WHERE = {
    "open": "and l.expected_on is not null",
    "q": "and (o.number ilike %(q)s or i.code ilike %(q)s or i.description ilike %(q)s or s.name ilike %(q)s)",
    "party": "and m.party = %(party)s",
    # What has not happened is not expected before today, whenever the date was last worked out.
    "late": "and greatest(l.expected_on, %(today)s) > l.need_by and l.expected_on is not null",
    **{f"place_{name}": f"and a.{name} > 0" for name in PLACES},
}


@dataclass(slots=True)
class LineFilter:
    """What the reader asked for."""

    q: str = ""
    party: str = ""
    place: str = ""
    show: str = "open"
    late: bool = False
    sort: str = "need"
    page: int = 1

    def sentence(self) -> str:
        """The filter as people say it."""
        said = ["Open lines" if self.show == "open" else "All lines"]
        if self.q:
            said.append(f"with “{self.q}”")
        if self.place:
            said.append(f"with units {self.place.replace('_', ' ')}")
        if self.party:
            said.append(PARTIES[self.party])
        if self.late:
            said.append("late against need-by")
        return ", ".join(said) + f"; by {SORTS[self.sort][1]}"


def filter_from(query) -> LineFilter:
    """A filter from a query string; what it does not know it leaves out."""
    return LineFilter(
        q=query.get("q", "").replace("\x00", "").strip()[:80],
        party=query.get("party", "") if query.get("party") in PARTIES else "",
        place=query.get("place", "") if query.get("place") in PLACES else "",
        show="all" if query.get("show") == "all" else "open",
        late=query.get("late") == "1",
        sort=query.get("sort") if query.get("sort") in SORTS else "need",
        page=page_number(query),
    )


def page_sql(asked: LineFilter, companies: set[int], today: date) -> tuple[str, dict]:
    """The statement and its parameters for a page, one row more than shown to see whether there is a next."""
    wanted = ["open"] if asked.show == "open" else []
    wanted += [name for name in ("q", "party") if getattr(asked, name)]
    wanted += [f"place_{asked.place}"] if asked.place else []
    wanted += ["late"] if asked.late else []
    sql = PAGE_SQL.format(where=" ".join(WHERE[name] for name in wanted), order=SORTS[asked.sort][0])
    escaped = asked.q.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    return sql, {
        "companies": list(companies),
        "q": f"%{escaped}%",
        "party": asked.party,
        "today": today,
        "limit": PAGE + 1,
        "offset": (asked.page - 1) * PAGE,
    }


def line_page(query, companies: set[int], today: date) -> Page:
    """A page of rows ready to be shown."""
    sql, parameters = page_sql(filter_from(query), companies, today)

    def find(first: int, past: int) -> list[dict]:
        with connection.cursor() as cursor:
            cursor.execute(sql, parameters | {"offset": first, "limit": past - first})
            names = [column.name for column in cursor.description]
            return [dict(zip(names, row, strict=True)) for row in cursor.fetchall()]

    page = page_of(find, query, PAGE)
    return replace(page, rows=[_shown(row, today) for row in page.rows])


def _shown(row: dict, today: date) -> dict:
    """A row with everything its template prints, so that the template only prints."""
    outstanding = sum((row[name] for name in OUTSTANDING), Decimal(0))
    value = net_amount(row["value"], row["pack_factor"], Decimal(1), row["discount"], row["currency"])
    expected = max(row["expected_on"], today) if row["expected_on"] else None
    return row | {
        "expected_on": expected,
        "strip": strip(row, row["agreed"] or Decimal(0), row["unit"]),
        "url": f"/lines/{row['id']}/",
        "ordered_text": count(row["quantity"]),
        "outstanding_text": count(outstanding) if outstanding else "none",
        "value_text": say_money(value, row["currency"]),
        "slack": (row["need_by"] - expected).days if expected else None,
        "slip": (row["promise"] - row["first_promise"]).days if row["promise"] else None,
        "move": PARTIES.get(row["party"], ""),
    }
