"""Reads of charges: which units bear them, and what of them is borne by what is on its way."""

from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from typing import NamedTuple

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
    return all_shares(parts, ())[0]


class WholeShare(NamedTuple):
    """The share of a whole order line in a charge (id), in the base currency of its company."""

    charge: int
    amount: Decimal
    currency: str


# By charge and bearer (ids).
SharesOf = dict[tuple[int, int], Decimal]


def all_shares(parts: Sequence[ShipmentLine], lines: Iterable[int]) -> tuple[SharesOf, SharesOf]:
    """The shares of shipment lines; and what of the shares of whole order lines (ids) no packed units have taken along
    yet, by charge and order line.
    """
    keys, open_lines = {part.pk for part in parts}, set(lines)
    found: SharesOf = {}
    whole: dict[int, list[WholeShare]] = {}
    asked = {part.instalment.line_id for part in parts} | open_lines
    if not asked:
        return {}, {}
    shares = ChargeShare.objects.filter(order_line__in=asked).order_by("charge_id", "pk")
    rows = shares.values_list("charge", "order_line", "shipment_line", "amount", "company__currency")
    for charge, line, part, amount, currency in rows:
        if part is None:
            whole.setdefault(line, []).append(WholeShare(charge, amount, currency))
        elif part in keys:
            found[charge, part] = amount
    left = {(one.charge, line): one.amount for line in open_lines for one in whole.get(line, ())}
    for (charge, line, part), amount in (_along(whole) if whole else {}).items():
        if part in keys:
            found[charge, part] = amount
        if line in open_lines:
            left[charge, line] -= amount
    return found, left


def _along(whole: Mapping[int, Sequence[WholeShare]]) -> dict[tuple[int, int, int], Decimal]:
    """By charge, order line and shipment line (ids): what units that are packed have taken along."""
    units, found = line_units(whole), {}
    packed = ShipmentLine.objects.filter(instalment__line__in=list(whole), quantity__gt=0).order_by("pk")
    through: dict[int, Decimal] = {}
    for line, key, quantity in packed.values_list("instalment__line", "pk", "quantity"):
        before = through.get(line, ZERO)
        through[line] = after = min(before + quantity, units[line])
        if not units[line]:
            continue
        for share in whole[line]:
            total = to_minor(share.amount, share.currency)
            part = share_so_far(total, after, units[line]) - share_so_far(total, before, units[line])
            found[share.charge, line, key] = from_minor(part, share.currency)
    return found
