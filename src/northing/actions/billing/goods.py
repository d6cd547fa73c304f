"""What the goods of a supplier's bill do in the books, and the way back.

Their accrual is owed no more, advances are set off, and their layers take the difference of price.
"""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.actions.billing.matching import GoodsLine, Matched
from northing.actions.costing import absorb, advances, ahead
from northing.actions.costing.absorb import Absorption
from northing.actions.costing.price_totals import price_totals
from northing.actions.costing.recognitions import Key
from northing.billing import operations as billing
from northing.billing.models import Bill, BilledGoods, BillLine
from northing.core.money.money import converted
from northing.ledger.models import Account, DocumentKind, Entry, OpenItem
from northing.ledger.operations import Draft, allocate
from northing.payments.queries import Advance

ZERO = Decimal(0)


def foreseen(lines: Sequence[GoodsLine]) -> Absorption:
    """What the differences of price do to layers; nothing is written or locked."""
    new = [(one.goods, one.cost) for line in lines for one in line.matched]
    return absorb.absorption(*price_totals({goods.part for goods, _ in new}, new), lock=False)


def write(entry: Entry, bill: Bill, lines: Sequence[tuple[GoodsLine, BillLine]]) -> list[Draft]:
    """Write what the lines bill, and what that does to the goods; returns the postings without what is owed."""
    items = OpenItem.objects.in_bulk([one.goods.item for line, _ in lines for one in line.matched])
    units: dict[Key, Decimal] = defaultdict(Decimal)
    drafts, rows = [], []
    for line, row in lines:
        of_line = []
        for one in line.matched:
            allocate(entry, items[one.goods.item], one.part.amount, one.part.base, one.part.units)
            units[one.goods.key] += one.part.units
            of_line.append(Billed(_row(row, one), one.goods.part))
        rows += [one.row for one in of_line]
        drafts += line_drafts(bill, row, of_line)
    advances.set_off(entry, units)
    billing.write_goods(rows)
    found = absorb.absorption(*price_totals({one.goods.part for line, _ in lines for one in line.matched}))
    return drafts + absorb.write(entry, found)


@dataclass(frozen=True)
class Billed:
    """Billed units of a recognition, and the shipment line (id) they are of."""

    row: BilledGoods
    part: int


def _row(row: BillLine, one: Matched) -> BilledGoods:
    return BilledGoods(
        line=row,
        units=one.part.units,
        amount=one.part.amount,
        base=one.part.base,
        difference=one.difference,
        difference_base=one.cost,
        advance=one.advance.amount,
        advance_base=one.advance.base,
        **{f"{one.goods.kind}_id": one.goods.document},
    )


def line_owed(bill: Bill, row: BillLine, billed: Sequence[Billed]) -> tuple[Decimal, Decimal]:
    """What is owed by a line of goods after advances, in the bill's currency and in base."""
    base = bill.company.currency
    ours = sum((one.row.amount + one.row.difference for one in billed), ZERO)
    owed = ours - sum((one.row.advance for one in billed), ZERO)
    ahead_owed = bill.sign * row.amount - ours - row.ahead_advance
    return owed + ahead_owed, converted(owed, bill.rate, base) + converted(ahead_owed, bill.rate, base)


def line_drafts(bill: Bill, row: BillLine, billed: Sequence[Billed], sign: int = 1) -> list[Draft]:
    """The postings of a line of goods as it was booked, or (sign -1) undone, but for what is owed by it."""
    common = {"company": bill.company_id, "order_line": row.order_line_id}
    foreign = common | {"foreign_currency": bill.currency, "party": bill.party_id}
    drafts, ours, known = [], ZERO, ZERO
    for one in billed:
        goods = one.row
        kind, document = goods.key
        ours += goods.amount + goods.difference
        known += goods.base + goods.difference_base - goods.advance_base
        drafts.append(
            Draft(
                account=Account.OWNED_NOT_BILLED,
                amount=sign * goods.base,
                foreign_amount=sign * goods.amount,
                document_kind=kind,
                document=document,
                **foreign,
            )
        )
        drafts.append(
            Draft(
                account=Account.OWNED_AFLOAT,
                amount=sign * goods.difference_base,
                document_kind=DocumentKind.SHIPMENT_LINE,
                document=one.part,
                **common,
            )
        )
        drafts.append(_advance_draft(bill, row, -sign * goods.advance, -sign * goods.advance_base))
    ahead_amount = bill.sign * row.amount - ours
    ahead_owed = converted(ahead_amount - row.ahead_advance, bill.rate, bill.company.currency)
    waiting = ahead_owed + row.ahead_advance_base
    rate = None if row.ahead_advance else bill.rate
    drafts.append(ahead.waiting_draft(row, sign * ahead_amount, sign * waiting, rate))
    drafts.append(_advance_draft(bill, row, -sign * row.ahead_advance, -sign * row.ahead_advance_base))
    owed = line_owed(bill, row, billed)[1] - ahead_owed
    drafts.append(Draft(account=Account.EXCHANGE, amount=sign * (owed - known), **common))
    return drafts


def _advance_draft(bill: Bill, row: BillLine, amount: Decimal, base: Decimal) -> Draft:
    return Draft(
        bill.company_id,
        Account.ADVANCES,
        base,
        amount,
        bill.currency,
        order_line=row.order_line_id,
        party=bill.party_id,
        document_kind=DocumentKind.ORDER,
        document=row.order_line.order_id,
    )


def booked(bill: Bill) -> list[tuple[BillLine, list[Billed], list[Billed]]]:
    """The lines of goods of a bill: what was ours when it was booked, and what became ours since."""
    lines = bill.lines.filter(order_line__isnull=False).select_related("order_line__order").order_by("number")
    rows: dict[int, list[Billed]] = defaultdict(list)
    for row in BilledGoods.objects.filter(line__bill=bill).select_related("receipt_line").order_by("pk"):
        part = row.shipment_line_id or row.receipt_line.shipment_line_id
        rows[row.line_id].append(Billed(row, part))
    found = []
    for line in lines:
        line.bill = bill
        then = [one for one in rows[line.pk] if one.row.waited_base is None]
        found.append((line, then, [one for one in rows[line.pk] if one.row.waited_base is not None]))
    return found


def undo(entry: Entry, bill: Bill) -> list[Draft]:
    """The counter-postings of a bill's goods, which are ours and not billed again; the bill is marked as reversed.

    What is owed by it is not among them.
    """
    drafts, parts = [], set()
    for line, then, since in booked(bill):
        drafts += line_drafts(bill, line, then, -1)
        for one in since:
            drafts += ahead.drafts(*one.row.key, ahead.part_of(line, one.row), -1)
        _reserve_again(entry, line, since)
        parts |= {one.part for one in [*then, *since]}
        _take_back(entry, [*then, *since])
    advances.take_up_again(entry, bill.entry)
    found = absorb.absorption(*price_totals(parts)) if parts else Absorption()
    return drafts + absorb.write(entry, found)


def _reserve_again(entry: Entry, line: BillLine, since: Sequence[Billed]) -> None:
    """Goods that became ours since hold the advances that the bill set off, until they are billed again."""
    order = line.order_line.order_id
    rows = [(order, *one.row.key, one.row.units, Advance(one.row.advance, one.row.advance_base)) for one in since]
    advances.write_all(entry, rows, valued=True)


def _take_back(entry: Entry, billed: Sequence[Billed]) -> None:
    """The goods are open again for another bill."""
    rows = [one.row for one in billed]
    keys = {document for _, document in (row.key for row in rows)}
    items = {
        (one.document_kind, one.document): one
        for one in OpenItem.objects.filter(account=Account.OWNED_NOT_BILLED, document__any_of=list(keys))
    }
    for row in rows:
        if row.units:
            allocate(entry, items[row.key], -row.amount, -row.base, -row.units)
