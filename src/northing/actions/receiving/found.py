"""The count of the dock, row by row, as the core reads it; and all its errors."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.actions.costing.valuing import Valued
from northing.actions.receiving.given import Given
from northing.actions.receiving.kept import bin_problems, chosen_bin, kept_problems
from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.core.problems import Problem
from northing.core.receiving import counts
from northing.masterdata.inspections import rules_of
from northing.masterdata.models import Bin, Item, Site
from northing.orders import operations as orders
from northing.orders.models import Instalment, OrderLine
from northing.positions.operations import locked_positions
from northing.receiving.models import ReceiptLine
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)
# Why goods in this condition are held apart.
HELD = {"damaged": "Damaged goods are held apart.", "inspect": "Goods to be inspected are held apart."}


@dataclass
class Found:
    """One row with what the core made of it."""

    row: ReceiveRow
    goods: ShipmentLine
    taking: counts.Taking
    expected: counts.Expected
    bin: Bin | None
    # Goods of this item from this supplier are inspected first.
    inspected: bool = False
    line: ReceiptLine | None = None
    back_amount: Decimal = ZERO
    back_base: Decimal = ZERO
    # Units that become ours by this receipt, and their worth.
    recognised: Decimal = ZERO
    worth: Valued | None = None

    @property
    def place(self) -> str:
        return self.expected.place

    @property
    def instalment(self) -> Instalment:
        return self.goods.instalment

    @property
    def of_line(self) -> OrderLine:
        return self.goods.instalment.line

    @property
    def item(self) -> Item:
        return self.of_line.item

    @property
    def beyond(self) -> Decimal:
        """Units that are not of what was shipped, whether the order still expected them or not."""
        return self.taking.quantity - self.taking.of(self.place)

    @property
    def accounted(self) -> Decimal:
        """Units of what was shipped that are received or missing now."""
        return self.taking.of(self.place) + self.taking.missing

    @property
    def quantity(self) -> Decimal:
        """Units received; what is held beyond them is none of the order's."""
        return self.taking.quantity

    @property
    def is_held(self) -> bool:
        """Whether it has to be inspected before it is available."""
        return bool(self.inspected or self.row.condition)

    @property
    def serials(self) -> tuple[str, ...]:
        """The numbers of the units received; what is held beyond them came last."""
        return self.row.serials[: int(self.quantity)]

    @property
    def says_something(self) -> bool:
        """Whether a line of the receipt is written of it."""
        taking = self.taking
        return bool(self.quantity or taking.missing or taking.dropped or taking.back or taking.asked)


def found_by(
    request: ReceiveRequest, site: Site, given: Given, *, may_decide: bool
) -> tuple[list[Found], list[Problem]]:
    """The rows of orders, and all that is wrong with them.

    Orders, shipment lines and positions are locked in key order, so that two receivers come one after the other.
    """
    rows = [row for row in request.rows if row.item is None]
    if not rows:
        return [], []
    parts = _packed(request, site) if request.container else _unpacked(request, site)
    rules = rules_of([part.instalment.line.item for part in parts.values()])
    positions = locked_positions(part.instalment_id for part in parts.values())
    for part in parts.values():
        part.instalment.position = positions[part.instalment_id]
    bins, problems, found = list(Bin.objects.filter(site=site)), [], []
    for key, those in _by_part(rows).items():
        part = parts.get(key)
        if part is None:
            problems.append(_unknown(request, site, key))
            continue
        expected, counted = _expected(part), _counted(those, may_decide=may_decide, accepted=request.accept)
        problems += counts.counting_problems(expected, counted, f"row-{key}", f"short-{key}")
        problems += _billed_problems(part, counted, f"short-{key}")
        for row, taken in zip(those, counts.divided(counts.taking(expected, counted), _quantities(those)), strict=True):
            item = part.instalment.line.item
            inspected = rules.holds(item, part.instalment.line.order.supplier_id)
            row = given.row(item, row)
            chosen = chosen_bin(site, bins, row, held=bool(inspected or row.condition))
            problems += kept_problems(item, row, request.occurred_on, accept=request.accept)
            held = HELD.get(row.condition) or (f"{item.code} is inspected first." if inspected else "")
            problems += bin_problems(row, chosen, held=held)
            found.append(Found(row, part, taken, expected, chosen, inspected))
    return found, problems


def _unknown(request: ReceiveRequest, site: Site, key: str) -> Problem:
    where = "in this container" if request.container else "of a sent order"
    return Problem(f"This part is not {where} for {site.company}.", f"row-{key}", "Reload the page.")


def _packed(request: ReceiveRequest, site: Site) -> dict[str, ShipmentLine]:
    of_company = {"container": request.container, "instalment__line__order__company": site.company_id}
    keys = [row.shipment_line for row in request.rows if row.shipment_line and row.item is None]
    lines = ShipmentLine.objects.filter(pk__in=keys, **of_company)
    orders.lock(lines.values_list("instalment__line__order", flat=True))
    locked = lines.select_for_update(of=("self",)).order_by("pk").select_related("container__shipment")
    locked = locked.select_related("instalment__line__item", "instalment__line__order__company")
    return {str(part.pk): part for part in locked.select_related("instalment__line__order__supplier")}


def _unpacked(request: ReceiveRequest, site: Site) -> dict[str, ShipmentLine]:
    """Shipment lines for goods that come unpacked, empty until the dock has counted."""
    keys = [row.instalment for row in request.rows if row.instalment]
    sent = Instalment.objects.filter(pk__in=keys, line__order__company=site.company_id, position__isnull=False)
    orders.lock(sent.values_list("line__order", flat=True))
    found = sent.select_related("line__item", "line__order__company", "line__order__supplier").order_by("pk")
    return {f"i{one.pk}": ShipmentLine(instalment=one, container=None, quantity=ZERO) for one in found}


def _by_part(rows: Iterable[ReceiveRow]) -> dict[str, list[ReceiveRow]]:
    found: dict[str, list[ReceiveRow]] = {}
    for row in rows:
        found.setdefault(row.part, []).append(row)
    return found


def _expected(part: ShipmentLine) -> counts.Expected:
    """A part as its papers and tolerances say it: those of its item, else of its supplier, else of the company."""
    position, order = part.instalment.position, part.instalment.line.order
    item = part.instalment.line.item
    common = {
        "over_tolerance": _first_said(item.over_tolerance, order.supplier.over_tolerance),
        "under_tolerance": _first_said(
            item.under_tolerance, order.supplier.under_tolerance, order.company.under_tolerance
        ),
        "excess": position.excess,
        "decimals": item.decimals,
    }
    if part.container is None:
        whole = part.instalment.quantity
        return counts.Expected("with_supplier", whole, whole - position.with_supplier, ZERO, **common)
    return counts.Expected(part.place, part.quantity, part.accounted, position.with_supplier, **common)


def _first_said(*tolerances: Decimal | None) -> Decimal | None:
    return next((one for one in tolerances if one is not None), None)


def _quantities(rows: Sequence[ReceiveRow]) -> list[Decimal]:
    return [row.quantity for row in rows]


def _counted(rows: Sequence[ReceiveRow], **decides: bool) -> counts.Counted:
    """All rows of a part together; one below zero makes the whole so."""
    quantities = _quantities(rows)
    said = [row.still_coming for row in rows if row.still_coming is not None]
    units = sum(quantities, ZERO) if min(quantities) >= 0 else min(quantities)
    return counts.Counted(
        units,
        said[-1] if said else None,
        any(row.not_there for row in rows),
        any(row.in_dispute for row in rows),
        any(row.hold for row in rows),
        **decides,
    )


def _billed_problems(part: ShipmentLine, counted: counts.Counted, where: str) -> list[Problem]:
    """Goods that are billed cannot be with the supplier again: their price is claimed."""
    if not (counted.still_coming and counted.not_there and _is_billed(part)):
        return []
    what = f"{part.instalment.line.item.code} was billed before it came."
    return [Problem(what, where, "Say that no more is coming: a case claims its price.")]


def _is_billed(part: ShipmentLine) -> bool:
    return part.opening_billed or part.billed.filter(line__bill__reversed_by=None).exists()
