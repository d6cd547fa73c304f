"""Deliveries expected at each dock: a row for the goods of a container, and for those of an order that come unpacked.

Derived, set-based, in the transaction of the fact; the dock's lists read nothing else.
"""

from collections.abc import Iterable

from django.db import connection

from northing.worklist.models import ExpectedDelivery

TABLE = ExpectedDelivery._meta.db_table
FACTS = ("company_id", "site_id", "expected_on", "need_by", "lines")
# The containers and orders of lines (ids) and shipments (ids). Their rows are held before they are counted, so that of
# two receivers the second counts what the first has taken.
TOUCHED = f"""
with boxes as (
  select w.container_id as id
    from shipping_shipmentline w join orders_instalment n on n.id = w.instalment_id
   where n.line_id = any(%(lines)s) and w.container_id is not null
   union
  select id from shipping_container where shipment_id = any(%(shipments)s)
), orders as (
  select distinct order_id as id from orders_orderline where id = any(%(lines)s)
), held as (
  select id from {TABLE}
   where container_id in (select id from boxes) or order_id in (select id from orders) order by id for update
)
select array(select id from boxes), array(select id from orders), (select count(*) from held)
"""
OF_BOXES = """
select w.container_id as container_id, null::bigint as order_id, o.company_id, o.site_id,
       min(coalesce(c.own_dock, h.expected_dock)) as expected_on, min(l.need_by) as need_by,
       count(distinct l.id) as lines
  from shipping_shipmentline w
  join shipping_container c on c.id = w.container_id
  join shipping_shipment h on h.id = c.shipment_id
  join orders_instalment n on n.id = w.instalment_id
  join orders_orderline l on l.id = n.line_id
  join orders_purchaseorder o on o.id = l.order_id
 where {touched} and w.accounted < w.quantity
 group by w.container_id, o.company_id, o.site_id
"""
OF_ORDERS = """
select null::bigint as container_id, b.order_id, b.company_id, b.site_id,
       min(b.expected_on) as expected_on, min(b.need_by) as need_by, count(*) as lines
  from worklist_linesummary b
  join orders_purchaseorder o on o.id = b.order_id and o.sent_at is not null
 where {touched} and b.is_open and b.with_supplier > 0
 group by b.order_id, b.company_id, b.site_id
"""
# Of each kind: its column, what counts it, and what names it once.
KINDS = (
    ("container_id", OF_BOXES, "w.container_id", "container_id, site_id"),
    ("order_id", OF_ORDERS, "b.order_id", "order_id"),
)


def refresh_deliveries(lines: Iterable[int], shipments: Iterable[int] = ()) -> None:
    """Write what is still to come with the containers and orders of these lines and shipments (ids)."""
    with connection.cursor() as cursor:
        cursor.execute(TOUCHED, {"lines": list(lines), "shipments": list(shipments)})
        *touched, _ = cursor.fetchone()
        for (of, *_), keys in zip(KINDS, touched, strict=True):
            if keys:
                _write(cursor, of, keys)


def refresh_every_delivery() -> None:
    """Write what is still to come with every container and order."""
    with connection.cursor() as cursor:
        for of, *_ in KINDS:
            _write(cursor, of, None)


def delivery_faults() -> list[str]:
    """The rows that differ from the facts, in words."""
    names = ", ".join(("container_id", "order_id", *FACTS))
    told = " union all ".join(f"({counted.format(touched='true')})" for _, counted, *_ in KINDS)
    stored, said = f"select {names} from {TABLE}", f"select {names} from ({told}) t"
    with connection.cursor() as cursor:
        cursor.execute(f"({stored} except {said}) union ({said} except {stored})")
        return [f"delivery {row[:4]} is not what its facts say" for row in cursor.fetchall()]


def _write(cursor, of: str, keys: list[int] | None) -> None:
    _, counted, key, once = next(kind for kind in KINDS if kind[0] == of)
    touched = "true" if keys is None else f"{key} = any(%(keys)s)"
    told = counted.format(touched=touched)
    mine = f"d.{of} is not null" if keys is None else f"d.{of} = any(%(keys)s)"
    ours, theirs = (", ".join(f"{row}.{name}" for name in FACTS) for row in ("d", "excluded"))
    cursor.execute(
        f"with told as materialized ({told}),"
        f" gone as (delete from {TABLE} d where {mine} and not exists"
        f"   (select 1 from told t where t.{of} = d.{of} and t.site_id = d.site_id))"
        f" insert into {TABLE} as d (container_id, order_id, {', '.join(FACTS)})"
        f" select container_id, order_id, {', '.join(FACTS)} from told order by {of}, site_id"
        f" on conflict ({once}) do update set {', '.join(f'{name} = excluded.{name}' for name in FACTS)}"
        f" where ({ours}) is distinct from ({theirs})",
        {"keys": keys},
    )
