"""UBL 2.1 (ISO/IEC 19845) ReceiptAdvice: what a dock took in, told to whoever sent it."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from lxml import etree

from northing.core.money.exact import plain
from northing.formats.ubl_parts import SPACES, UNITS, item_instance, part, party, quantity, text

ADVICE = "urn:oasis:names:specification:ubl:schema:xsd:ReceiptAdvice-2"


@dataclass(frozen=True)
class AdviceParty:
    """A party by name, city and country."""

    name: str
    city: str
    country: str


@dataclass(frozen=True)
class AdviceLine:
    """Units received of an item, those that are short, and those of them that are held apart; in its base unit.

    `order` and `line` are those it is received against; of goods without an order both are empty.
    """

    item: str
    description: str
    unit: str
    received: Decimal
    short: Decimal = Decimal(0)
    over: Decimal = Decimal(0)
    order: str = ""
    line: str = ""
    supplier_code: str = ""
    gtin: str = ""
    lot: str = ""
    best_before: date | None = None
    serials: tuple[str, ...] = ()
    note: str = ""


@dataclass(frozen=True)
class Advice:
    """A receipt: our number, the day, the delivery note, both parties, and its lines."""

    number: str
    received_on: date
    delivery_note: str
    receiver: AdviceParty
    sender: AdviceParty
    lines: tuple[AdviceLine, ...]
    remark: str = ""


def advice_xml(advice: Advice) -> bytes:
    """The receipt as a UBL ReceiptAdvice; quantities in base units."""
    root = etree.Element(f"{{{ADVICE}}}ReceiptAdvice", nsmap={None: ADVICE, **SPACES})
    text(root, "UBLVersionID", "2.1")
    text(root, "ID", advice.number)
    text(root, "IssueDate", advice.received_on.isoformat())
    if advice.remark:
        text(root, "Note", advice.remark)
    text(root, "LineCountNumeric", str(len(advice.lines)))
    for order in dict.fromkeys(line.order for line in advice.lines if line.order):
        text(part(root, "OrderReference"), "ID", order)
    text(part(root, "DespatchDocumentReference"), "ID", advice.delivery_note)
    for role, one in (("DeliveryCustomerParty", advice.receiver), ("DespatchSupplierParty", advice.sender)):
        party(root, role, one.name, one.city, one.country)
    for number, line in enumerate(advice.lines, 1):
        _line(root, number, line, advice.received_on)
    return bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True))


def _line(root: "etree._Element", number: int, line: AdviceLine, day: date) -> None:
    made, unit = part(root, "ReceiptLine"), UNITS.get(line.unit, "ZZ")
    text(made, "ID", str(number))
    if line.note:
        text(made, "Note", line.note)
    for name, value in (("ReceivedQuantity", line.received), ("ShortQuantity", line.short)):
        if value or name == "ReceivedQuantity":
            quantity(made, name, plain(value), unit)
    if line.over:
        quantity(made, "OversupplyQuantity", plain(line.over), unit)
    text(made, "ReceivedDate", day.isoformat())
    if line.order:
        reference = part(made, "OrderLineReference")
        text(reference, "LineID", line.line)
        text(part(reference, "OrderReference"), "ID", line.order)
    _item(made, line)


def _item(parent: "etree._Element", line: AdviceLine) -> None:
    item = part(parent, "Item")
    text(item, "Name", line.description)
    text(part(item, "BuyersItemIdentification"), "ID", line.item)
    if line.supplier_code:
        text(part(item, "SellersItemIdentification"), "ID", line.supplier_code)
    if line.gtin:
        text(part(item, "StandardItemIdentification"), "ID", line.gtin).set("schemeID", "0160")
    for serial in line.serials or ("",):
        item_instance(item, lot=line.lot, best_before=line.best_before, serial=serial)
