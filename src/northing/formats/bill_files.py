"""Suppliers' bills and credit notes from files: as a table (CSV, XLSX), and as UBL 2.1 (ISO/IEC 19845)."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from pathlib import Path

from lxml import etree

from northing.core.money.exact import read_exact
from northing.core.problems import Problem, Refused
from northing.formats.named_rows import day, not_too_long, read_named
from northing.formats.ubl_parts import SPACES, found, named_item, number, read_xml

INVOICE = "urn:oasis:names:specification:ubl:schema:xsd:Invoice-2"
CREDIT_NOTE = "urn:oasis:names:specification:ubl:schema:xsd:CreditNote-2"
# What the root of a document is, with what its lines and their quantities are called.
SHAPES = {
    f"{{{INVOICE}}}Invoice": ("InvoiceLine", "InvoicedQuantity"),
    f"{{{CREDIT_NOTE}}}CreditNote": ("CreditNoteLine", "CreditedQuantity"),
}
MOST = 500
COLUMNS = {
    "order": "our order's number",
    "line": "its line; may be left out where the item stands on one line only",
    "item": "code, GTIN or the supplier's own code; may be left out where the line is given",
    "quantity": "in base units",
    "price": "for a pack of the order line",
    "amount": "of the line; instead of a price, or for a charge",
    "kind": "freight, surcharge, discount, rounding, insurance, handling or other, for a line of no goods",
    "remark": "",
    "number": "of the bill; once is enough, as for the next five",
    "day": "a day like 2026-11-24",
    "due_on": "a day like 2026-12-24",
    "currency": "",
    "tax": "",
    "total": "as stated, with tax",
    "corrects": "the bill that it corrects: with that, it is a credit note",
}
HEAD = ("number", "day", "due_on", "currency", "tax", "total", "corrects")
NEEDED = ("order", "quantity")
LONGEST = {"order": 24, "line": 12, "item": 40, "kind": 12, "remark": 120, "number": 40, "currency": 3, "corrects": 40}
KINDS = ("", "freight", "surcharge", "discount", "rounding", "insurance", "handling", "other")


@dataclass(frozen=True, slots=True)
class BillFileLine:
    """A line as it came: goods of an order, or a charge of a kind; texts are empty and figures None where not said."""

    place: int
    order: str = ""
    line: str = ""
    item: str = ""
    quantity: Decimal | None = None
    price: Decimal | None = None
    amount: Decimal | None = None
    kind: str = ""
    remark: str = ""


@dataclass(frozen=True, slots=True)
class BillFile:
    """A bill as it came."""

    number: str
    day: date | None
    due_on: date | None
    currency: str
    tax: Decimal | None
    total: Decimal | None
    lines: tuple[BillFileLine, ...]
    # Of a credit note; and the number of the bill that it corrects, where it says one.
    credit: bool = False
    corrects: str = ""
    # What who sends it is called: names and identifiers.
    sellers: tuple[str, ...] = ()


def read_bill(path: Path) -> BillFile:
    """A bill from a file: XML is read as a UBL Invoice or CreditNote, anything else as a table. Raises Refused."""
    with path.open("rb") as file:
        head = file.read(200).lstrip(b"\xef\xbb\xbf \t\r\n")
    return read_invoice(path.read_bytes()) if head.startswith(b"<") else read_table(path)


def read_table(path: Path) -> BillFile:
    """A bill from a CSV table or an XLSX workbook. Raises Refused with all that is wrong, by row."""
    return _bill(read_named(path, COLUMNS, NEEDED, MOST, "file"))


def _bill(rows: Iterable[tuple[int, Mapping[str, str]]]) -> BillFile:
    lines: list[BillFileLine] = []
    head: dict[str, str] = dict.fromkeys(HEAD, "")
    problems: list[Problem] = []
    for place, said in rows:
        try:
            lines.append(_line(place, said))
        except Refused as refused:
            problems += refused.problems
        for name in HEAD:
            head[name] = head[name] or said.get(name, "").strip()
    if problems:
        raise Refused(problems[:20])
    if not lines:
        raise Refused(Problem("The file has no row.", "file"))
    issued, due = (day(head[name], name) if head[name] else None for name in ("day", "due_on"))
    tax, total = (_figure(head[name], name) for name in ("tax", "total"))
    currency, corrects = head["currency"].upper(), head["corrects"]
    return BillFile(head["number"], issued, due, currency, tax, total, tuple(lines), bool(corrects), corrects)


def _line(place: int, said: Mapping[str, str]) -> BillFileLine:
    where = f"Row {place}"
    not_too_long(said, LONGEST, where)
    cell = {name: said.get(name, "").strip() for name in COLUMNS}
    if cell["kind"].lower() not in KINDS:
        raise Refused(Problem(f"{where}, kind: {cell['kind']!r} is none of {', '.join(KINDS[1:])}.", "file"))
    figures = {name: _figure(cell[name], f"{where}, {name}") for name in ("quantity", "price", "amount")}
    return BillFileLine(
        place,
        cell["order"],
        cell["line"],
        cell["item"],
        kind=cell["kind"].lower(),
        remark=cell["remark"],
        **figures,
    )


def _figure(said: str, where: str) -> Decimal | None:
    """A figure; None where nothing is said. Raises Refused."""
    text = said.strip().replace(" ", "")
    if not text:
        return None
    try:
        value = read_exact(text)
    except ValueError:
        raise Refused(Problem(f"{where}: {said[:20]!r} is not a number with a decimal point.", "file")) from None
    if abs(value) >= Decimal(10) ** 12:
        raise Refused(Problem(f"{where}: {said[:20]!r} is larger than anything that is billed.", "file"))
    return value


def read_invoice(content: bytes) -> BillFile:
    """A bill from a UBL Invoice, or a credit note from a CreditNote. Raises Refused."""
    root = read_xml(content)
    if root.tag not in SHAPES:
        mend = "Send an Invoice or a CreditNote of UBL 2.1, or a table."
        raise Refused(Problem("The file is no UBL Invoice or CreditNote.", "file", mend))
    name, units = SHAPES[root.tag]
    order = found(root, "cac:OrderReference/cbc:ID")
    rows = root.findall(f"cac:{name}", SPACES)
    if len(rows) > MOST:
        raise Refused(Problem(f"The bill has more than {MOST:,} lines.", "file", "Split it."))
    lines = [_invoice_line(place, row, order, units) for place, row in enumerate(rows, 1)]
    lines += [_allowance(place, row) for place, row in enumerate(root.findall("cac:AllowanceCharge", SPACES), 1)]
    if not lines:
        raise Refused(Problem("The bill has no line.", "file"))
    issued, due = (_day(root, path) for path in ("cbc:IssueDate", "cbc:DueDate"))
    bill_number = found(root, "cbc:ID")
    if len(bill_number) > LONGEST["number"]:
        raise Refused(Problem(f"The bill's number is longer than {LONGEST['number']} signs.", "file"))
    tax = number(root, "cac:TaxTotal/cbc:TaxAmount", "TaxTotal")
    total = number(root, "cac:LegalMonetaryTotal/cbc:PayableAmount", "PayableAmount")
    currency = found(root, "cbc:DocumentCurrencyCode")[:3].upper()
    credit = root.tag.endswith("}CreditNote")
    corrects = found(root, "cac:BillingReference/cac:InvoiceDocumentReference/cbc:ID")[:40] if credit else ""
    sellers = _sellers(root)
    return BillFile(bill_number, issued, due, currency, tax, total, tuple(lines), credit, corrects, sellers)


def _sellers(root: "etree._Element") -> tuple[str, ...]:
    """The seller's names and identifiers."""
    paths = ("PartyIdentification/cbc:ID", "PartyName/cbc:Name", "PartyLegalEntity/cbc:RegistrationName")
    found_ones = (found(root, f"cac:AccountingSupplierParty/cac:Party/cac:{path}") for path in paths)
    return tuple(one[:120] for one in found_ones if one)


def _day(root: "etree._Element", path: str) -> date | None:
    said = found(root, path)
    return day(said, path.partition(":")[2]) if said else None


def _invoice_line(place: int, row: "etree._Element", order: str, units: str) -> BillFileLine:
    where = f"Line {place}"
    said = {
        "order": found(row, "cac:OrderLineReference/cac:OrderReference/cbc:ID") or order,
        "line": found(row, "cac:OrderLineReference/cbc:LineID"),
        "item": named_item(row),
    }
    not_too_long(said, LONGEST, where)
    price = number(row, "cac:Price/cbc:PriceAmount", f"{where}, PriceAmount")
    per = number(row, "cac:Price/cbc:BaseQuantity", f"{where}, BaseQuantity")
    return BillFileLine(
        place,
        **said,
        quantity=number(row, f"cbc:{units}", f"{where}, {units}"),
        price=price / per if price is not None and per else price,
        amount=number(row, "cbc:LineExtensionAmount", f"{where}, LineExtensionAmount"),
        remark=(found(row, "cac:Item/cbc:Name") or found(row, "cbc:Note"))[:120],
    )


def _allowance(place: int, row: "etree._Element") -> BillFileLine:
    """A charge or an allowance on the whole bill."""
    where = f"AllowanceCharge {place}"
    amount = number(row, "cbc:Amount", f"{where}, Amount") or Decimal(0)
    charged = found(row, "cbc:ChargeIndicator").lower() == "true"
    reason = found(row, "cbc:AllowanceChargeReason")[:120]
    kind = ("freight" if "freight" in reason.lower() else "surcharge") if charged else "discount"
    return BillFileLine(place, amount=amount if charged else -amount, kind=kind, remark=reason)
