"""Goods of an order, or of one of its lines: what came, was billed, went back, was credited. One list, newest first."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import CharField, F, Q, QuerySet, Sum, Value

from northing.billing.models import Bill, BillLine
from northing.claims.models import CaseEnd, ReturnNote
from northing.receiving.models import ReceiptLine

ZERO = Decimal(0)
RECEIVED, RETURNED, BILLED, CREDITED, ENDED = "receipt", "case", "bill", "credit", "end"
OF_CASE = "case__layer__shipment_line__instalment__line"
# Where each kind is shown.
PAGES = {RECEIVED: "receipt", RETURNED: "case", BILLED: "bill", CREDITED: "bill", ENDED: "case"}
NOTHING = Value(ZERO)


@dataclass(frozen=True)
class Went:
    """What happened to goods of a line: they came, went back, were billed, credited, or ended otherwise in a case.

    `missing` are units that a receipt declared missing, `amount` is a bill's, in its `currency`. What was reversed
    since is still told.
    """

    kind: str
    record: int
    name: str
    note: str
    day: date
    line: int
    item: str
    unit: str
    currency: str
    units: Decimal
    missing: Decimal
    amount: Decimal
    reversed: bool

    @property
    def page(self) -> str:
        """The route of the page that shows it."""
        return PAGES[self.kind]

    @property
    def words(self) -> str:
        """What its units did."""
        ways = dict(CaseEnd.Way.choices)
        known = {RECEIVED: "received", RETURNED: "went back", BILLED: "billed", CREDITED: "credited"}
        return known.get(self.kind) or ways[self.note].lower()


def came_and_went(first: int, past: int, *, order: int | None = None, line: int | None = None) -> list[Went]:
    """The rows from the first on, of an order (id) or of one line (id): receipts, bills, returns, credits and ends."""
    wanted = {"instalment__line": line} if line else {"instalment__line__order": order}
    of_line = {"order_line": line} if line else {"order_line__order": order}
    of_case = {OF_CASE: line} if line else {f"{OF_CASE}__order": order}
    case_goods = (f"{OF_CASE}__number", "case__layer__item__code", "case__layer__item__unit")
    line_goods = ("order_line__number", "order_line__item__code", "order_line__item__unit")
    bill = ("bill", "bill__number", "", "bill__day")
    lines = BillLine.objects.filter(into="")
    told = [
        _told(
            ReceiptLine.objects.filter(**wanted).filter(Q(quantity__gt=0) | Q(missing__gt=0)),
            RECEIVED,
            ("receipt", "receipt__number", "receipt__delivery_note", "receipt__occurred_on"),
            ("instalment__line__number", "item__code", "item__unit"),
            "receipt__reversed_by",
            missing=Sum("missing"),
        ),
        _told(
            ReturnNote.objects.filter(**of_case),
            RETURNED, ("case", "reference", "", "occurred_on"), case_goods, "reversed_by",
        ),
        _told(
            lines.filter(**of_line, bill__kind=Bill.Kind.BILL),
            BILLED, bill, line_goods, "bill__reversed_by", "bill__currency", amount=Sum("amount"),
        ),
        _told(
            lines.filter(**of_line, bill__kind=Bill.Kind.CREDIT),
            CREDITED, bill, line_goods, "bill__reversed_by", "bill__currency", amount=Sum("amount"),
        ),
        _told(
            lines.filter(**of_case, bill__kind=Bill.Kind.CREDIT),
            CREDITED, bill, case_goods, "bill__reversed_by", "bill__currency", units=NOTHING, amount=Sum("amount"),
        ),
        _told(
            CaseEnd.objects.filter(**of_case, quantity__gt=0),
            ENDED, ("case", "reason", "way", "occurred_on"), case_goods, "reversed_by",
        ),
    ]  # fmt: skip
    rows = told[0].union(*told[1:], all=True).order_by(F("day").desc(), F("record").desc(), "place", "kind")
    return [Went(*row[:-1], reversed=row[-1] is not None) for row in rows[first:past]]


def _told(
    records: QuerySet,
    kind: str,
    head: Sequence[str],
    goods: Sequence[str],
    undone: str,
    currency: str = "",
    *,
    units: Sum | Value = Sum("quantity"),  # noqa: B008 - an expression, never changed
    missing: Sum | Value = NOTHING,
    amount: Sum | Value = NOTHING,
) -> QuerySet:
    """Rows of one kind, in the columns that all kinds share."""
    record, name, note, day = head
    said = {
        "kind": Value(kind, output_field=CharField()),
        "record": F(record),
        "name": F(name),
        "note": F(note) if note else Value("", output_field=CharField()),
        "day": F(day),
        "place": F(goods[0]),
        "code": F(goods[1]),
        "counted": F(goods[2]),
        "paid_in": F(currency) if currency else Value("", output_field=CharField()),
    }
    shown = records.order_by().annotate(**said).values_list(*said)
    shown = shown.annotate(units=units, missed=missing, owed=amount)
    return shown.annotate(undone=F(undone)).values_list(*said, "units", "missed", "owed", "undone")
