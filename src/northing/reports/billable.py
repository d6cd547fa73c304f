"""What a supplier may bill: order lines with what was ordered, is ours, and is billed, and what is proposed.

Proposed is what is ours and not billed; of a shipment what is packed in it and not billed.
"""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass, field
from decimal import Decimal

from django.db.models import F, Q, QuerySet, Sum

from northing.claims.queries import rejected_units
from northing.core.money.exact import plain
from northing.core.orders.orders import net_amount
from northing.ledger.models import Account, OpenItem
from northing.orders.models import OrderLine, PurchaseOrder
from northing.orders.queries import first_prices
from northing.receiving.models import ReceiptLine
from northing.shipping.models import ShipmentLine
from northing.worklist.models import LineSummary

ZERO = Decimal(0)
MOST = 500
FIGURES = ("ordered", "excess", "dropped", "unbilled", "billed")


@dataclass
class Billable:
    """An order line with its figures in the item's base unit; `price` is what is agreed for a pack, net."""

    line: OrderLine
    ordered: Decimal
    ours: Decimal
    billed: Decimal
    unbilled: Decimal
    price: Decimal
    proposed: Decimal
    notes: list[str] = field(default_factory=list)

    @property
    def amount(self) -> Decimal:
        """The price of what is proposed."""
        return net_amount(self.proposed, self.line.pack_factor, self.price, Decimal(1), self.line.order.currency)


@dataclass(frozen=True)
class Start:
    """Where a bill starts from: an order, a receipt, a shipment or a supplier (ids); its company, where it says one."""

    order: int | None = None
    receipt: int | None = None
    shipment: int | None = None
    supplier: int | None = None
    company: int | None = None


def billable(start: Start, companies: Iterable[int], more: Iterable[int] = ()) -> list[Billable]:
    """The lines a bill may be of, those with something to bill first; `more` are lines (ids) wanted in any case."""
    lines = LineSummary.objects.filter(company__in=list(companies)).select_related("line__item").only("line", *FIGURES)
    wanted = list(more)
    chosen = Q(line__in=wanted)
    proposed = _proposed(start)
    if proposed is not None:
        chosen |= Q(line__in=list(proposed))
    elif start.order:
        chosen |= Q(order=start.order)
    elif start.supplier:
        chosen |= Q(supplier=start.supplier, unbilled__gt=0)
    if start.company:
        lines = lines.filter(company=start.company)
    found = list(lines.filter(chosen).order_by("order__number", "line__number")[:MOST])
    # One record of each order, shared by its lines.
    keys = {row.line.order_id for row in found}
    orders = PurchaseOrder.objects.select_related("company", "supplier").in_bulk(keys)
    for row in found:
        row.line.order = orders[row.line.order_id]
    return _with_figures(found, proposed)


def _proposed(start: Start) -> dict[int, Decimal] | None:
    """By order line (id), the units of a receipt or of a shipment; None where the start names neither."""
    rows: QuerySet
    if start.receipt:
        rows = ReceiptLine.objects.filter(receipt=start.receipt, instalment__isnull=False)
        sums = rows.values_list("instalment__line").order_by().annotate(u=Sum("quantity"))
    elif start.shipment:
        rows = ShipmentLine.objects.filter(container__shipment=start.shipment)
        sums = rows.values_list("instalment__line").order_by().annotate(u=Sum("quantity"))
    else:
        return None
    return dict(sums)


def _with_figures(rows: list[LineSummary], proposed: dict[int, Decimal] | None) -> list[Billable]:
    keys = [row.line_id for row in rows]
    prices, ours, notes, rejected = first_prices(keys), _ours(keys), _notes(keys), rejected_units(keys)
    found = []
    for row in rows:
        pack_price, paid = prices.get(row.line_id, (row.line.pack_price, row.line.net_share))
        price, of_line = round(pack_price * paid, 10).normalize(), ours[row.line_id]
        # What is rejected and not billed is not proposed: its price is not owed if it goes back.
        held = min(rejected.get(row.line_id, ZERO), row.unbilled)
        if held:
            notes[row.line_id].append(f"{plain(held)} {row.line.item.unit} rejected")
        whole = row.unbilled - held
        if proposed is not None and row.line_id in proposed:
            left = max(proposed[row.line_id], ZERO)
            # Packed and not ours yet may be billed as well; what is billed already may not.
            whole = min(left, max(row.unbilled, row.ordered + row.excess - row.dropped - row.billed) - held)
        found.append(
            Billable(row.line, row.ordered, of_line, row.billed, row.unbilled, price, whole, notes[row.line_id])
        )
    return sorted(found, key=lambda one: one.proposed <= 0)


def _ours(lines: list[int]) -> dict[int, Decimal]:
    """By order line (id), the units that became ours, less those given up."""
    found: dict[int, Decimal] = defaultdict(Decimal)
    afloat = ShipmentLine.objects.filter(instalment__line__in=lines, goods_base__isnull=False)
    by_receipt = ReceiptLine.objects.filter(instalment__line__in=lines, receipt__reversed_by=None)
    for rows, name in ((afloat, "quantity"), (by_receipt, "recognised_units")):
        for line, units in rows.values_list("instalment__line").order_by().annotate(u=Sum(name)):
            found[line] += units
    return found


def _notes(lines: list[int]) -> dict[int, list[str]]:
    """By order line (id), the delivery notes and shipments by which its goods came, the newest first."""
    found: dict[int, list[str]] = defaultdict(list)
    receipts = ReceiptLine.objects.filter(
        instalment__line__in=lines, receipt__reversed_by=None, quantity__gt=0
    ).order_by("-receipt__occurred_on", "-pk")
    for line, note in receipts.values_list("instalment__line", "receipt__delivery_note"):
        if note not in found[line]:
            found[line].append(note)
    return found


def unbilled_suppliers(companies: Iterable[int]) -> list[dict]:
    """Suppliers of whom goods are ours and not billed: by company and currency, lines and amounts, the oldest first."""
    rows = OpenItem.objects.filter(account=Account.OWNED_NOT_BILLED, company__in=list(companies)).exclude(amount=0)
    rows = rows.values(
        "company",
        "party",
        "currency",
        code=F("company__code"),
        base_currency=F("company__currency"),
        supplier=F("party__name"),
    ).order_by()
    return list(
        rows.annotate(
            foreign=-Sum("amount"),
            in_base=-Sum("base"),
        ).order_by("-in_base", "party")
    )
