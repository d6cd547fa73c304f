"""The count of the dock, row by row, as the core reads it; and all its errors."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.core.problems import Problem, Refused, refuse_if
from northing.core.receiving import counts
from northing.masterdata.models import Bin, Item, Site
from northing.orders import operations as orders
from northing.orders.models import Instalment, OrderLine
from northing.positions.operations import locked_positions
from northing.receiving.models import ReceiptLine
from northing.shipping.models import ShipmentLine

ZERO = Decimal(0)


@dataclass
class Found:
    """One row with what the core made of it."""

    row: ReceiveRow
    goods: ShipmentLine
    taking: counts.Taking
    place: str
    bin: Bin | None
    line: ReceiptLine | None = None
    back_amount: Decimal = ZERO
    back_base: Decimal = ZERO

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
    def says_something(self) -> bool:
        return bool(self.row.quantity or self.taking.missing or self.taking.dropped or self.taking.back)


def found_by(request: ReceiveRequest, site: Site) -> list[Found]:
    """The rows that say something. Raises Refused with all that is wrong with them.

    Orders, shipment lines and positions are locked in key order, so that two receivers come one after the other.
    """
    parts = _packed(request, site) if request.container else _unpacked(request, site)
    positions = locked_positions(part.instalment_id for part in parts.values())
    for part in parts.values():
        part.instalment.position = positions[part.instalment_id]
    bins, problems, found = list(Bin.objects.filter(site=site)), [], []
    for key, rows in _by_part(request.rows).items():
        part = parts.get(key)
        if part is None:
            problems.append(_unknown(request, site, key))
            continue
        expected, counted = _expected(part), _counted(rows)
        problems += counts.counting_problems(expected, counted, f"row-{key}", f"short-{key}")
        problems += _billed_problems(part, counted, f"short-{key}")
        for row, taken in zip(rows, counts.divided(counts.taking(expected, counted), _quantities(rows)), strict=True):
            chosen = _bin(bins, row, part)
            problems += _kept_problems(part, row) + _bin_problems(part, row, chosen)
            found.append(Found(row, part, taken, expected.place, chosen))
    refuse_if(problems)
    found = [one for one in found if one.says_something]
    if not found:
        raise Refused(Problem("Nothing was received and nothing is missing.", "rows", "Enter what was found."))
    return found


def _unknown(request: ReceiveRequest, site: Site, key: str) -> Problem:
    where = "in this container" if request.container else "of a sent order"
    return Problem(f"This part is not {where} for {site.company}.", f"row-{key}", "Reload the page.")


def _packed(request: ReceiveRequest, site: Site) -> dict[str, ShipmentLine]:
    of_company = {"container": request.container, "instalment__line__order__company": site.company_id}
    keys = [row.shipment_line for row in request.rows if row.shipment_line]
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
        found.setdefault(row.key, []).append(row)
    return found


def _expected(part: ShipmentLine) -> counts.Expected:
    position, order = part.instalment.position, part.instalment.line.order
    item = part.instalment.line.item
    common = {
        "over_tolerance": order.supplier.over_tolerance,
        "excess": position.excess,
        "decimals": item.decimals,
    }
    if part.container is None:
        whole = part.instalment.quantity
        return counts.Expected("with_supplier", whole, whole - position.with_supplier, ZERO, **common)
    return counts.Expected(part.place, part.quantity, part.accounted, position.with_supplier, **common)


def _quantities(rows: Sequence[ReceiveRow]) -> list[Decimal]:
    return [row.quantity for row in rows]


def _counted(rows: Sequence[ReceiveRow]) -> counts.Counted:
    """All rows of a part together; one below zero makes the whole so."""
    quantities = _quantities(rows)
    said = [row.still_coming for row in rows if row.still_coming is not None]
    units = sum(quantities, ZERO) if min(quantities) >= 0 else min(quantities)
    return counts.Counted(units, said[-1] if said else None, any(row.not_there for row in rows))


def _billed_problems(part: ShipmentLine, counted: counts.Counted, where: str) -> list[Problem]:
    """Goods that were billed before the books began cannot be owed by the supplier again: their price is claimed."""
    if not (part.opening_billed and counted.still_coming and counted.not_there):
        return []
    what = f"{part.instalment.line.item.code} was billed before it came."
    return [Problem(what, where, "Say that no more is coming: a case claims its price.")]


def _bin(bins: Sequence[Bin], row: ReceiveRow, part: ShipmentLine) -> Bin | None:
    """The bin that was chosen, or the first for goods like these; None where there is none."""
    if row.bin:
        return next((bin for bin in bins if bin.pk == row.bin), None)
    purpose = Bin.Purpose.QUARANTINE if part.instalment.line.item.inspected else Bin.Purpose.STORE
    return next((bin for bin in bins if bin.purpose == purpose), None)


def _bin_problems(part: ShipmentLine, row: ReceiveRow, bin: Bin | None) -> list[Problem]:
    item, where = part.instalment.line.item, f"bin-{row.key}"
    if bin is None and row.bin:
        return [Problem("This bin is not at this site.", where, "Choose one of the list.")]
    if bin is None:
        return [Problem("The site has no bin for these goods.", where, "Add one to the site first.")]
    if item.inspected and bin.purpose == Bin.Purpose.STORE:
        return [Problem(f"{item.code} is inspected first.", where, "Choose a dock or quarantine bin.")]
    return []


def _kept_problems(part: ShipmentLine, row: ReceiveRow) -> list[Problem]:
    """Decimals of a counted unit; lot and best-before where the item keeps them."""
    item, found = part.instalment.line.item, []
    if round(row.quantity, item.decimals) != row.quantity:
        found.append(Problem(f"{item.code} is counted in whole {item.unit}.", f"row-{row.key}", "Enter whole units."))
    label = "It is on the carton label."
    if row.quantity > 0 and item.keeps_lot and not row.lot.strip():
        found.append(Problem(f"{item.code} keeps lots: the lot is missing.", f"lot-{row.key}", label))
    if row.quantity > 0 and item.keeps_best_before and row.best_before is None:
        what = f"{item.code} keeps best-before dates: the date is missing."
        found.append(Problem(what, f"best-{row.key}", label))
    return found
