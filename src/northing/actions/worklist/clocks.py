"""Open matters of containers whose free time runs."""

from collections.abc import Iterable

from django.db import connection

from northing.actions.worklist.stakes import Stakes
from northing.core.planning.free_time import price_of, read_tiers
from northing.core.worklist import moves
from northing.drawings.figures import money
from northing.masterdata.models import Company
from northing.reports.clocks import Standing, standings_of
from northing.shipping.models import Container
from northing.worklist.operations import MatterDraft, write_matters

BOXES = """
select distinct s.container_id, o.company_id
  from shipping_shipmentline s
  join orders_instalment n on n.id = s.instalment_id
  join orders_orderline l on l.id = n.line_id
  join orders_purchaseorder o on o.id = l.order_id
 where s.container_id = any(%s)
"""


def refresh_clocks(shipments: Iterable[int]) -> None:
    """Containers whose free time runs: one matter for each company that had goods in it, until the clock ends."""
    keys = list(shipments)
    boxes = Container.objects.filter(shipment__in=keys, shipment__arrived_on__isnull=False)
    boxes = list(boxes.select_related("shipment__voyage__carrier", "shipment__discharge_port").order_by("pk"))
    if not boxes:
        return
    running: dict[int, Standing] = {}
    for one in standings_of(boxes):
        if one.ended is None:
            # Of several clocks the one that is free for the shortest time.
            first = running.setdefault(one.container.pk, one)
            running[one.container.pk] = min(first, one, key=lambda each: each.free_until)
    with connection.cursor() as cursor:
        cursor.execute(BOXES, [[box.pk for box in boxes]])
        aboard = cursor.fetchall()
    companies = Company.objects.in_bulk({company for _, company in aboard})
    drafts, stakes = [], Stakes()
    for box, company in aboard:
        found = running.get(box)
        draft = MatterDraft("container", box, company, None)
        if found is not None:
            free = found.free
            price = price_of(read_tiers(free.tiers), 1)
            said = f"{free.currency} {money(price, free.currency)}"
            draft = MatterDraft(
                kind="container",
                record=box,
                company=company,
                move=moves.clock_move(moves.ClockFacts(found.out, found.started, found.free_until, said)),
                per_day=stakes.base(companies[company], price, free.currency),
            )
        drafts.append(draft)
    write_matters(drafts)
