"""The arrivals at a site: a day for each shipment that brings it something."""

from datetime import date, timedelta

from django.db import connection

from northing.drawings.figures import count
from northing.formats.icalendar import AllDay

# A shipment is still shown this long after its last unit for the site was received.
SHOWN_DAYS = 30
SHIPMENTS = """
select h.id, h.reference, coalesce(c.own_dock, h.expected_dock) as day, count(distinct c.id),
       array_agg(distinct c.number),
       sum(w.quantity - w.accounted) filter (where w.accounted < w.quantity),
       array_agg(distinct i.code || ' ' || i.description)
  from orders_purchaseorder o
  join orders_orderline l on l.order_id = o.id
  join orders_instalment n on n.line_id = l.id
  join shipping_shipmentline w on w.instalment_id = n.id
  join shipping_container c on c.id = w.container_id
  join shipping_shipment h on h.id = c.shipment_id
  join masterdata_item i on i.id = l.item_id
 where o.site_id = %s and coalesce(c.own_dock, h.expected_dock) >= %s
 group by h.id, day
 order by day, h.id
"""
MOST_NAMED = 12


def arrivals(site: int, today: date, base: str) -> list[AllDay]:
    """The arrivals at a site (id) as events; `base` is the address of the application."""
    with connection.cursor() as cursor:
        cursor.execute(SHIPMENTS, [site, today - timedelta(days=SHOWN_DAYS)])
        rows = cursor.fetchall()
    found = []
    for key, reference, day, boxes, numbers, units, items in rows:
        what = f"{boxes} container{'s' if boxes > 1 else ''}"
        state = f"{count(units)} units to come" if units else "received"
        named = items[:MOST_NAMED] + ([f"and {len(items) - MOST_NAMED} more"] if len(items) > MOST_NAMED else [])
        words = "\n".join([", ".join(numbers), state, *named])
        uid = f"shipment-{key}-site-{site}@northing"
        found.append(AllDay(uid, day, f"{reference}: {what}", words, f"{base}/shipping/{key}/", not units))
    return found
