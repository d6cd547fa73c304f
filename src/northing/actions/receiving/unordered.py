"""Goods that came and belong to no order: without one, beyond what an order allows, or another item than ordered.

They are held with all their facts, and worth nothing, until the buyer decides about them.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.actions.receiving.found import Found
from northing.actions.receiving.given import Given
from northing.actions.receiving.kept import bin_problems, chosen_bin, kept_problems
from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.core.problems import Problem
from northing.masterdata.models import Bin, Item, Party, Site, WithoutOrder
from northing.masterdata.queries import only_supplier_of
from northing.orders.models import OrderLine
from northing.receiving.models import ReceiptLine
from northing.shipping.models import ShipmentLine

Why = ReceiptLine.Why
SAY_WHOSE = "Choose the supplier; we buy these goods from none, or from several."
HELD = "Goods without an order are held."
# From the mildest on.
RULES = (WithoutOrder.ALLOWED, WithoutOrder.WITH_REASON, WithoutOrder.NEVER)


@dataclass
class Unordered:
    """Units of an item that belong to no order, whose they are, how they came, and the line they came with."""

    row: ReceiveRow
    item: Item
    supplier: Party
    quantity: Decimal
    why: str
    stands_for: OrderLine | None
    bin: Bin | None
    line: ReceiptLine | None = None

    @property
    def is_held(self) -> bool:
        """Held until it is decided whose they are."""
        return True

    @property
    def inspected(self) -> bool:
        """Whether the item is inspected, whoever supplies it."""
        return self.item.inspected

    @property
    def serials(self) -> tuple[str, ...]:
        """The numbers of the units: of what is more than allowed, the last of its row."""
        return self.row.serials[len(self.row.serials) - int(self.quantity) :] if self.row.serials else ()


def unordered_by(request: ReceiveRequest, site: Site, given: Given) -> tuple[list[Unordered], list[Problem]]:
    """The rows of items alone, and all that is wrong with them."""
    rows = [row for row in request.rows if row.item is not None]
    if not rows:
        return [], []
    items = Item.objects.in_bulk({row.item for row in rows})
    lines = _ordered_lines(request, site, rows)
    bins = list(Bin.objects.filter(site=site))
    supplier = _supplier(request, list(items))
    alone = len(rows) == len(request.rows) and request.container is None
    problems = _rule_problems(request, site, supplier) if alone else []
    found = []
    for row in rows:
        line, item = lines.get(row.stands_for or 0), items.get(row.item or 0)
        whose = line.order.supplier if line else supplier
        if item is None or whose is None:
            problems.append(Problem("Say whose goods these are.", "supplier", SAY_WHOSE))
            continue
        if row.stands_for and line is None:
            what = "This line is of no order of the company."
            problems.append(Problem(what, f"stands-{row.key}", "Reload the page."))
        row = given.row(item, row)
        chosen = chosen_bin(site, bins, row, held=True)
        problems += kept_problems(item, row, request.occurred_on, accept=request.accept)
        problems += bin_problems(row, chosen, held=HELD)
        why = _why(item, line, alone=alone)
        found.append(Unordered(row, item, whose, row.quantity, why, line, chosen))
    return [one for one in found if one.quantity > 0], problems


def _why(item: Item, line: OrderLine | None, *, alone: bool) -> str:
    if line is None and alone:
        return Why.UNORDERED
    return Why.EXCESS if line and line.item_id == item.pk else Why.OTHER_ITEM


def _supplier(request: ReceiveRequest, items: Sequence[int]) -> Party | None:
    """Who is said to have sent the goods; else the one whose goods are in the container, or whom we buy them from."""
    suppliers = Party.objects.filter(kind=Party.Kind.SUPPLIER)
    if request.supplier:
        return suppliers.filter(pk=request.supplier).first()
    if request.container is None:
        return only_supplier_of(items)
    aboard = ShipmentLine.objects.filter(container=request.container).values("instalment__line__order__supplier")
    found = list(suppliers.filter(pk__in=aboard)[:2])
    return found[0] if len(found) == 1 else None


def _ordered_lines(request: ReceiveRequest, site: Site, rows: Sequence[ReceiveRow]) -> dict[int, OrderLine]:
    keys = {row.stands_for for row in rows if row.stands_for}
    lines = OrderLine.objects.filter(pk__in=keys, order__company=site.company_id)
    return lines.select_related("order__supplier").in_bulk()


def _rule_problems(request: ReceiveRequest, site: Site, supplier: Party | None) -> list[Problem]:
    """Whether goods without an order may be taken in: the stricter rule of site and supplier."""
    if supplier is None:
        return []
    rule = max((site.without_order, supplier.without_order), key=RULES.index)
    if rule == WithoutOrder.NEVER:
        whose = site if site.without_order == WithoutOrder.NEVER else supplier
        what = f"{whose} takes in nothing without an order." if whose is site else f"{whose} delivers on orders only."
        return [Problem(what, "supplier", "Find its order by any word of the papers, or send the goods back.")]
    if rule == WithoutOrder.WITH_REASON and not request.reason.strip():
        return [Problem("Say why there is no order.", "reason", "Who announced the goods, and how?")]
    return []


def excess_of(found: Sequence[Found], bins: Sequence[Bin]) -> tuple[list[Unordered], list[Problem]]:
    """What is on hold beyond what orders allow, in quarantine."""
    excess, problems = [], []
    apart = (bin for bin in bins if bin.purpose == Bin.Purpose.QUARANTINE and not bin.blocked)
    quarantine = next(apart, None)
    for one in found:
        if not one.taking.held:
            continue
        if quarantine is None:
            problems.append(Problem("The site has no quarantine bin.", f"row-{one.row.key}", "Add one to the site."))
        supplier = one.of_line.order.supplier
        excess.append(Unordered(one.row, one.item, supplier, one.taking.held, Why.EXCESS, one.of_line, quarantine))
    return excess, problems
