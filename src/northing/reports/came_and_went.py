"""Goods of an order, or of one of its lines, that came and that went back: one list, the newest first."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import CharField, F, Q, QuerySet, Sum, Value

from northing.claims.models import ReturnNote
from northing.receiving.models import ReceiptLine

ZERO = Decimal(0)
RECEIVED, RETURNED = "receipt", "case"
RETURN_LINE = "case__layer__shipment_line__instalment__line"


@dataclass(frozen=True)
class Went:
    """Units of a line that came by a receipt, or went back to the supplier; `kind` and `record` say where it is shown.

    `missing` are units that a receipt declared missing. What was reversed since is still told.
    """

    kind: str
    record: int
    name: str
    note: str
    day: date
    line: int
    item: str
    unit: str
    units: Decimal
    missing: Decimal
    reversed: bool

    @property
    def returned(self) -> bool:
        """Whether the units went back."""
        return self.kind == RETURNED


def came_and_went(first: int, past: int, *, order: int | None = None, line: int | None = None) -> list[Went]:
    """The rows from the first on, of an order (id) or of one line (id)."""
    whose = Q(instalment__line=line) if line else Q(instalment__line__order=order)
    back = Q(**{RETURN_LINE: line}) if line else Q(**{f"{RETURN_LINE}__order": order})
    came = _told(
        ReceiptLine.objects.filter(whose).filter(Q(quantity__gt=0) | Q(missing__gt=0)),
        RECEIVED,
        ("receipt", "receipt__number", "receipt__delivery_note", "receipt__occurred_on"),
        ("instalment__line__number", "item__code", "item__unit"),
        "receipt__reversed_by",
        Sum("missing"),
    )
    went = _told(
        ReturnNote.objects.filter(back),
        RETURNED,
        ("case", "reference", "", "occurred_on"),
        (f"{RETURN_LINE}__number", "case__layer__item__code", "case__layer__item__unit"),
        "reversed_by",
        Value(ZERO),
    )
    rows = came.union(went, all=True).order_by(F("day").desc(), F("record").desc(), "number")[first:past]
    return [Went(*row[:-1], reversed=row[-1] is not None) for row in rows]


def _told(
    records: QuerySet, kind: str, head: Sequence[str], goods: Sequence[str], undone: str, missing: Sum | Value
) -> QuerySet:
    """Rows of one kind, in the columns that both kinds share."""
    record, name, note, day = head
    said = {
        "kind": Value(kind, output_field=CharField()),
        "record": F(record),
        "name": F(name),
        "note": F(note) if note else Value("", output_field=CharField()),
        "day": F(day),
        "number": F(goods[0]),
        "code": F(goods[1]),
        "counted": F(goods[2]),
    }
    shown = records.order_by().annotate(**said).values_list(*said)
    shown = shown.annotate(units=Sum("quantity"), missed=missing)
    return shown.annotate(undone=F(undone)).values_list(*said, "units", "missed", "undone")
