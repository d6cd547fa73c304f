"""Rows of an order file, one line of an order each: their meaning, and their faults cell by cell."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import TypeVar

from northing.core.money.exact import read_exact
from northing.core.money.periods import day_problems
from northing.core.problems import Problem, Refused

# Columns by name; those with a word behind them have to be there.
COLUMNS = {
    "order": "our number of an order that is to be changed, or any word that is the same for the rows of a new one",
    "company": "its code; may be left out when you write orders for one company only",
    "supplier": "its code or name",
    "site": "its code; may be left out when the company has one site only",
    "incoterm": "FOB when left out",
    "incoterm_place": "",
    "ours_from": "pickup, on_board, arrival or receipt; by the Incoterms rule when left out",
    "mode": "sea, air, road or rail",
    "reference": "our reference",
    "supplier_reference": "",
    "remark": "to the supplier",
    "answer_by": "a day like 2026-11-24",
    "order_discount": "in %, on the whole order",
    "surcharge": "in %, on the whole order",
    "tax": "purchase tax in %; the supplier's when left out",
    "order_to": "address; the supplier's when left out, as are the next three",
    "despatch_from": "address",
    "deliver_to": "address",
    "invoice_to": "address",
    "currency": "must be the supplier's; may be left out",
    "line": "number of the line that is to be changed",
    "item": "code or GTIN",
    "quantity": "in packs",
    "pack": "the item's unit when left out",
    "price": "per pack; the agreed one when left out",
    "discount": "in %; when left out: none on a new line, what it was on one that is there",
    "need_by": "a day like 2027-02-10",
}
NEEDED = ("supplier", "item", "quantity", "need_by")
PERCENTAGES = {"order_discount": "discount", "surcharge": "surcharge", "tax": "tax_rate"}
# What the rows of one order have in common.
HEAD = (
    "company",
    "supplier",
    "site",
    "incoterm",
    "incoterm_place",
    "ours_from",
    "mode",
    "reference",
    "supplier_reference",
    "remark",
    "answer_by",
    "order_discount",
    "surcharge",
    "tax",
    "order_to",
    "despatch_from",
    "deliver_to",
    "invoice_to",
)
ADDRESSES = ("order_to", "despatch_from", "deliver_to", "invoice_to")
LONGEST = {"remark": 500, "item": 40, "pack": 16, "currency": 3} | dict.fromkeys(ADDRESSES, 400)
USUAL = 60
Some = TypeVar("Some")
ZERO = Decimal(0)


@dataclass(frozen=True, slots=True)
class OrderRow:
    """A row as it was meant; `problems` is what could not be read."""

    head: dict[str, str]
    order: str
    currency: str
    line: int | None
    item: str
    quantity: Decimal
    pack: str
    price: Decimal | None
    discount: Decimal | None
    need_by: date
    answer_by: date | None
    # Percentages on the whole order, as fractions of 1, by the name of the order's field.
    percentages: dict[str, Decimal | None]
    problems: list[Problem] = field(default_factory=list)


def group_of(cells: Mapping[str, str]) -> str:
    """What is the same for the rows of one order."""
    return cells.get("order") or "|".join(cells.get(name, "").lower() for name in ("company", "supplier", "site"))


def columns_of(header: Sequence[str]) -> list[str]:
    """Our names of a header's columns; those we do not know come back empty. Raises Refused."""
    names = [name.strip().lower().replace(" ", "_") for name in header]
    known = [name if name in COLUMNS else "" for name in names]
    missing = [name for name in NEEDED if name not in known]
    if missing:
        words = f"The file lacks the columns {', '.join(missing)}."
        raise Refused(Problem(words, "file", "Name them in the first row, as the example does."))
    twice = {name for name in known if name and known.count(name) > 1}
    if twice:
        raise Refused(Problem(f"The column {', '.join(sorted(twice))} is there twice.", "file", "Keep one."))
    return known


def read_row(cells: Mapping[str, str]) -> OrderRow:
    """The values of a row's cells. All errors are listed, none is raised."""
    found = [Problem(f"{name}: is empty.", name) for name in NEEDED if not cells.get(name)]
    # Most cells of most rows are short texts: only what is too long is looked at one by one.
    for name, text in cells.items():
        if len(text) > LONGEST.get(name, USUAL):
            found.append(Problem(f"{name}: {text[:40]!r} is longer than {LONGEST.get(name, USUAL)} characters.", name))

    def read(name: str, how: Callable[[str], Some], absent: Some) -> Some:
        text = cells.get(name)
        if not text:
            return absent
        try:
            return how(text)
        except ValueError as error:
            found.append(Problem(f"{name}: {text[:40]!r} {error}.", name))
            return absent

    return OrderRow(
        head={name: cells.get(name, "") for name in HEAD},
        order=cells.get("order", ""),
        currency=cells.get("currency", "").upper(),
        line=read("line", _line, None),
        item=cells.get("item", ""),
        quantity=read("quantity", _number, ZERO),
        pack=cells.get("pack", ""),
        price=read("price", _number, None),
        discount=read("discount", _percent, None),
        need_by=read("need_by", _day, date.max),
        answer_by=read("answer_by", _day, None),
        percentages={field: read(column, _percent, None) for column, field in PERCENTAGES.items()},
        problems=found,
    )


def _number(text: str) -> Decimal:
    try:
        return read_exact(text.replace(" ", "").replace("\u00a0", ""))
    except ValueError:
        raise ValueError("is no number with a decimal point, such as 1200 or 18.40") from None


def _percent(text: str) -> Decimal:
    return _number(text.rstrip("% ")) / 100


def _line(text: str) -> int | None:
    if not (text.isascii() and text.isdigit() and len(text) < 6):
        raise ValueError("is no line number")
    return int(text)


def _day(text: str) -> date:
    try:
        day = date.fromisoformat(text)
    except ValueError:
        raise ValueError("is no day like 2027-02-10") from None
    if day_problems(day, ""):
        raise ValueError("is not a plausible day")
    return day
