"""Receive a container's goods.

Follow one receipt here: check, lock, ask the core, write facts, move positions, make layers, post, tell.
"""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Sum

from northing.access.acts import Act, future_problem
from northing.actions.costing import absorb, goods_price, ownership
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, once
from northing.claims import operations as claims
from northing.claims.models import Claim
from northing.core.costing.ownership import is_ours_after
from northing.core.money.exact import plain
from northing.core.money.money import converted
from northing.core.problems import Problem, Refused, refuse_if
from northing.core.receiving import counts
from northing.costing.models import ChargeShare
from northing.inventory.operations import Place, StockMove, move_stock
from northing.ledger import operations as ledger
from northing.ledger.models import Account, CostLayer, DocumentKind, LayerTake
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Bin, Site
from northing.masterdata.queries import Rates
from northing.positions.operations import MoveDraft, locked_positions, move
from northing.receiving import operations as receiving
from northing.receiving.models import Receipt, ReceiptLine
from northing.shipping import operations as shipping
from northing.shipping.models import Container, ShipmentLine

ZERO = Decimal(0)
# Goods that become ours by a receipt: units, amount in the order's currency, amount in base, and the rate.
Recognised = tuple[Decimal, Decimal, Decimal, Decimal | None]


@dataclass(frozen=True)
class ReceiveRow:
    """What the dock found of one shipment line; of a short rest it is said whether it is still coming."""

    shipment_line: int
    quantity: Decimal
    still_coming: bool | None = None
    lot: str = ""
    best_before: date | None = None
    bin: int | None = None


@dataclass(frozen=True)
class ReceiveRequest:
    """A receipt of one company's goods at one site out of one container."""

    container: int
    site: int
    delivery_note: str
    occurred_on: date
    rows: tuple[ReceiveRow, ...]


@dataclass
class _Found:
    """One row with what the core made of it."""

    row: ReceiveRow
    shipment_line: ShipmentLine
    taking: counts.Taking
    line: ReceiptLine | None = None

    @property
    def item(self):
        return self.shipment_line.instalment.line.item

    @property
    def says_something(self) -> bool:
        return self.row.quantity > 0 or self.taking.missing > 0


@once
def receive(act: Act, request: ReceiveRequest) -> int:
    """Take goods in. Layers, positions, books and story follow in the same transaction."""
    site = Site.objects.select_related("company").get(pk=request.site)
    act.require_at("receive", site.company_id, site.pk)
    container = Container.objects.get(pk=request.container)
    shipping.lock([container.shipment_id])
    refuse_if(_head_problems(act, request))
    bins = _Bins(site)
    found = _ask_core(request, site, _locked(request, site), bins)
    text = _words(container, request, found) + posting_note([site.company_id], request.occurred_on)
    history = add_history(act, "receive", text, _links(container, site, found), request.occurred_on)
    entry = open_entry(act, history, text, request.occurred_on)
    _own_what_was_not(entry, request, found)
    receipt = _write_receipt(act, request, site, container, found, history, entry, bins)
    _settle(history, found)
    layers = _write_layers(history, request, site, found)
    # Own value first: what the layers absorb from afloat is reckoned beside it.
    drafts = _own_on_receipt(entry, found, layers)
    drafts += _absorb(entry, found)
    cases = _open_cases(request, site, found, layers)
    drafts += _miss(entry, layers, cases)
    post(entry, drafts)
    bring_along(
        instalments=[one.shipment_line.instalment_id for one in found],
        shipments=[container.shipment_id],
        layers=[layer.pk for layer in layers if layer.item.inspected],
        cases=list(cases.values()),
    )
    return receipt.pk


def _head_problems(act: Act, request: ReceiveRequest) -> list[Problem]:
    problems = future_problem(request.occurred_on, act)
    if not request.delivery_note.strip():
        problems.append(
            Problem("The delivery note has a number.", "delivery_note", "Enter it, or the driver's name and time.")
        )
    if not request.rows:
        problems.append(Problem("Nothing was counted.", "rows", "Enter what was found, 0 included."))
    if len({row.shipment_line for row in request.rows}) != len(request.rows):
        problems.append(Problem("A part is counted twice.", "rows"))
    return problems


def _locked(request: ReceiveRequest, site: Site) -> dict[int, ShipmentLine]:
    """The shipment lines with their positions, locked in key order, so that two receivers come one after the other."""
    keys = [row.shipment_line for row in request.rows]
    found = {
        part.pk: part
        for part in ShipmentLine.objects.select_for_update(of=("self",))
        .select_related("instalment__line__item", "instalment__line__order__company")
        .select_related("instalment__line__order__supplier", "container__shipment")
        .filter(pk__in=keys, container=request.container, instalment__line__order__company=site.company_id)
        .order_by("pk")
    }
    positions = locked_positions(part.instalment_id for part in found.values())
    for part in found.values():
        part.instalment.position = positions[part.instalment_id]
    return found


class _Bins:
    """The bins of a site, read once."""

    def __init__(self, site: Site):
        self._bins = {bin.pk: bin for bin in Bin.objects.filter(site=site)}

    def chosen(self, row: ReceiveRow, part: ShipmentLine) -> Bin | None:
        """The bin that was chosen, or the first for goods like these; None where there is none."""
        if row.bin:
            return self._bins.get(row.bin)
        purpose = Bin.Purpose.QUARANTINE if part.instalment.line.item.inspected else Bin.Purpose.STORE
        return next((bin for bin in self._bins.values() if bin.purpose == purpose), None)

    def problems(self, row: ReceiveRow, part: ShipmentLine) -> list[Problem]:
        """No such bin, or one for goods that were inspected."""
        item, where, bin = part.instalment.line.item, f"bin-{part.pk}", self.chosen(row, part)
        if bin is None and row.bin:
            return [Problem("This bin is not at this site.", where, "Choose one of the list.")]
        if bin is None:
            return [Problem("The site has no bin for these goods.", where, "Add one to the site first.")]
        if item.inspected and bin.purpose == Bin.Purpose.STORE:
            return [Problem(f"{item.code} is inspected first.", where, "Choose a dock or quarantine bin.")]
        return []


def _ask_core(
    request: ReceiveRequest, site: Site, shipment_lines: dict[int, ShipmentLine], bins: _Bins
) -> list[_Found]:
    problems: list[Problem] = []
    found = []
    for row in request.rows:
        part = shipment_lines.get(row.shipment_line)
        where = f"row-{row.shipment_line}"
        if part is None:
            problems.append(
                Problem(f"This part is not in this container for {site.company}.", where, "Reload the page.")
            )
            continue
        expected = _expected(part)
        counted = counts.Counted(row.quantity, row.still_coming)
        problems += counts.counting_problems(expected, counted, where, f"short-{part.pk}")
        problems += _kept_problems(part, row, where) + bins.problems(row, part)
        found.append(_Found(row, part, counts.taking(expected, counted)))
    refuse_if(problems)
    found = [one for one in found if one.says_something]
    if not found:
        raise Refused(Problem("Nothing was received and nothing is missing.", "rows", "Enter what was found."))
    return found


def _expected(part: ShipmentLine) -> counts.Expected:
    return counts.Expected(
        place=part.place,
        quantity=part.quantity,
        accounted=part.accounted,
        with_supplier=part.instalment.position.with_supplier,
        over_tolerance=part.instalment.line.order.supplier.over_tolerance,
    )


def _kept_problems(part: ShipmentLine, row: ReceiveRow, where: str) -> list[Problem]:
    """Decimals of a counted unit; lot and best-before where the item keeps them."""
    item, found = part.instalment.line.item, []
    if round(row.quantity, item.decimals) != row.quantity:
        found.append(Problem(f"{item.code} is counted in whole {item.unit}.", where, "Enter whole units."))
    if row.quantity > 0 and item.keeps_lot and not row.lot.strip():
        found.append(
            Problem(f"{item.code} keeps lots: the lot is missing.", f"lot-{part.pk}", "It is on the carton label.")
        )
    if row.quantity > 0 and item.keeps_best_before and row.best_before is None:
        found.append(
            Problem(
                f"{item.code} keeps best-before dates: the date is missing.",
                f"best-{part.pk}",
                "It is on the carton label.",
            )
        )
    return found


def _own_what_was_not(entry, request: ReceiveRequest, found: Sequence[_Found]) -> None:
    """Goods whose moment passed without a message are ours by the receipt at the latest."""
    parts = {one.shipment_line.pk: one.shipment_line for one in found}
    owned = ownership.becoming_ours(ShipmentLine.objects.filter(pk__in=list(parts)), "receipt", request.occurred_on)
    for one in owned:
        parts[one.goods.shipment_line].goods_amount, parts[one.goods.shipment_line].goods_base = one.amount, one.base
    if owned:
        ownership.take_ownership(entry, owned, request.occurred_on)


def _write_receipt(act, request, site, container, found, history, entry, bins: _Bins) -> Receipt:
    before, rates = _received_before(found), Rates(request.occurred_on)
    for one in found:
        value = _own_value(one, before.get(one.shipment_line.pk, ZERO), rates)
        one.line = _receipt_line(one, value, bins.chosen(one.row, one.shipment_line))
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
    )
    return receiving.write_receipt(receipt, [one.line for one in found])


def _receipt_line(one: _Found, value: Recognised, bin: Bin) -> ReceiptLine:
    units, amount, base, rate = value
    return ReceiptLine(
        shipment_line=one.shipment_line,
        instalment=one.shipment_line.instalment,
        quantity=one.row.quantity,
        missing=one.taking.missing,
        excess=one.taking.excess + _from_supplier(one),
        lot=one.row.lot.strip(),
        best_before=one.row.best_before,
        bin=bin,
        recognised_units=units,
        recognised_amount=amount,
        recognised_base=base,
        recognised_rate=rate,
    )


def _from_supplier(one: _Found) -> Decimal:
    """Units beyond this shipment line that the order still expected: neither excess nor of the line."""
    return sum((quantity for place, quantity in one.taking.received if place == "with_supplier"), ZERO)


def _own_value(one: _Found, before: Decimal, rates: Rates) -> Recognised:
    """Goods that become ours by this receipt: those ours from receipt, and those beyond the shipment lines.

    What was received `before` is taken off the price of all, so that parts add up to the price of the whole.
    """
    order = one.shipment_line.instalment.line.order
    beyond = one.taking.excess + _from_supplier(one)
    quantity = one.row.quantity if not is_ours_after(order.ours_from, "arrival") else beyond
    if not quantity:
        return ZERO, ZERO, ZERO, None
    rate = rates.of(order.company, order.currency)
    amount = ownership.goods_amount(one.shipment_line, before + quantity) - ownership.goods_amount(
        one.shipment_line, before
    )
    return quantity, amount, converted(amount, rate, order.company.currency), rate


def _received_before(found: Sequence[_Found]) -> dict[int, Decimal]:
    """Units that standing receipts made ours, by shipment lines; only of goods that are ours from their receipt."""
    late = [
        one.shipment_line.pk
        for one in found
        if not is_ours_after(one.shipment_line.instalment.line.order.ours_from, "arrival")
    ]
    lines = ReceiptLine.objects.filter(shipment_line__in=late, receipt__reversed_at=None)
    return dict(lines.values_list("shipment_line").annotate(total=Sum("quantity")))


def _settle(history: HistoryEntry, found: Sequence[_Found]) -> None:
    """Positions and the shipment line's own count follow."""
    moves = []
    for one in found:
        key, target = one.shipment_line.instalment_id, "held" if one.item.inspected else "in_store"
        moves += [
            MoveDraft(key, place, target, quantity, one.shipment_line.pk) for place, quantity in one.taking.received
        ]
        moves.append(MoveDraft(key, one.shipment_line.place, "missing", one.taking.missing, one.shipment_line.pk))
        accounted_here = sum(
            (quantity for place, quantity in one.taking.received if place == one.shipment_line.place), ZERO
        )
        one.shipment_line.accounted += accounted_here + one.taking.missing
    shipping.account_for(one.shipment_line for one in found)
    move(history, moves)


def _write_layers(
    history: HistoryEntry, request: ReceiveRequest, site: Site, found: Sequence[_Found]
) -> list[CostLayer]:
    layers = []
    for one in found:
        common = {
            "company": site.company,
            "site": site,
            "item": one.item,
            "receipt_line": one.line,
            "shipment_line": one.shipment_line,
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


def _absorb(entry, found: Sequence[_Found]) -> list[Draft]:
    """The layers take up their part of goods value and of every charge."""
    totals: dict[int, dict[absorb.Component, Decimal]] = defaultdict(dict)
    for one in found:
        totals[one.shipment_line.pk][None] = one.shipment_line.goods_base or ZERO
    for share in ChargeShare.objects.filter(shipment_line__in=list(totals)):
        totals[share.shipment_line_id][share.charge_id] = share.amount
    return absorb.write(entry, absorb.absorption(totals))


def _own_on_receipt(entry, found: Sequence[_Found], layers: Sequence[CostLayer]) -> list[Draft]:
    """Goods that became ours by this very receipt: into stock against owned not billed."""
    of_line = {layer.receipt_line_id: layer for layer in layers if layer.kind == "stock"}
    drafts, costs = [], []
    for one in found:
        line, value = one.shipment_line.instalment.line, one.line.recognised_base
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
        costs.append((layer.pk, None, value))
        ledger.add_goods(layer, value)
    ledger.add_costs(entry, costs)
    return drafts


def _miss(entry, layers: Sequence[CostLayer], cases: Mapping[int, int]) -> list[Draft]:
    """What the dock did not find leaves at once: its price is not owed (billed: is claimed), charges are lost."""
    drafts = []
    for layer in layers:
        if layer.kind != "missing":
            continue
        released = goods_price.release(entry, layer, layer.received, cases[layer.pk])
        layer.refresh_from_db(fields=["total_cost", "goods_cost", "taken_cost", "goods_taken", "gone"])
        taken = ledger.take(layer, layer.received, LayerTake.Reason.MISSING, entry, layer.company.currency)
        common = {"company": layer.company_id, "layer": layer.pk, "order_line": layer.shipment_line.instalment.line_id}
        lost = taken.cost - sum(draft.amount for draft in released)
        drafts.append(Draft(account=Account.STOCK, amount=-taken.cost, **common))
        drafts += [*released, Draft(account=Account.MISSING_LOSS, amount=lost, **common)]
    return drafts


def _open_cases(
    request: ReceiveRequest, site: Site, found: Sequence[_Found], layers: Sequence[CostLayer]
) -> dict[int, int]:
    """A case for each layer of missing goods: layer (id) to case (id)."""
    missing = {layer.receipt_line_id: layer for layer in layers if layer.kind == "missing"}
    cases = [
        Claim(
            company=site.company,
            kind=Claim.Kind.MISSING,
            layer=missing[one.line.pk],
            supplier=one.shipment_line.instalment.line.order.supplier,
            reason=f"not found, delivery note {request.delivery_note}"[:80],
            quantity=one.taking.missing,
            opened_on=request.occurred_on,
        )
        for one in found
        if one.taking.missing
    ]
    return {case.layer_id: case.pk for case in claims.open_cases(cases)}


def _words(container: Container, request: ReceiveRequest, found: Sequence[_Found]) -> str:
    missing = sum(1 for one in found if one.taking.missing)
    short = f", {missing} with goods missing" if missing else ""
    if len(found) == 1:
        what = f"{plain(found[0].row.quantity)} {found[0].item.unit} of {found[0].item.code}"
    else:
        what = f"{len(found)} parts"
    return f"Received {what} from {container.number}{short}, delivery note {request.delivery_note}"


def _links(container: Container, site: Site, found: Sequence[_Found]) -> list[tuple[str, int, int | None]]:
    lines = [("line", one.shipment_line.instalment.line_id, site.company_id) for one in found]
    company = site.company_id
    return [("shipment", container.shipment_id, company), ("container", container.pk, company), *lines]
