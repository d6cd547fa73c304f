"""Reads of charges: which units bear them, and what of them is borne by what is on its way."""

from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal

from django.db.models import F, Sum

from northing.core.money.money import from_minor, to_minor
from northing.core.money.spread import share_so_far
from northing.costing.models import ChargeShare
from northing.orders.models import OrderLine
from northing.positions.models import Position
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)


def line_units(lines: Iterable[int]) -> dict[int, Decimal]:
    """Units of order lines (ids) that bear a cost: ordered, less those that will never come; of a draft all."""
    keys = list(lines)
    found = dict(OrderLine.objects.filter(pk__in=keys).values_list("pk", "quantity"))
    sent = Position.objects.filter(instalment__line__in=keys, ordered__gt=0).values_list("instalment__line").order_by()
    return found | dict(sent.annotate(units=Sum(F("ordered") - F("dropped"))))


def shares_of(parts: Sequence[ShipmentLine]) -> dict[tuple[int, int], Decimal]:
    """The shares of shipment lines in charges, in base currency, by charge and shipment line.

    The share of a whole order line goes along with its units, the first packed first.
    """
    keys = {part.pk for part in parts}
    found: dict[tuple[int, int], Decimal] = {}
    whole: dict[int, list[ChargeShare]] = {}
    lines = {part.instalment.line_id for part in parts}
    shares = ChargeShare.objects.filter(order_line__in=lines).select_related("company").order_by("charge_id", "pk")
    for share in shares:
        if share.shipment_line_id is None:
            whole.setdefault(share.order_line_id, []).append(share)
        elif share.shipment_line_id in keys:
            found[share.charge_id, share.shipment_line_id] = share.amount
    along = _along(whole) if whole else {}
    return found | {key: amount for key, amount in along.items() if key[1] in keys}


def _along(whole: Mapping[int, Sequence[ChargeShare]]) -> dict[tuple[int, int], Decimal]:
    units, found = line_units(whole), {}
    packed = ShipmentLine.objects.filter(instalment__line__in=list(whole), quantity__gt=0).order_by("pk")
    through: dict[int, Decimal] = {}
    for line, key, quantity in packed.values_list("instalment__line", "pk", "quantity"):
        before = through.get(line, ZERO)
        through[line] = after = min(before + quantity, units[line])
        if not units[line]:
            continue
        for share in whole[line]:
            currency = share.company.currency
            total = to_minor(share.amount, currency)
            part = share_so_far(total, after, units[line]) - share_so_far(total, before, units[line])
            found[share.charge_id, key] = from_minor(part, currency)
    return found
