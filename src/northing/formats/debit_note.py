"""What we claim of a party, as a UBL 2.1 DebitNote (ISO/IEC 19845)."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from lxml import etree

from northing.formats.ubl_parts import SPACES, UNITS, amount, item_instance, part, party, quantity, text

DEBIT_NOTE = "urn:oasis:names:specification:ubl:schema:xsd:DebitNote-2"


@dataclass(frozen=True, slots=True)
class DebitLine:
    """Units of an item that are claimed, in the item's base unit; none where only money is. `why` is in words."""

    order: str
    line: int
    item: str
    description: str
    quantity: Decimal
    unit: str
    amount: Decimal
    why: str
    lot: str = ""
    # The bill that it is taken off, where there is one.
    bill: str = ""


@dataclass(frozen=True, slots=True)
class DebitNote:
    """What one party owes us; names with city, country and the lines of an address."""

    number: str
    issued_on: date
    currency: str
    ours: tuple[str, str, str]
    theirs: tuple[str, str, str]
    reference: str = ""
    lines: Sequence[DebitLine] = field(default_factory=tuple)

    @property
    def total(self) -> Decimal:
        """What is claimed in all."""
        return sum((line.amount for line in self.lines), Decimal(0))


def debit_note_xml(note: DebitNote) -> bytes:
    """The note as UBL; quantities in base units, amounts in whole minor units."""
    root = etree.Element(f"{{{DEBIT_NOTE}}}DebitNote", nsmap={None: DEBIT_NOTE, **SPACES})
    text(root, "UBLVersionID", "2.1")
    text(root, "ID", note.number)
    text(root, "IssueDate", note.issued_on.isoformat())
    text(root, "DocumentCurrencyCode", note.currency)
    text(root, "LineCountNumeric", str(len(note.lines)))
    if note.reference:
        made = part(root, "DiscrepancyResponse")
        text(made, "ReferenceID", note.reference)
    for bill in dict.fromkeys(line.bill for line in note.lines if line.bill):
        text(part(part(root, "BillingReference"), "InvoiceDocumentReference"), "ID", bill)
    party(root, "AccountingSupplierParty", *note.ours)
    party(root, "AccountingCustomerParty", *note.theirs)
    amount(part(root, "RequestedMonetaryTotal"), "PayableAmount", note.total, note.currency)
    for place, line in enumerate(note.lines, 1):
        _line(root, place, line, note.currency)
    return bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True))


def _line(root: "etree._Element", place: int, line: DebitLine, currency: str) -> None:
    made = part(root, "DebitNoteLine")
    text(made, "ID", str(place))
    text(made, "Note", f"Order {line.order} line {line.line}: {line.why}")
    if line.quantity:
        quantity(made, "DebitedQuantity", str(line.quantity), UNITS.get(line.unit, "ZZ"))
    amount(made, "LineExtensionAmount", line.amount, currency)
    item = part(made, "Item")
    text(item, "Description", line.description)
    text(item, "Name", line.item)
    text(part(item, "BuyersItemIdentification"), "ID", line.item)
    item_instance(item, lot=line.lot, best_before=None)
