"""Expected dock dates of instalments, from shipments and promises; set-based."""

from collections.abc import Sequence

from django.db import connection

# Completion is the last part: the dock date of every container that holds some of it, and ready date plus passage of
# what is not packed.
REFRESH = """
update orders_instalment i
   set expected_on = e.expected_on
  from (
    select part.id,
           greatest(
             (select max(coalesce(c.own_dock, s.expected_dock))
                from shipping_shipmentline w
                join shipping_container c on c.id = w.container_id
                join shipping_shipment s on s.id = c.shipment_id
               where w.instalment_id = part.id and w.accounted < w.quantity),
             case when p.with_supplier > 0 then coalesce(part.promise, part.asked_on) + y.passage_days end
           ) as expected_on
      from orders_instalment part
      join positions_position p on p.instalment_id = part.id
      join orders_orderline l on l.id = part.line_id
      join orders_purchaseorder o on o.id = l.order_id
      join masterdata_party y on y.id = o.supplier_id
     where part.id = any(%s)
  ) e
 where e.id = i.id and i.expected_on is distinct from e.expected_on
"""


def refresh_expected(instalments: Sequence[int]) -> None:
    """Bring expected_on of the instalments (ids) up to date; that of their lines is the latest of them."""
    with connection.cursor() as cursor:
        cursor.execute(REFRESH, [list(instalments)])
