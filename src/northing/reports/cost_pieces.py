"""The pieces of shipments and orders whose cost is expected, with what charges say of them; in a few statements."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import Decimal
from functools import partial

from django.db.models import Prefetch, Q, prefetch_related_objects

from northing.billing.models import BillLine
from northing.core.costing.landed_cost import spread_amount
from northing.core.money.spread import whole_weights
from northing.core.orders.orders import net_amount
from northing.costing.models import Charge, ChargePart
from northing.costing.queries import all_shares
from northing.customs.queries import Proofs, is_declared
from northing.orders.models import Instalment, OrderLine
from northing.reports.expected_pieces import Piece, Shares
from northing.shipping.models import Container, Shipment, ShipmentLine
from northing.shipping.queries import with_boxes, with_items, with_orders

ZERO = Decimal(0)


def parts_of_shipments(
    shipments: Iterable[int], known: Shipment | None = None, boxes: Iterable[Container] = ()
) -> list[ShipmentLine]:
    """All goods in shipments (ids), with what their costs are reckoned from.

    `known` is the one shipment where it is there already, with what was read of it, and `boxes` its containers.
    """
    return _parts(Q(container__shipment__in=list(shipments)), known, {box.pk: box for box in boxes})


def parts_of_lines(lines: Iterable[int]) -> list[ShipmentLine]:
    """All goods in the shipments that units of order lines (ids) are in; and what of the lines came unpacked."""
    own = list(lines)
    shipments = ShipmentLine.objects.filter(instalment__line__in=own, container__isnull=False)
    unpacked = Q(container=None, quantity__gt=0, instalment__line__in=own)
    return _parts(Q(container__shipment__in=shipments.values("container__shipment")) | unpacked)


def _parts(which: Q, known: Shipment | None = None, boxes: Mapping[int, Container] | None = None) -> list[ShipmentLine]:
    """Orders, items, containers and shipments are read once each: many parts are of one."""
    found = ShipmentLine.objects.filter(which).annotate(declared=is_declared()).select_related("instalment__line")
    parts = with_orders(list(found.order_by("instalment__line_id", "pk")), "company", "supplier", "site")
    parts = with_items(with_boxes(parts, known, boxes))
    shipments = {part.container.shipment_id: part.container.shipment for part in parts if part.container}
    prefetch_related_objects(list(shipments.values()), "legs")
    return parts


# By charge and bearer (ids): a share in base currency.
SharesOf = Mapping[tuple[int, int], Decimal]


@dataclass
class Pieces:
    """Pieces with their shares in charges: packed ones by shipment line, others by order line.

    `said` is each company's part of a charge, by charge and company (ids).
    """

    all: list[Piece]
    shares: SharesOf = field(default_factory=dict)
    open_shares: SharesOf = field(default_factory=dict)
    charges: dict[int, Charge] = field(default_factory=dict)
    said: dict[tuple[int, int], ChargePart] = field(default_factory=dict)


def pieces_of(parts: Sequence[ShipmentLine], day: date, lines: Sequence[OrderLine] = ()) -> Pieces:
    """Shipment lines as pieces, in their order; then what of order lines is not packed.

    Lines have their order with company, supplier and site, their item, and their instalments with positions.
    """
    shares, open_shares = all_shares(parts, [line.pk for line in lines if line.pk])
    found = Pieces([], shares, open_shares)
    if keys := {charge for charge, _ in (*shares, *open_shares)}:
        billed = Prefetch("charge__bill_lines", BillLine.objects.select_related("bill"))
        said = ChargePart.objects.filter(charge__in=keys).select_related("charge__payee").prefetch_related(billed)
        found.said = {(one.charge_id, one.company_id): one for one in said.order_by("charge", "pk")}
        found.charges = {one.charge_id: one.charge for one in found.said.values()}
    found.all = [*_packed(parts, found, Proofs(parts, day)), *_unpacked(lines, found)]
    return found


def _packed(parts: Sequence[ShipmentLine], found: Pieces, proofs: Proofs) -> list[Piece]:
    known = _by_kind(found.shares, found.charges)
    pieces = []
    for part in parts:
        line = part.instalment.line
        piece = Piece(line, part.quantity, _amount(part.instalment, line, part.quantity), part.container)
        piece.goods, piece.known = part.goods_base, known.get(part.pk, {})
        piece.proofs, piece.declared = partial(proofs.of, part), part.declared
        if part.container:
            piece.leaves, piece.lands = part.container.shipment.departed_on, part.container.expected_dock
        pieces.append(piece)
    return pieces


def _by_kind(shares: SharesOf, charges: Mapping[int, Charge]) -> dict[int, Shares]:
    """Shares by charge and bearer (ids), by bearer and kind."""
    found: dict[int, Shares] = {}
    for (charge, bearer), amount in shares.items():
        of_bearer, kind = found.setdefault(bearer, {}), charges[charge].kind
        of_bearer[kind] = of_bearer.get(kind, ZERO) + amount
    return found


def _amount(part: Instalment, line: OrderLine, quantity: Decimal) -> Decimal:
    return net_amount(quantity, line.pack_factor, part.pack_price, part.net_share, line.order.currency)


def _unpacked(lines: Sequence[OrderLine], found: Pieces) -> list[Piece]:
    """What of order lines is with the supplier still; of lines that were not sent yet all."""
    known = _by_kind(found.open_shares, found.charges)
    pieces: list[Piece] = []
    for line in lines:
        pieces += _of_line(line, known.get(line.pk or 0, {}))
    return pieces


def known_of(lines: Iterable[int]) -> dict[int, Shares]:
    """Of order lines (ids), what estimates and bills say of their units that are not packed, by kind."""
    _, shares = all_shares((), lines)
    return _by_kind(shares, Charge.objects.in_bulk({charge for charge, _ in shares}))


def draft_piece(line: OrderLine, known: Shares | None = None) -> Piece:
    """A line that was not sent yet, or is only typed."""
    amount = net_amount(line.quantity, line.pack_factor, line.pack_price, line.net_share, line.order.currency)
    leaves = line.need_by - timedelta(days=line.order.supplier.passage_days)
    return Piece(line, line.quantity, amount, known=known or {}, leaves=leaves, lands=line.need_by)


def _of_line(line: OrderLine, known: Shares) -> list[Piece]:
    parts = list(line.instalments.all()) if line.pk else []
    if not parts:
        return [draft_piece(line, known)]
    some = [(part, part.position.with_supplier) for part in parts if part.position.with_supplier > 0]
    found = [
        Piece(
            line,
            quantity,
            _amount(part, line, quantity),
            leaves=part.promise or part.asked_on,
            lands=part.expected_on or line.need_by,
        )
        for part, quantity in some
    ]
    weights = whole_weights([quantity for _, quantity in some])
    for kind, amount in known.items():
        for piece, share in zip(found, spread_amount(amount, weights, line.order.company.currency), strict=True):
            piece.known = piece.known | {kind: share}
    return found
