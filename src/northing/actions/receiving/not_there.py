"""Goods that are still coming though their container is empty: they are with the supplier, and can be packed again.

Units that were ours are given up, at the value at which they became ours. Where nothing of a shipment line came, its
shares of bills lie on the whole order line: the units of that line that come later take them up.
"""

from collections.abc import Iterable, Sequence

from django.db.models import Q

from northing.actions.costing import advances
from northing.actions.costing.absorb import ZERO, Bearer, Totals
from northing.actions.receiving.found import Found
from northing.core.money.exact import plain
from northing.core.money.money import from_minor, to_minor
from northing.core.money.spread import share_so_far
from northing.core.problems import Problem
from northing.costing import operations as costing
from northing.costing.models import ChargeShare
from northing.ledger.models import Account, DocumentKind, Entry
from northing.ledger.operations import Draft
from northing.receiving.models import Receipt, ReceiptLine
from northing.shipping import operations as shipping
from northing.shipping.models import ShipmentLine


def hand_back(entry: Entry, found: Sequence[Found]) -> list[Draft]:
    """Take the units out of their shipment lines; the postings of those that were ours."""
    drafts = []
    away = [one for one in found if one.taking.back]
    for one in away:
        one.back_amount, one.back_base = _worth(one.goods, one.taking.back)
        _resize(one.goods, -one.taking.back, -one.back_amount, -one.back_base)
        drafts += _not_ours(one)
    shipping.resize(one.goods for one in away)
    units = {(str(DocumentKind.SHIPMENT_LINE), one.goods.pk): one.taking.back for one in away}
    advances.give_up(dict.fromkeys(units, entry), units)
    costing.bear_by_order_lines(one.goods.pk for one in away if not one.goods.quantity)
    return drafts


def _worth(part: ShipmentLine, units) -> tuple:
    """The value of units in both currencies: what they are of the whole, so that the rest is the rest."""
    if part.goods_base is None:
        return ZERO, ZERO
    order, left = part.instalment.line.order, part.quantity - units
    return tuple(
        total - from_minor(share_so_far(to_minor(total, currency), left, part.quantity), currency)
        for total, currency in ((part.goods_amount, order.currency), (part.goods_base, order.company.currency))
    )


def _resize(part: ShipmentLine, units, amount, base) -> None:
    part.quantity += units
    if part.goods_base is not None:
        part.goods_amount += amount
        part.goods_base += base
    if not part.quantity:
        part.container = None


def _not_ours(one: Found) -> list[Draft]:
    line, order = one.of_line, one.of_line.order
    common = {"order_line": line.pk, "document_kind": DocumentKind.SHIPMENT_LINE, "document": one.goods.pk}
    if one.goods.goods_base is None:
        return []
    owed = Draft(
        order.company_id,
        Account.OWNED_NOT_BILLED,
        one.back_base,
        one.back_amount,
        order.currency,
        party=order.supplier_id,
        **common,
    )
    afloat = Draft(order.company_id, Account.OWNED_AFLOAT, -one.back_base, **common)
    return [owed, afloat]


def standing(lines: Iterable[ReceiptLine]) -> list[Problem]:
    """Units that went back and are packed again since: then the receipt cannot be reversed."""
    return [
        Problem(
            f"{plain(line.back)} {line.instalment.line.item.unit} of {line.instalment.line.item.code} that were still"
            " coming are on their way again.",
            mend="Unpack them first.",
            record=("order", line.instalment.line.order_id),
        )
        for line in lines
        if line.back > line.instalment.position.with_supplier
    ]


def back_again(receipt: Receipt) -> Totals:
    """Put the units of a receipt into their shipment lines again. Returns the new totals of charges over lines."""
    away = receipt.lines.exclude(back=0).select_related("instalment__line")
    parts = ShipmentLine.objects.in_bulk(away.values_list("shipment_line", flat=True))
    totals: dict[Bearer, dict] = {}
    for line in away:
        part = parts[line.shipment_line_id]
        if not part.quantity:
            totals |= _shares_back(receipt, line)
        part.container = receipt.container
        _resize(part, line.back, line.back_amount, line.back_base)
    shipping.resize(parts.values())
    return totals


def _shares_back(receipt: Receipt, line: ReceiptLine) -> Totals:
    shipment = receipt.container.shipment_id
    over = Q(charge__shipments=shipment) | Q(charge__containers__shipment=shipment)
    shares = ChargeShare.objects.filter(over, order_line=line.instalment.line_id, shipment_line=None)
    keys = dict(shares.values_list("pk", "charge").distinct())
    costing.bear_by(keys, line.shipment_line_id)
    return {Bearer(line.instalment.line_id, None): dict.fromkeys(keys.values(), ZERO)} if keys else {}
