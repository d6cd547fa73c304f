"""The cost sheet: parts down, kinds of cost across; what is billed, estimated and expected, and how it differs."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from functools import cached_property

from northing.core.costing.landed_cost import DUTY, KINDS, unit_price_of
from northing.core.money.exact import divide
from northing.core.money.money import minor_units
from northing.costing.models import Charge, ChargePart
from northing.customs.models import CustomsEntry
from northing.masterdata.models import Company
from northing.orders.models import OrderLine, PurchaseOrder
from northing.reports.cost_pieces import parts_of_lines, pieces_of
from northing.reports.expected_cost import Expectations, Expected
from northing.reports.expected_pieces import CardCost, Piece
from northing.shipping.models import Shipment, ShipmentLine

ZERO = Decimal(0)
IMPORT_TAX = "import_tax"
ORDERED = (*KINDS, DUTY, IMPORT_TAX)
WORDS = dict(Charge.Kind.choices)


@dataclass(frozen=True)
class Cell:
    """A kind of cost in base currency: what is billed, the estimate whose bill is to come, and what is expected beside.

    `estimated` is what the estimates said of what is billed now; None where there was none.
    """

    billed: Decimal = ZERO
    estimate: Decimal = ZERO
    expected: Decimal = ZERO
    estimated: Decimal | None = None

    @property
    def amount(self) -> Decimal:
        """What counts now."""
        return self.billed + self.estimate + self.expected

    @property
    def state(self) -> str:
        """How sure it is: billed, estimated, expected, or billed in part; empty where there is nothing."""
        said = [name for name in ("billed", "estimate", "expected") if getattr(self, name)]
        if len(said) == 1:
            return {"estimate": "estimated"}.get(said[0], said[0])
        return "billed in part" if said else ""

    @property
    def difference(self) -> Decimal | None:
        """How much more is billed than was estimated; None where there is nothing to compare."""
        return None if self.estimated is None else self.billed - self.estimated


NOTHING = Cell()


def together(cells: Iterable[Cell]) -> Cell:
    """Cells as one. There are thousands on a large sheet: no sum between two of them is made."""
    some = list(cells)
    if len(some) < 2:
        return some[0] if some else NOTHING
    said = [cell.estimated for cell in some if cell.estimated is not None]
    return Cell(
        sum([cell.billed for cell in some], ZERO),
        sum([cell.estimate for cell in some], ZERO),
        sum([cell.expected for cell in some], ZERO),
        sum(said, ZERO) if said else None,
    )


@dataclass(frozen=True)
class Part:
    """A row of the sheet: the pieces (their places) that it is of, and its shares in charges, by id."""

    line: OrderLine
    source: str
    places: tuple[int, ...]
    shares: Mapping[int, Decimal]
    owned: bool = False


@dataclass
class SheetRow:
    """A part with its costs in base currency. None stands for a rate that is missing."""

    part: Part
    quantity: Decimal
    goods: Decimal | None
    cells: dict[str, Cell]

    @cached_property
    def costs(self) -> Cell:
        """All of its costs beside the goods."""
        return together(self.cells.values())

    @cached_property
    def landed(self) -> Decimal | None:
        """Goods and costs together."""
        return None if self.goods is None else self.goods + self.costs.amount

    @property
    def unit(self) -> Decimal | None:
        """Landed cost of one unit, 4 decimals."""
        return None if self.landed is None else unit_price_of(self.landed, self.quantity)

    @property
    def unit_billed(self) -> Decimal | None:
        """Cost of one unit by what is billed alone, 4 decimals."""
        if self.goods is None:
            return None
        return unit_price_of(self.goods + self.costs.billed, self.quantity)


@dataclass
class Column:
    """A kind of cost: the charges and the cards that say it, and its total."""

    kind: str
    charges: list[Charge]
    cards: list[CardCost]
    total: Cell

    @property
    def words(self) -> str:
        """The kind as people call it."""
        return WORDS[self.kind]

    @property
    def open_charges(self) -> list[Charge]:
        """Charges whose bill is still expected."""
        return [charge for charge in self.charges if charge.expected]


@dataclass
class Sheet:
    """One company's part of a shipment."""

    company: Company
    columns: list[Column]
    rows: list[SheetRow] = field(default_factory=list)
    entries: list[CustomsEntry] = field(default_factory=list)
    # Some of its goods are on no customs entry.
    undeclared: bool = False
    missing: list[str] = field(default_factory=list)
    # Charges (ids) whose spreading the reader's companies may change: they bear all of it.
    spreadable: set[int] = field(default_factory=set)
    # Its rows are of one order, and named by the numbers of its lines.
    numbered: bool = False

    @cached_property
    def table(self) -> list[tuple[SheetRow, list[Cell]]]:
        """Rows with a cell for each column."""
        return [(row, [row.cells.get(column.kind, NOTHING) for column in self.columns]) for row in self.rows]

    @cached_property
    def goods(self) -> Decimal:
        return sum((row.goods or ZERO for row in self.rows), ZERO)

    @cached_property
    def costs(self) -> Cell:
        """All costs beside the goods."""
        return together(column.total for column in self.columns)

    @cached_property
    def landed(self) -> Decimal:
        return sum((row.landed or ZERO for row in self.rows), ZERO)

    @property
    def known(self) -> int | None:
        """How much of the costs beside the goods is billed, in per cent; None where there are none."""
        costs = self.costs
        if costs.amount <= 0:
            return None
        # Less than all is never said to be all.
        most = 100 if costs.billed == costs.amount else 99
        return max(min(int(divide(costs.billed * 100, costs.amount, 0)), most), 0)

    @property
    def by_state(self) -> list[tuple[str, list[Decimal | None], Decimal]]:
        """The totals by how sure they are, where that is not the same for all: words, a figure by column, the sum."""
        said = (
            ("Billed", "billed"),
            ("Estimated, bill to come", "estimate"),
            ("Expected by cards and tariff", "expected"),
            ("Billed above the estimate", "difference"),
        )
        found = []
        for words, name in said:
            figures = [getattr(column.total, name) or None for column in self.columns]
            whole = sum((one for one in figures if one), ZERO)
            if any(figures) and (name == "difference" or whole != self.costs.amount):
                found.append((words, figures, whole))
        return found

    @cached_property
    def units(self) -> Decimal:
        """The units of all rows, which tell of one item only where they are of one line."""
        return sum((row.quantity for row in self.rows), ZERO)

    @property
    def unit(self) -> Decimal | None:
        """The landed cost of one unit, 4 decimals; None where a rate is missing."""
        known = self.units and all(row.landed is not None for row in self.rows)
        return unit_price_of(self.landed, self.units) if known else None

    @property
    def steps(self) -> list[tuple[str, Decimal, bool]]:
        """How one unit comes to its cost: the goods, then each kind; in words, each, whether some is only expected."""
        if self.unit is None:
            return []
        owned = all(row.part.owned for row in self.rows)
        kinds = [(column.words, column.total.amount, column.total.state != "billed") for column in self.columns]
        found = [("Goods", self.goods, not owned), *kinds]
        return [(words, unit_price_of(amount, self.units), expected) for words, amount, expected in found if amount]

    @property
    def open_charges(self) -> list[Charge]:
        """Estimates whose bill is still expected."""
        return [charge for column in self.columns for charge in column.open_charges]

    @property
    def cards(self) -> list[CardCost]:
        """What only cards say."""
        return [card for column in self.columns for card in column.cards]


def cost_sheet(shipment: Shipment, parts: Sequence[ShipmentLine], companies: set[int], today: date) -> list[Sheet]:
    """A sheet for each company aboard that the reader may see; `parts` is all that is aboard."""
    pieces = pieces_of(parts, today)
    expected = Expectations(today).of(pieces.all)
    found = sheets_of(_packed_parts(parts, pieces.shares), expected, pieces.said, companies)
    standing = [one for one in shipment.customs_entries.all() if not one.reversed_by_id]
    for sheet in found:
        sheet.entries = sorted((one for one in standing if one.company_id == sheet.company.pk), key=lambda one: one.pk)
        own = (part for part in parts if part.instalment.line.order.company_id == sheet.company.pk)
        sheet.undeclared = not all(part.declared for part in own)
    return found


def order_sheet(order: PurchaseOrder, lines: Sequence[OrderLine], today: date) -> Sheet | None:
    """The sheet of lines of an order: what of them is packed or came unpacked, part by part, and what is neither.

    `lines` have their items, and their instalments with positions; None where nothing of it will come.
    """
    if not lines:
        return None
    for line in lines:
        line.order = order
    of_line = {line.pk: line for line in lines}
    packed = parts_of_lines(of_line)
    for part in packed:
        part.instalment.line = of_line.get(part.instalment.line_id, part.instalment.line)
    pieces = pieces_of(packed, today, lines)
    expected = Expectations(today).of(pieces.all)
    rows = [part for part in _packed_parts(packed, pieces.shares) if part.line.pk in of_line]
    rows += _open_parts(pieces.all[len(packed) :], len(packed), pieces.open_shares)
    rows.sort(key=lambda part: part.line.number)
    found = next(iter(sheets_of(rows, expected, pieces.said, {order.company_id})), None)
    if found:
        found.numbered = True
    return found


def _packed_parts(parts: Sequence[ShipmentLine], shares: Mapping[tuple[int, int], Decimal]) -> list[Part]:
    by_part: dict[int, dict[int, Decimal]] = {}
    for (charge, key), amount in shares.items():
        by_part.setdefault(key, {})[charge] = amount
    return [
        Part(part.instalment.line, part.source, (place,), by_part.get(part.pk, {}), part.goods_base is not None)
        for place, part in enumerate(parts)
    ]


def _open_parts(pieces: Sequence[Piece], first: int, shares: Mapping[tuple[int, int], Decimal]) -> list[Part]:
    """What of lines is not packed: one row for each line. `first` is the place of the first piece."""
    places: dict[int, list[int]] = {}
    for place, piece in enumerate(pieces, first):
        places.setdefault(piece.line.pk, []).append(place)
    lines = {piece.line.pk: piece.line for piece in pieces}
    of_line: dict[int, dict[int, Decimal]] = {}
    for (charge, key), amount in shares.items():
        of_line.setdefault(key, {})[charge] = amount
    return [Part(lines[key], "not packed", tuple(some), of_line.get(key, {})) for key, some in places.items()]


def sheets_of(
    parts: Sequence[Part], expected: Expected, said: Mapping[tuple[int, int], ChargePart], companies: set[int]
) -> list[Sheet]:
    """Parts beside their pieces as sheets, one for each of some companies.

    `said` is each company's part of a charge, by charge and company (ids).
    """
    rows: dict[int, list[Part]] = {}
    for part in parts:
        company = expected.pieces[part.places[0]].company.pk
        if company in companies:
            rows.setdefault(company, []).append(part)
    found = [_sheet(some, expected, said) for some in rows.values()]
    of_others = {charge for charge, company in said if company not in companies}
    for sheet in found:
        sheet.spreadable = {
            charge.pk
            for column in sheet.columns
            if column.kind not in (DUTY, IMPORT_TAX)
            for charge in column.charges
            if not charge.ended and charge.pk not in of_others
        }
    return found


def _cell(amount: Decimal, part: ChargePart, decimals: int) -> Cell:
    """A share of a company's part of a charge."""
    charge, whole = part.charge, part.base_amount
    if not charge.expected or part.billed_base == whole:
        billed = amount
    elif not part.billed_base:
        billed = ZERO
    else:
        billed = divide(amount * part.billed_base, whole, decimals) if whole else ZERO
    estimated = None
    if part.estimated_base is not None and charge.billed is not None:
        estimated = divide(part.estimated_base * amount, whole, decimals) if whole else ZERO
    return Cell(billed, amount - billed, ZERO, estimated)


def _sheet(parts: Sequence[Part], expected: Expected, said: Mapping[tuple[int, int], ChargePart]) -> Sheet:
    company = expected.pieces[parts[0].places[0]].company
    decimals = minor_units(company.currency)
    own = {charge: of_part for (charge, whose), of_part in said.items() if whose == company.pk}
    rows, of_kind = [], {}
    for part in parts:
        cells: dict[str, list[Cell]] = {}
        for key, amount in part.shares.items():
            if (of_part := own.get(key)) is not None:
                charge = of_part.charge
                of_kind.setdefault(charge.kind, {})[key] = charge
                cells.setdefault(charge.kind, []).append(_cell(amount, of_part, decimals))
        rows.append(_row(part, expected, cells))
    places = {place for part in parts for place in part.places}
    cards = [one for one in expected.cards if places & set(one.places)]
    kinds = {kind for row in rows for kind in row.cells} | {one.kind for one in cards} | set(of_kind)
    columns = [
        Column(
            kind,
            [charge for _, charge in sorted(of_kind.get(kind, {}).items())],
            [one for one in cards if one.kind == kind],
            together(row.cells[kind] for row in rows if kind in row.cells),
        )
        for kind in ORDERED
        if kind in kinds
    ]
    missing = sorted(currency for code, currency in expected.missing if code == company.code)
    return Sheet(company, columns, rows, missing=missing)


def _row(part: Part, expected: Expected, cells: dict[str, list[Cell]]) -> SheetRow:
    """A part with what charges say (`cells`) and what is expected beside."""
    goods: Decimal | None = ZERO
    for place in part.places:
        cost = expected.costs[place]
        goods = None if goods is None or cost.goods is None else goods + cost.goods
        for kind, amount in {**cost.cards, DUTY: cost.duty or ZERO, IMPORT_TAX: cost.tax}.items():
            if amount:
                cells.setdefault(kind, []).append(Cell(expected=amount))
    quantity = sum((expected.pieces[place].quantity for place in part.places), ZERO)
    return SheetRow(part, quantity, goods, {kind: together(some) for kind, some in cells.items()})
