"""Goods that were billed before they became ours: what their bills say of them, and how that ends as they do."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import Q, Sum

from northing.billing import operations as billing
from northing.billing.models import BilledGoods, BillLine
from northing.core.billing.advances import Amounts
from northing.core.billing.pay import paid_part
from northing.core.money.money import converted, from_minor, to_minor
from northing.core.money.spread import amount_so_far
from northing.ledger.models import Account, DocumentKind, Entry, OpenItem
from northing.ledger.operations import Draft, allocate
from northing.payments.models import PaymentPart
from northing.payments.queries import Advance

ZERO = Decimal(0)


@dataclass
class Waiting:
    """A bill's line of which units are not ours yet: how many, and what is open of it in both currencies.

    `advance` of that was paid in advance, and set off by the bill; `paid` of its bill was paid by now.
    """

    line: BillLine
    units: Decimal
    amount: Decimal
    base: Decimal
    advance: Advance
    paid: tuple[Decimal, Decimal]

    def take(self, units: Decimal, rate: Decimal) -> "Part":
        """The next units become ours at the rate of the day; what was paid by now counts at its payments' rates."""
        bill = self.line.bill
        currency, base_currency = bill.currency, bill.company.currency
        amount = amount_so_far(self.amount, currency, units, self.units)
        waited = amount_so_far(self.base, base_currency, units, self.units)
        advance = Advance(
            amount_so_far(self.advance.amount, currency, units, self.units),
            amount_so_far(self.advance.base, base_currency, units, self.units),
        )
        owed, paid = to_minor(bill.owed, currency), Amounts(*map(to_minor, self.paid, (currency, base_currency)))
        left = amount - advance.amount
        part = paid_part(to_minor(left, currency), owed, paid)
        rest = converted(left - from_minor(part.amount, currency), rate, base_currency)
        self.units, self.amount, self.base = self.units - units, self.amount - amount, self.base - waited
        self.advance = Advance(self.advance.amount - advance.amount, self.advance.base - advance.base)
        worth = advance.base + from_minor(part.base, base_currency) + rest
        return Part(self.line, units, amount, worth, waited, advance)


@dataclass(frozen=True)
class Part:
    """Units billed ahead that become ours: their price, their worth in base, what waited for them, and the advance."""

    line: BillLine
    units: Decimal
    amount: Decimal
    base: Decimal
    waited: Decimal
    advance: Advance


class Ahead:
    """What was billed of order lines (ids) before it became ours, used up by the oldest bill first."""

    def __init__(self, lines: Iterable[int]):
        self._waiting: dict[int, list[Waiting]] = defaultdict(list)
        for one in waiting_of(Q(order_line__in=set(lines))):
            self._waiting[one.line.order_line_id].append(one)

    def take(self, line: int, units: Decimal, rate: Decimal) -> list[Part]:
        """The parts of bills that `units` of an order line end, as far as they were billed ahead."""
        found, left = [], units
        for one in self._waiting.get(line, ()):
            part = min(left, one.units)
            if part > 0:
                left -= part
                found.append(one.take(part, rate))
        return found


def waiting_of(which: Q) -> list[Waiting]:
    """Lines of standing bills of which units are not ours yet, the oldest bill first."""
    items = OpenItem.objects.filter(account=Account.BILLED_NOT_OURS, document_kind=DocumentKind.BILL_LINE)
    lines = BillLine.objects.filter(which, bill__reversed_by=None, order_line__isnull=False)
    lines = lines.filter(pk__in=items.exclude(amount=0, base=0).values("document"))
    lines = lines.select_related("bill__company").annotate(
        ours=Sum("goods__units"),
        off=Sum("goods__advance", filter=Q(goods__waited_base__isnull=False), default=ZERO),
        off_base=Sum("goods__advance_base", filter=Q(goods__waited_base__isnull=False), default=ZERO),
    )
    lines = lines.order_by("bill__day", "pk")
    found = list(lines)
    if not found:
        return []
    open_items = {one.document: one for one in items.filter(document__in=[line.pk for line in found])}
    paid = _paid({line.bill_id for line in found})
    return [
        Waiting(
            line,
            line.quantity - (line.ours or ZERO),
            open_items[line.pk].amount,
            open_items[line.pk].base,
            Advance(line.ahead_advance - line.off, line.ahead_advance_base - line.off_base),
            paid.get(line.bill_id, (ZERO, ZERO)),
        )
        for line in found
    ]


def _paid(bills: Iterable[int]) -> dict[int, tuple[Decimal, Decimal]]:
    rows = PaymentPart.objects.filter(bill__in=bills, payment__reversed_by=None).values_list("bill").order_by()
    return {bill: (amount, base) for bill, amount, base in rows.annotate(a=Sum("amount"), b=Sum("paid_base"))}


def end(entry: Entry, parts: Sequence[tuple[str, int, Part]]) -> list[Draft]:
    """Goods (kind and id of the document by which they became ours) are billed already; the postings of that."""
    if not parts:
        return []
    items = {
        (one.document_kind, one.document): one
        for one in OpenItem.objects.filter(
            account=Account.OWNED_NOT_BILLED, document__in={document for _, document, _ in parts}
        )
    }
    made: list[Draft] = []
    for kind, document, part in parts:
        allocate(entry, items[str(kind), document], part.amount, part.base, part.units)
        made += drafts(kind, document, part)
    billing.write_goods(
        BilledGoods(
            line=part.line,
            units=part.units,
            amount=part.amount,
            base=part.base,
            difference=ZERO,
            difference_base=ZERO,
            advance=part.advance.amount,
            advance_base=part.advance.base,
            waited_base=part.waited,
            **{f"{kind}_id": document},
        )
        for kind, document, part in parts
    )
    return made


def part_of(line: BillLine, goods: BilledGoods) -> Part:
    """Units of a line that were billed ahead and are ours since, as they were written."""
    advance = Advance(goods.advance, goods.advance_base)
    return Part(line, goods.units, goods.amount, goods.base, goods.waited_base or ZERO, advance)


def drafts(kind: str, document: int, part: Part, sign: int = 1) -> list[Draft]:
    """The postings of units billed ahead that become ours, or (sign -1) wait for a bill again."""
    bill, line = part.line.bill, part.line
    owed = Draft(
        bill.company_id,
        Account.OWNED_NOT_BILLED,
        sign * part.base,
        sign * part.amount,
        bill.currency,
        order_line=line.order_line_id,
        party=bill.party_id,
        document_kind=kind,
        document=document,
    )
    difference = sign * (part.waited - part.base)
    exchange = Draft(bill.company_id, Account.EXCHANGE, difference, order_line=line.order_line_id)
    return [owed, waiting_draft(line, -sign * part.amount, -sign * part.waited), exchange]


def waiting_draft(line: BillLine, amount: Decimal, base: Decimal, rate: Decimal | None = None) -> Draft:
    """A posting on what is billed of a line and not ours yet."""
    bill = line.bill
    return Draft(
        bill.company_id,
        Account.BILLED_NOT_OURS,
        base,
        amount,
        bill.currency,
        rate,
        order_line=line.order_line_id,
        party=bill.party_id,
        document_kind=DocumentKind.BILL_LINE,
        document=line.pk,
    )
