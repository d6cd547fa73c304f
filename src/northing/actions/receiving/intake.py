"""Take goods in: the steps of every receipt after its count.

Account for the goods, write the receipt, move positions, make layers, post.
"""

from collections import defaultdict
from collections.abc import Sequence
from decimal import Decimal

from django.db.models import Sum

from northing.actions.costing import absorb, ownership
from northing.actions.costing.price_totals import add_prices
from northing.actions.costing.valuing import Valued, Valuer, settle
from northing.actions.receiving.found import Found
from northing.actions.receiving.request import ReceiveRequest
from northing.actions.receiving.unordered import Unordered
from northing.activity.models import HistoryEntry
from northing.core.costing.ownership import is_ours_after
from northing.costing.models import ChargeShare
from northing.inventory.operations import Place, StockMove, move_stock
from northing.ledger import operations as ledger
from northing.ledger.models import Account, CostLayer, DocumentKind, Entry
from northing.ledger.operations import Draft
from northing.masterdata.models import Site
from northing.positions.operations import MoveDraft, move
from northing.receiving import operations as receiving
from northing.receiving.models import Receipt, ReceiptLine
from northing.shipping import operations as shipping
from northing.shipping.models import Container, ShipmentLine

ZERO = Decimal(0)


def account_for(container: Container | None, found: Sequence[Found]) -> None:
    """Account for the units of a container; make shipment lines of unpacked goods."""
    for one in found:
        one.goods.accounted += one.accounted
    if container is not None:
        shipping.account_for(one.goods for one in found)
        return
    for one in found:
        one.goods.quantity = one.goods.accounted
    shipping.bring_in(list({id(one.goods): one.goods for one in found}.values()))


def own_what_was_not(entry: Entry, request: ReceiveRequest, found: Sequence[Found]) -> None:
    """Goods whose moment passed without a message are ours by the receipt at the latest."""
    parts = {one.goods.pk: one.goods for one in found}
    waiting = ShipmentLine.objects.filter(pk__in=list(parts), quantity__gt=0)
    owned = ownership.becoming_ours(waiting, "receipt", request.occurred_on)
    for one in owned:
        parts[one.goods.shipment_line].goods_amount, parts[one.goods.shipment_line].goods_base = one.amount, one.base
    if owned:
        ownership.take_ownership(entry, owned, request.occurred_on)


def write_receipt(
    receipt: Receipt, request: ReceiveRequest, found: Sequence[Found], unordered: Sequence[Unordered]
) -> Receipt:
    """The receipt with a line for each row: of orders first, then of goods without one."""
    before = _received_before(found)
    orders, lines = {one.of_line.order_id for one in found}, {one.of_line.pk for one in found}
    valuer = Valuer(request.occurred_on, orders, lines)
    for one in found:
        one.recognised, one.worth = _own_value(one, before[one.goods.pk], valuer)
        before[one.goods.pk] += one.recognised
        one.line = _receipt_line(one)
    for one in unordered:
        one.line = _unordered_line(one)
    return receiving.write_receipt(receipt, [one.line for one in [*found, *unordered]])


def _receipt_line(one: Found) -> ReceiptLine:
    worth = one.worth
    return ReceiptLine(
        item=one.item,
        shipment_line=one.goods,
        instalment=one.instalment,
        quantity=one.quantity,
        missing=one.taking.missing,
        dropped=one.taking.dropped,
        asked=one.taking.asked,
        back=one.taking.back,
        back_amount=one.back_amount,
        back_base=one.back_base,
        beyond=one.beyond,
        excess=one.taking.of("excess"),
        lot=one.row.lot.strip(),
        best_before=one.row.best_before,
        condition=one.row.condition,
        sscc=one.row.sscc,
        bin=one.bin,
        recognised_units=one.recognised,
        recognised_amount=worth.amount if worth else ZERO,
        recognised_base=worth.base if worth else ZERO,
        recognised_rate=worth.rate if worth else None,
        tied_from_id=one.row.tied_from,
    )


def _unordered_line(one: Unordered) -> ReceiptLine:
    return ReceiptLine(
        item=one.item,
        why=one.why,
        supplier=one.supplier,
        stands_for=one.stands_for,
        quantity=one.quantity,
        lot=one.row.lot.strip(),
        best_before=one.row.best_before,
        condition=one.row.condition,
        sscc=one.row.sscc,
        bin=one.bin,
    )


def _own_value(one: Found, before: Decimal, valuer: Valuer) -> tuple[Decimal, Valued | None]:
    """Goods that become ours by this receipt: those ours from receipt, and those beyond what was shipped.

    Units received `before` are taken off the price of all, so that parts add up to the price of the whole.
    """
    order = one.of_line.order
    quantity = one.beyond if is_ours_after(order.ours_from, "arrival") else one.quantity
    if not quantity:
        return ZERO, None
    paid = ownership.goods_amount(one.goods, before)
    company, line = order.company, one.of_line.pk

    def price_of(units: Decimal) -> Decimal:
        return ownership.goods_amount(one.goods, before + units) - paid

    return quantity, valuer.value(company, order.currency, order.pk, line, quantity, price_of)


def _received_before(found: Sequence[Found]) -> dict[int, Decimal]:
    """Units that standing receipts made ours, by shipment line; only of goods that are ours from their receipt."""
    late = [one.goods.pk for one in found if not is_ours_after(one.of_line.order.ours_from, "arrival")]
    lines = ReceiptLine.objects.filter(shipment_line__in=late, receipt__reversed_by=None)
    return defaultdict(Decimal, lines.values_list("shipment_line").annotate(total=Sum("quantity")))


def move_units(history: HistoryEntry, found: Sequence[Found]) -> None:
    """Positions follow."""
    moves = []
    for one in found:
        key, target = one.goods.instalment_id, "held" if one.is_held else "in_store"
        moves += [MoveDraft(key, place, target, quantity, one.goods.pk) for place, quantity in one.taking.received]
        moves.append(MoveDraft(key, one.place, "missing", one.taking.missing, one.goods.pk))
        moves.append(MoveDraft(key, one.place, "dropped", one.taking.dropped, one.goods.pk))
        moves.append(MoveDraft(key, one.place, "with_supplier", one.taking.back, one.goods.pk))
    move(history, moves)


def write_layers(
    history: HistoryEntry, request: ReceiveRequest, site: Site, found: Sequence[Found], unordered: Sequence[Unordered]
) -> list[CostLayer]:
    """A layer for each line of the receipt that says something, and where its goods lie."""
    layers = []
    for one in [*found, *unordered]:
        line = one.line
        common = {
            "company": site.company,
            "site": site,
            "item": one.item,
            "receipt_line": line,
            "shipment_line": line.shipment_line,
            "occurred_on": request.occurred_on,
            "total_cost": ZERO,
            "goods_cost": ZERO,
        }
        if line.quantity:
            kept = {"lot": line.lot, "best_before": line.best_before}
            layers.append(CostLayer(kind="stock", received=line.quantity, **kept, **common))
        if line.missing:
            layers.append(CostLayer(kind="missing", received=line.missing, **common))
    ledger.write_layers(layers)
    stock = [layer for layer in layers if layer.kind == "stock"]
    came = {one.line.pk: one for one in [*found, *unordered]}
    moves = []
    for layer in stock:
        one = came[layer.receipt_line_id]
        place = Place(one.line.bin_id, "held" if one.is_held else "in_store")
        moves.append(StockMove(layer.pk, layer.received, None, place, one.serials))
    move_stock(history, moves)
    return layers


def absorb_costs(entry: Entry, found: Sequence[Found]) -> list[Draft]:
    """The layers take up their part of goods value and of every charge; where units were dropped, of what they bore."""
    totals: dict[absorb.Bearer, dict[absorb.Component, Decimal]] = defaultdict(dict)
    for one in found:
        totals[absorb.Bearer(one.of_line.pk, one.goods.pk)][None] = one.goods.goods_base or ZERO
    for share in ChargeShare.objects.filter(order_line__in={one.of_line.pk for one in found}).order_by("charge", "pk"):
        bearer = absorb.Bearer(share.order_line_id, share.shipment_line_id)
        if bearer in totals or share.shipment_line_id is None:
            totals[bearer][share.charge_id] = share.amount
    own = add_prices(totals)
    return absorb.write(entry, absorb.absorption(totals, own))


def own_on_receipt(entry: Entry, found: Sequence[Found], layers: Sequence[CostLayer]) -> list[Draft]:
    """Goods that became ours by this very receipt: into stock against owned not billed."""
    of_line = {layer.receipt_line_id: layer for layer in layers if layer.kind == "stock"}
    drafts, costs = [], []
    for one in found:
        line, value = one.of_line, one.line.recognised_base
        if not value:
            continue
        order, layer = line.order, of_line[one.line.pk]
        drafts.append(Draft(order.company_id, Account.STOCK, value, layer=layer.pk, order_line=line.pk))
        drafts.append(
            Draft(
                order.company_id,
                Account.OWNED_NOT_BILLED,
                -value,
                -one.line.recognised_amount,
                order.currency,
                one.line.recognised_rate,
                order_line=line.pk,
                party=order.supplier_id,
                document_kind=DocumentKind.RECEIPT_LINE,
                document=one.line.pk,
            )
        )
        costs.append((layer.pk, None, ledger.component_of(None), value))
        ledger.add_goods(layer, value)
    ledger.add_costs(entry, costs)
    return drafts


def settle_own(entry: Entry, found: Sequence[Found]) -> list[Draft]:
    """Goods that became ours by this receipt reserve advances, or were billed already; after their own postings."""
    goods = [(DocumentKind.RECEIPT_LINE, one.line.pk, one.of_line.order_id, one.worth) for one in found if one.worth]
    return settle(entry, goods)
