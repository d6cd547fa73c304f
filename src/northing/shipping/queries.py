"""Reads of shipments and their dates."""

from collections.abc import Iterable

from northing.core.passage import PlannedLeg, Statement
from northing.shipping.models import DateStatement, Leg, Shipment, Stowage

# Units aboard shipments (ids) that the dock has not settled: instalment, stowage, quantity.
UNSETTLED = """
select s.instalment_id as instalment, s.id as stowage, s.quantity - s.settled as quantity
  from shipping_stowage s
  join shipping_container c on c.id = s.container_id
 where c.shipment_id = any(%s) and s.settled < s.quantity
"""


def companies_aboard(shipments: Iterable[int]) -> dict[int, set[str]]:
    """The companies (ids) that have goods in the shipments, with the moments from which theirs are ours."""
    aboard = Stowage.objects.filter(container__shipment__in=list(shipments)).order_by()
    order = "instalment__line__order"
    found: dict[int, set[str]] = {}
    for company, moment in aboard.values_list(f"{order}__company", f"{order}__ours_from").distinct():
        found.setdefault(company, set()).add(moment)
    return found


def planned_legs(shipment: Shipment, extra: Iterable[DateStatement] = ()) -> tuple[list[Leg], list[PlannedLeg]]:
    """The legs of a shipment with what was said of each, `extra` unsaved statements included."""
    legs = list(shipment.legs.order_by("number"))
    standing = DateStatement.objects.exclude(event__retracted=True)
    said = list(standing.filter(leg__in=legs))
    if shipment.voyage_id:
        said += standing.filter(voyage=shipment.voyage_id)
    said += extra
    planned = []
    for leg in legs:
        mine = [
            s for s in said if s.leg_id == leg.pk or (leg.main and s.voyage_id and s.voyage_id == shipment.voyage_id)
        ]
        planned.append(
            PlannedLeg(leg.planned_start, leg.planned_end, _about(mine, "departure"), _about(mine, "arrival"))
        )
    return legs, planned


def _about(statements: Iterable[DateStatement], milestone: str) -> list[Statement]:
    return [
        Statement(said.kind, said.value, said.said_at, said.pk or 2**62)
        for said in statements
        if said.milestone == milestone
    ]
