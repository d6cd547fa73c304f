"""Receipts as a warehouse that is not ours tells them: as a table (CSV, XLSX) and as UBL 2.1 ReceiptAdvice."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from pathlib import Path

from lxml import etree

from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.core.receiving.serials import numbers_of
from northing.formats.named_rows import box_number, day, not_too_long, read_named, units
from northing.formats.receipt_advice import ADVICE
from northing.formats.ubl_parts import SPACES, found, named_item, number, read_xml

MOST = 500
# Columns by name; those with a word behind them are explained on the page.
COLUMNS = {
    "order": "our order's number; left out: goods without an order",
    "line": "its line; may be left out where the item stands on one line only",
    "item": "code, GTIN or the supplier's own code; may be left out where the line is given",
    "quantity": "in base units; 0: nothing came of it",
    "rest": "of what did not come: coming, no more, or dispute",
    "container": "its number; left out: goods that came unpacked",
    "lot": "",
    "best_before": "a day like 2026-11-24",
    "serials": "one after the other, or a range such as KT-098..KT-101",
    "sscc": "of the pallet it stands on",
    "bin": "where it lies",
    "condition": "damaged, or inspect",
    "supplier": "code of who sent goods without an order",
    "note": "delivery note",
    "advice": "the warehouse's own number; once is enough, as for the next two",
    "received_on": "a day like 2026-11-24",
    "remark": "",
}
NEEDED = ("quantity",)
LONGEST = {"order": 24, "line": 12, "item": 40, "container": 15, "lot": 40, "sscc": 18, "bin": 40, "supplier": 40}
LONGEST |= {"note": 40, "advice": 40, "remark": 200}
RESTS, CONDITIONS = ("", "coming", "no more", "dispute"), ("", "damaged", "inspect")


@dataclass(frozen=True, slots=True)
class ToldLine:
    """Units of an item that a warehouse took in; texts as they came, empty where nothing is said."""

    number: int
    order: str
    line: str
    item: str
    quantity: Decimal
    rest: str = ""
    container: str = ""
    lot: str = ""
    best_before: date | None = None
    serials: tuple[str, ...] = ()
    sscc: str = ""
    bin: str = ""
    condition: str = ""
    supplier: str = ""
    note: str = ""


@dataclass(frozen=True, slots=True)
class Told:
    """A warehouse's receipt as it came: its own number, the day, what else it says, and its lines."""

    number: str
    received_on: date | None
    remark: str
    lines: tuple[ToldLine, ...]


def read_told(path: Path) -> Told:
    """A receipt from a file: XML is read as a UBL ReceiptAdvice, anything else as a table. Raises Refused."""
    with path.open("rb") as file:
        head = file.read(200).lstrip(b"\xef\xbb\xbf \t\r\n")
    return read_advice(path.read_bytes()) if head.startswith(b"<") else read_table(path)


def read_table(path: Path) -> Told:
    """A receipt from a CSV table or an XLSX workbook. Raises Refused with all that is wrong, by row."""
    return _told(read_named(path, COLUMNS, NEEDED, MOST, "file"), "Row")


def _told(rows: Iterable[tuple[int, Mapping[str, str]]], word: str) -> Told:
    lines: list[ToldLine] = []
    head: dict[str, str] = {}
    problems: list[Problem] = []
    for place, said in rows:
        try:
            lines.append(_line(place, said, f"{word} {place}"))
        except Refused as refused:
            problems += refused.problems
        for name in ("advice", "received_on", "remark"):
            head[name] = head.get(name) or said.get(name, "").strip()
    if problems:
        raise Refused(problems[:20])
    if not lines:
        raise Refused(Problem("The file has no row.", "file"))
    received = day(head["received_on"], "received_on") if head["received_on"] else None
    return Told(head["advice"], received, head["remark"], tuple(lines))


def _line(place: int, said: Mapping[str, str], where: str) -> ToldLine:
    not_too_long(said, LONGEST, where)
    cell = {name: said.get(name, "").strip() for name in COLUMNS}
    if not (cell["item"] or (cell["order"] and cell["line"])):
        raise Refused(Problem(f"{where}: neither an item nor a line of an order says what it is.", "file"))
    for name, words in (("rest", RESTS), ("condition", CONDITIONS)):
        if cell[name].lower() not in words:
            raise Refused(Problem(f"{where}, {name}: {cell[name][:20]!r} is none of {', '.join(words[1:])}.", "file"))
    return ToldLine(
        place,
        cell["order"],
        cell["line"],
        cell["item"],
        units(cell["quantity"], f"{where}, quantity", least=Decimal(0)),
        cell["rest"].lower(),
        box_number(cell["container"]),
        cell["lot"],
        day(cell["best_before"], f"{where}, best_before") if cell["best_before"] else None,
        _serials(cell["serials"], where),
        cell["sscc"].replace(" ", ""),
        cell["bin"],
        cell["condition"].lower(),
        cell["supplier"],
        cell["note"],
    )


def _serials(said: str, where: str) -> tuple[str, ...]:
    try:
        return numbers_of(said.replace(",", " ").split(), "file")
    except Refused as refused:
        raise Refused(Problem(f"{where}, serials: {one.what}", "file") for one in refused.problems) from None


def read_advice(content: bytes) -> Told:
    """A UBL ReceiptAdvice. Raises Refused, naming the line and what is wrong with it.

    A line's rejected units are among those received, and damaged. Serial numbers stand for a unit each, by their lots.
    """
    root = read_xml(content)
    if root.tag != f"{{{ADVICE}}}ReceiptAdvice":
        raise Refused(Problem("The file is not a UBL ReceiptAdvice.", "file", "Export one, or send CSV or XLSX."))
    lines = root.findall("cac:ReceiptLine", SPACES)
    if len(lines) > MOST:
        raise Refused(Problem(f"The file has more than {MOST:,} lines.", "file", "Split it."))
    # A line that names no order is of the document's one; of several, it is of none.
    orders = {found(one, "cbc:ID") for one in root.iterfind("cac:OrderReference", SPACES)}
    whole = {
        "order": orders.pop() if len(orders) == 1 else "",
        "note": found(root, "cac:DespatchDocumentReference/cbc:ID"),
        "supplier": found(root, "cac:DespatchSupplierParty/cbc:CustomerAssignedAccountID"),
        "advice": found(root, "cbc:ID")[:40],
        "received_on": found(root, "cbc:IssueDate"),
        "remark": found(root, "cbc:Note")[:200],
        "container": _box(root),
    }
    return _told(((place, row) for place, line in enumerate(lines, 1) for row in _advised(place, line, whole)), "Line")


def _box(node: "etree._Element") -> str:
    return found(node, "cac:Shipment/cac:TransportHandlingUnit/cac:TransportEquipment/cbc:ID")


def _advised(place: int, line: "etree._Element", whole: Mapping[str, str]) -> Iterator[dict[str, str]]:
    """The rows of a line: a row for each lot, and one for what is damaged."""
    where = f"line {found(line, 'cbc:ID')[:20] or place}"
    received = number(line, "cbc:ReceivedQuantity", where) or Decimal(0)
    rejected = number(line, "cbc:RejectedQuantity", where) or Decimal(0)
    if not 0 <= rejected <= received:
        raise Refused(Problem(f"{where}: {plain(rejected)} of {plain(received)} are rejected.", "file"))
    pallet = found(line, "cac:Shipment/cac:TransportHandlingUnit/cbc:ID")
    said = {
        **whole,
        "order": found(line, "cac:OrderLineReference/cac:OrderReference/cbc:ID") or whole["order"],
        "line": found(line, "cac:OrderLineReference/cbc:LineID"),
        "item": named_item(line),
        "container": _box(line) or whole["container"],
        "sscc": pallet if len(pallet) == 18 and pallet.isdigit() else "",
    }
    rows = _by_lot(line, received, where)
    if not rejected:
        yield from (said | row for row in rows)
        return
    parts = [one for one in ((received - rejected, ""), (rejected, "damaged")) if one[0]]
    if len(rows) > 1 or (len(parts) > 1 and rows[0]["serials"]):
        what = f"{where} does not say which of its units are rejected."
        raise Refused(Problem(what, "file", "Send a line for each lot, and one for the rejected units."))
    yield from (said | rows[0] | {"quantity": plain(part), "condition": condition} for part, condition in parts)


def _by_lot(line: "etree._Element", received: Decimal, where: str) -> Sequence[dict[str, str]]:
    """The units of a line by lot and best-before day, as its item's instances say them."""
    groups: dict[tuple[str, str], list[str]] = {}
    for one in line.iterfind("cac:Item/cac:ItemInstance", SPACES):
        key = (found(one, "cac:LotIdentification/cbc:LotNumberID"), found(one, "cbc:BestBeforeDate"))
        groups.setdefault(key, []).append(found(one, "cbc:SerialID"))
    groups = groups or {("", ""): [""]}
    if len(groups) > 1 and sum(len(some) for some in groups.values()) != received:
        what = f"{where} names {len(groups)} lots, and not how many of each came."
        raise Refused(Problem(what, "file", "Send a line for each lot."))
    return [
        {
            "lot": lot,
            "best_before": best_before,
            "serials": " ".join(filter(None, serials)),
            "quantity": plain(received if len(groups) == 1 else Decimal(len(serials))),
        }
        for (lot, best_before), serials in groups.items()
    ]
