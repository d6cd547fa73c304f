"""Receive goods: out of a container, or unpacked against an order.

Follow one receipt here: check, lock, ask the core, write facts, move positions, make layers, post, tell.
"""

from collections import defaultdict
from collections.abc import Sequence
from decimal import Decimal

from django.db.models import Sum

from northing.access.acts import Act, future_problem
from northing.actions.costing import absorb, ownership
from northing.actions.costing.charges import respread_estimates
from northing.actions.receiving.found import Found, found_by
from northing.actions.receiving.missing import miss, open_cases
from northing.actions.receiving.not_there import hand_back
from northing.actions.receiving.proof_of_arrival import arrive_by_receipt
from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import Link, add_history, once
from northing.core.checks import answered, finding
from northing.core.costing.ownership import is_ours_after
from northing.core.money.exact import plain
from northing.core.money.money import converted
from northing.core.problems import Problem, Strength, refuse_if
from northing.costing.models import ChargeShare
from northing.customs.models import CustomsEntry
from northing.inventory.operations import Place, StockMove, move_stock
from northing.ledger import operations as ledger
from northing.ledger.models import Account, CostLayer, DocumentKind, Entry
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Site
from northing.masterdata.queries import Rates
from northing.positions.operations import MoveDraft, move
from northing.receiving import operations as receiving
from northing.receiving.models import Receipt, ReceiptLine
from northing.receiving.queries import same_note
from northing.shipping import operations as shipping
from northing.shipping.models import Container, ShipmentLine

__all__ = ["ReceiveRequest", "ReceiveRow", "receive"]

ZERO = Decimal(0)
# Goods that become ours by a receipt: units, amount in the order's currency, amount in base, and the rate.
Recognised = tuple[Decimal, Decimal, Decimal, Decimal | None]


@once
def receive(act: Act, request: ReceiveRequest) -> int:
    """Take goods in. Layers, positions, books and story follow in the same transaction. Returns the receipt's id."""
    site = Site.objects.select_related("company").get(pk=request.site)
    act.require_at("receive", site.company_id, site.pk)
    container = _locked_container(request)
    shipments = [container.shipment_id] if container else []
    refuse_if(_head_problems(act, request))
    # Before the goods are read: with this they may be in another place, and ours.
    proves = arrive_by_receipt(act, container, request.occurred_on) if container else {}
    found = found_by(request, site)
    bare = refuse_if([*_entry_problems(request, site, container, found), *_note_problems(request, site, found)])
    text = _words(container, request, found) + posting_note([site.company_id], request.occurred_on)
    text += "".join(f". {problem.what}" for problem in bare)
    history = add_history(act, "receive", text, _links(container, site, found), request.occurred_on)
    entry = open_entry(act, history, text, request.occurred_on)
    drafts = hand_back(found)
    _account_for(container, found)
    _own_what_was_not(entry, request, found)
    receipt = _write_receipt(act, request, site, container, found, history, entry, proves)
    _move(history, found)
    layers = _write_layers(history, request, site, found)
    # Own value first: what the layers absorb from afloat is reckoned beside it.
    drafts += _own_on_receipt(entry, found, layers)
    drafts += _absorb(entry, found)
    cases = open_cases(request, site, found, layers)
    drafts += miss(entry, layers, cases)
    post(entry, drafts)
    if container is not None and any(one.taking.back for one in found):
        respread_estimates(act, container.shipment)
    bring_along(
        instalments=[one.goods.instalment_id for one in found],
        shipments=shipments,
        layers=[layer.pk for layer in layers if layer.item.inspected],
        cases=list(cases.values()),
    )
    receiving.number_receipt(receipt)
    return receipt.pk


def _locked_container(request: ReceiveRequest) -> Container | None:
    if request.container is None:
        return None
    container = Container.objects.get(pk=request.container)
    container.shipment = shipping.lock([container.shipment_id])[container.shipment_id]
    return container


def _head_problems(act: Act, request: ReceiveRequest) -> list[Problem]:
    problems = future_problem(request.occurred_on, act)
    if not request.delivery_note.strip():
        mend = "Enter it, or the driver's name and time."
        problems.append(Problem("The delivery note has a number.", "delivery_note", mend))
    if not request.rows:
        problems.append(Problem("Nothing was counted.", "rows", "Enter what was found, 0 included."))
    return problems


def _entry_problems(
    request: ReceiveRequest, site: Site, container: Container | None, found: Sequence[Found]
) -> list[Problem]:
    """Goods from abroad are received behind customs."""
    company = site.company
    foreign = any(one.of_line.order.supplier.country != company.country for one in found)
    entered = CustomsEntry.objects.filter(company=company, reversed_by=None)
    if container is None or not foreign or entered.filter(shipment=container.shipment_id).exists():
        return []
    what = f"{company.code} has no customs entry for {container.shipment}."
    problem = finding(company.receive_without_entry, what, "Book it first", "receive all the same")
    return [answered(problem, request.accept)]


def _note_problems(request: ReceiveRequest, site: Site, found: Sequence[Found]) -> list[Problem]:
    """A note that was used before may be the same goods counted twice."""
    suppliers = {one.of_line.order.supplier_id for one in found}
    before = same_note(site.company_id, suppliers, request.delivery_note, request.container)
    return [] if before is None else [Problem(note_words(before), "delivery_note", strength=Strength.WARN)]


def note_words(before: Receipt) -> str:
    """That a note was used before."""
    return f"Delivery note {before.delivery_note} was received before: {before} of {before.occurred_on:%-d %b %Y}."


def _account_for(container: Container | None, found: Sequence[Found]) -> None:
    """Account for the units of a container; make shipment lines of unpacked goods."""
    for one in found:
        one.goods.accounted += one.accounted
    if container is not None:
        shipping.account_for(one.goods for one in found)
        return
    for one in found:
        one.goods.quantity = one.goods.accounted
    shipping.bring_in(list({id(one.goods): one.goods for one in found}.values()))


def _own_what_was_not(entry: Entry, request: ReceiveRequest, found: Sequence[Found]) -> None:
    """Goods whose moment passed without a message are ours by the receipt at the latest."""
    parts = {one.goods.pk: one.goods for one in found}
    waiting = ShipmentLine.objects.filter(pk__in=list(parts), quantity__gt=0)
    owned = ownership.becoming_ours(waiting, "receipt", request.occurred_on)
    for one in owned:
        parts[one.goods.shipment_line].goods_amount, parts[one.goods.shipment_line].goods_base = one.amount, one.base
    if owned:
        ownership.take_ownership(entry, owned, request.occurred_on)


def _write_receipt(act, request, site, container, found: Sequence[Found], history, entry: Entry, proves) -> Receipt:
    before, rates = _received_before(found), Rates(request.occurred_on)
    for one in found:
        value = _own_value(one, before[one.goods.pk], rates)
        before[one.goods.pk] += value[0]
        one.line = _receipt_line(one, value)
    receipt = Receipt(
        company=site.company,
        site=site,
        container=container,
        delivery_note=request.delivery_note.strip(),
        occurred_on=request.occurred_on,
        received_by=act.person,
        at=act.at,
        entry=entry,
        history=history,
        **proves,
    )
    return receiving.write_receipt(receipt, [one.line for one in found])


def _receipt_line(one: Found, value: Recognised) -> ReceiptLine:
    units, amount, base, rate = value
    return ReceiptLine(
        shipment_line=one.goods,
        instalment=one.instalment,
        quantity=one.row.quantity,
        missing=one.taking.missing,
        dropped=one.taking.dropped,
        back=one.taking.back,
        back_amount=one.back_amount,
        back_base=one.back_base,
        beyond=one.beyond,
        excess=one.taking.of("excess"),
        lot=one.row.lot.strip(),
        best_before=one.row.best_before,
        bin=one.bin,
        recognised_units=units,
        recognised_amount=amount,
        recognised_base=base,
        recognised_rate=rate,
    )


def _own_value(one: Found, before: Decimal, rates: Rates) -> Recognised:
    """Goods that become ours by this receipt: those ours from receipt, and those beyond what was shipped.

    Units received `before` are taken off the price of all, so that parts add up to the price of the whole.
    """
    order = one.of_line.order
    quantity = one.beyond if is_ours_after(order.ours_from, "arrival") else one.row.quantity
    if not quantity:
        return ZERO, ZERO, ZERO, None
    rate = rates.of(order.company, order.currency)
    amount = ownership.goods_amount(one.goods, before + quantity) - ownership.goods_amount(one.goods, before)
    return quantity, amount, converted(amount, rate, order.company.currency), rate


def _received_before(found: Sequence[Found]) -> dict[int, Decimal]:
    """Units that standing receipts made ours, by shipment line; only of goods that are ours from their receipt."""
    late = [one.goods.pk for one in found if not is_ours_after(one.of_line.order.ours_from, "arrival")]
    lines = ReceiptLine.objects.filter(shipment_line__in=late, receipt__reversed_by=None)
    return defaultdict(Decimal, lines.values_list("shipment_line").annotate(total=Sum("quantity")))


def _move(history: HistoryEntry, found: Sequence[Found]) -> None:
    """Positions follow."""
    moves = []
    for one in found:
        key, target = one.goods.instalment_id, "held" if one.item.inspected else "in_store"
        moves += [MoveDraft(key, place, target, quantity, one.goods.pk) for place, quantity in one.taking.received]
        moves.append(MoveDraft(key, one.place, "missing", one.taking.missing, one.goods.pk))
        moves.append(MoveDraft(key, one.place, "dropped", one.taking.dropped, one.goods.pk))
        moves.append(MoveDraft(key, one.place, "with_supplier", one.taking.back, one.goods.pk))
    move(history, moves)


def _write_layers(
    history: HistoryEntry, request: ReceiveRequest, site: Site, found: Sequence[Found]
) -> list[CostLayer]:
    layers = []
    for one in found:
        common = {
            "company": site.company,
            "site": site,
            "item": one.item,
            "receipt_line": one.line,
            "shipment_line": one.goods,
            "occurred_on": request.occurred_on,
            "total_cost": ZERO,
            "goods_cost": ZERO,
        }
        if one.row.quantity:
            kept = {"lot": one.line.lot, "best_before": one.line.best_before}
            layers.append(CostLayer(kind="stock", received=one.row.quantity, **kept, **common))
        if one.taking.missing:
            layers.append(CostLayer(kind="missing", received=one.taking.missing, **common))
    ledger.write_layers(layers)
    stock = [layer for layer in layers if layer.kind == "stock"]
    places = [Place(layer.receipt_line.bin_id, "held" if layer.item.inspected else "in_store") for layer in stock]
    moves = [StockMove(layer.pk, layer.received, None, place) for layer, place in zip(stock, places, strict=True)]
    move_stock(history, moves)
    return layers


def _absorb(entry: Entry, found: Sequence[Found]) -> list[Draft]:
    """The layers take up their part of goods value and of every charge; where units were dropped, of what they bore."""
    totals: dict[absorb.Bearer, dict[absorb.Component, Decimal]] = defaultdict(dict)
    for one in found:
        totals[absorb.Bearer(one.of_line.pk, one.goods.pk)][None] = one.goods.goods_base or ZERO
    for share in ChargeShare.objects.filter(order_line__in={one.of_line.pk for one in found}).order_by("charge", "pk"):
        bearer = absorb.Bearer(share.order_line_id, share.shipment_line_id)
        if bearer in totals or share.shipment_line_id is None:
            totals[bearer][share.charge_id] = share.amount
    return absorb.write(entry, absorb.absorption(totals))


def _own_on_receipt(entry: Entry, found: Sequence[Found], layers: Sequence[CostLayer]) -> list[Draft]:
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


def _words(container: Container | None, request: ReceiveRequest, found: Sequence[Found]) -> str:
    if len(found) == 1:
        what = f"{plain(found[0].row.quantity)} {found[0].item.unit} of {found[0].item.code}"
    else:
        what = f"{len(found)} parts"
    source = (
        container.number if container else f"order {', '.join(sorted({one.of_line.order.number for one in found}))}"
    )
    missing = sum(1 for one in found if one.taking.missing)
    short = f", {missing} with goods missing" if missing else ""
    dropped = plain(sum((one.taking.dropped for one in found), ZERO))
    gone = f", {dropped} units no more to come" if dropped != "0" else ""
    back = plain(sum((one.taking.back for one in found), ZERO))
    gone += f", {back} units still to come from the supplier" if back != "0" else ""
    return f"Received {what} from {source}{short}{gone}, delivery note {request.delivery_note}"


def _links(container: Container | None, site: Site, found: Sequence[Found]) -> list[Link]:
    company = site.company_id
    links: dict[Link, None] = {}
    if container is not None:
        links["shipment", container.shipment_id, company] = links["container", container.pk, company] = None
    for one in found:
        links["line", one.of_line.pk, company] = None
        if container is None:
            links["order", one.of_line.order_id, company] = None
    return list(links)
