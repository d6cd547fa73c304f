"""Open matters of shipments on their way."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from django.db import connection

from northing.actions.worklist.clocks import refresh_clocks
from northing.actions.worklist.documents import refresh_documents
from northing.actions.worklist.stakes import Stakes, day_of
from northing.core.money.money import rounded
from northing.core.worklist import moves
from northing.customs.queries import cleared_of
from northing.masterdata.models import Company
from northing.shipping.models import Leg, Shipment
from northing.worklist.models import Matter
from northing.worklist.operations import MatterDraft, write_matters

ZERO = Decimal(0)


ABOARD = """
select c.shipment_id, o.company_id, o.currency, sum(greatest(s.quantity - s.accounted, 0)),
       sum(greatest(s.quantity - s.accounted, 0) * n.pack_price * n.net_share / l.pack_factor)
  from shipping_shipmentline s
  join shipping_container c on c.id = s.container_id
  join orders_instalment n on n.id = s.instalment_id
  join orders_orderline l on l.id = n.line_id
  join orders_purchaseorder o on o.id = l.order_id
 where c.shipment_id = any(%s)
 group by c.shipment_id, o.company_id, o.currency
"""


@dataclass
class _Aboard:
    """The units of a company in a shipment that are not accounted for, and their worth in base currency."""

    units: Decimal = ZERO
    value: Decimal = ZERO


def _aboard(shipments: list[int]) -> dict[tuple[int, Company], _Aboard]:
    with connection.cursor() as cursor:
        cursor.execute(ABOARD, [shipments])
        rows = cursor.fetchall()
    companies = Company.objects.in_bulk({company for _, company, *_ in rows})
    stakes, found = Stakes(), {}
    for shipment, company, currency, units, amount in rows:
        one = found.setdefault((shipment, companies[company]), _Aboard())
        one.units += units
        one.value += stakes.base(companies[company], rounded(amount, currency), currency)
    return found


def refresh_shipments(shipments: Iterable[int]) -> None:
    """Shipments on their way, one matter for each company aboard; a company that is not any more has none."""
    keys = list(shipments)
    found = Shipment.objects.in_bulk(keys)
    mains = {leg.shipment_id: leg for leg in Leg.objects.filter(shipment__in=keys, main=True)}
    aboard = _aboard(keys)
    asks = any(company.receive_not_released != "warn" for _, company in aboard)
    cleared = cleared_of(keys, asks)
    drafts = []
    for (key, company), goods in aboard.items():
        shipment, main = found[key], mains.get(key)
        clear = cleared[key, company.pk]
        facts = moves.ShipmentFacts(
            created_on=day_of(shipment.created_at),
            packed_something=True,
            open_quantity=goods.units,
            departure=main.expected_start if main else None,
            arrival=main.expected_end if main else None,
            dock=shipment.expected_dock,
            departed_on=shipment.departed_on,
            arrived_on=shipment.arrived_on,
            entry_on=clear.entry_on,
            released=company.receive_not_released == "warn" or clear.released,
            office_owed=clear.owed > 0,
        )
        drafts.append(
            MatterDraft(
                kind="shipment",
                record=key,
                company=company.pk,
                move=moves.shipment_move(facts),
                at_stake=goods.value,
            )
        )
    known_before = Matter.objects.filter(kind="shipment", record__in=keys).values_list("record", "company")
    gone = {*known_before} - {(key, company.pk) for key, company in aboard}
    write_matters([*drafts, *(MatterDraft("shipment", key, company, None) for key, company in gone)])
    refresh_clocks(keys)
    refresh_documents(keys)
