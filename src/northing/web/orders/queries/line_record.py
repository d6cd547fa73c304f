"""Everything about one order line, across the domains."""

from decimal import Decimal

from django.utils import timezone

from northing.claims.models import Claim
from northing.confirmations.models import Answer
from northing.core.orders.orders import net_amount
from northing.core.positions.places import COLUMNS
from northing.costing.models import ChargeShare
from northing.ledger.models import CostLayer
from northing.orders.models import Instalment, OrderLine
from northing.positions.models import Position
from northing.quality.models import Inspection
from northing.reports.ranges import part_ranges
from northing.shipping.models import ShipmentLine
from northing.worklist.models import Matter


def gather(line: OrderLine) -> dict:
    """The context of a line's page."""
    parts = list(Instalment.objects.filter(line=line).select_related("position").order_by("number"))
    keys = [part.pk for part in parts]
    answers = Answer.objects.filter(instalment__in=keys).select_related(
        "instalment__line__item", "recorded_by", "decided_by"
    )
    shipment_lines = ShipmentLine.objects.filter(instalment__in=keys, container__isnull=False).select_related(
        "container__shipment__voyage__carrier", "instalment"
    )
    shipment_lines = shipment_lines.prefetch_related("container__shipment__legs__load_call")
    layers = CostLayer.objects.filter(shipment_line__instalment__in=keys, received__gt=0).select_related("company")
    order = line.order
    for part in parts:
        part.line = line
    return {
        "line": line,
        "order": order,
        "amount": net_amount(line.quantity, line.pack_factor, line.pack_price, line.net_share, order.currency),
        "parts": parts,
        "whole": whole_position(parts),
        "agreed": sum((part.agreed_quantity for part in parts), Decimal(0)),
        "answers": list(answers.order_by("-pk")),
        "shipment_lines": shipment_lines.order_by("pk"),
        "ranges": part_ranges(shipment_lines.order_by("pk"), parts, line.need_by, timezone.localdate()),
        "layers": layers.order_by("pk"),
        "inspections": _of(Inspection.objects, "layer", keys).select_related("inspector").order_by("pk"),
        "cases": _of(Claim.objects.filter(withdrawn_at=None), "layer", keys).order_by("pk"),
        "bills": ChargeShare.objects.filter(order_line=line)
        .select_related("charge__payee", "company")
        .prefetch_related("charge__bill_lines__bill")
        .order_by("charge", "pk"),
        "matters": Matter.objects.filter(kind="instalment", record__in=keys),
    }


def _of(records, path: str, instalments: list[int]):
    """Those that are about goods of the instalments, by the layer that holds them."""
    return records.filter(**{f"{path}__shipment_line__instalment__in": instalments})


def whole_position(parts: list[Instalment]) -> Position | None:
    """The positions of all the instalments together."""
    if not parts or not hasattr(parts[0], "position"):
        return None
    whole = Position()
    for name in COLUMNS:
        setattr(whole, name, sum((getattr(part.position, name) for part in parts), Decimal(0)))
    return whole
