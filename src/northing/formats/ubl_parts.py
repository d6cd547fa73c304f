"""The parts that UBL 2.1 documents are made of (ISO/IEC 19845), written and read.

Hostile XML is refused before it is read: no document types, no entities, a limit on size and depth.
"""

from datetime import date
from decimal import Decimal, InvalidOperation

from lxml import etree

from northing.core.money.exact import plain
from northing.core.money.money import rounded
from northing.core.problems import Problem, Refused
from northing.formats.markup import declares_type

CAC = "urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2"
CBC = "urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2"
SPACES: dict[str | None, str] = {"cac": CAC, "cbc": CBC}
# The lot, the serial number and the best-before day of a document line's goods.
INSTANCE = "cac:Item/cac:ItemInstance/"
LARGEST, DEEPEST = 20_000_000, 60
# UN/ECE Recommendation 20 codes of our units; another unit is sent as the mutually defined ZZ.
UNITS = {"pc": "H87", "kg": "KGM", "m": "MTR", "l": "LTR", "set": "SET", "box": "BX"}


def part(parent: "etree._Element", name: str) -> "etree._Element":
    """An aggregate of that name inside of another."""
    return etree.SubElement(parent, f"{{{CAC}}}{name}")


def text(parent: "etree._Element", name: str, words: str) -> "etree._Element":
    """A basic component with its text."""
    made = etree.SubElement(parent, f"{{{CBC}}}{name}")
    made.text = words
    return made


def amount(parent: "etree._Element", name: str, value: Decimal, currency: str) -> None:
    """An amount in whole minor units, with its currency."""
    text(parent, name, format(rounded(value, currency), "f")).set("currencyID", currency)


def quantity(parent: "etree._Element", name: str, value: str, unit: str) -> None:
    """A quantity with its unit code."""
    text(parent, name, plain(Decimal(value))).set("unitCode", unit)


def address_lines(address: "etree._Element", lines: str) -> None:
    """The lines of an address, as they are written."""
    for line in lines.splitlines():
        text(part(address, "AddressLine"), "Line", line)


def party(root: "etree._Element", role: str, name: str, city: str, country: str, lines: str = "") -> None:
    """A party in its role: name, city, country, and the lines of its address."""
    made = part(part(root, role), "Party")
    text(part(made, "PartyName"), "Name", name)
    address = part(made, "PostalAddress")
    if city:
        text(address, "CityName", city)
    address_lines(address, lines)
    text(part(address, "Country"), "IdentificationCode", country)


def read_xml(content: bytes) -> "etree._Element":
    """The root of a document that is small, flat, and declares nothing. Raises Refused."""
    if len(content) > LARGEST:
        raise Refused(Problem("The file is larger than 20 MB.", "file", "Split it."))
    if declares_type([content]):
        raise Refused(Problem("The file declares a document type; Northing reads none.", "file", "Send plain UBL."))
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False, recover=False)
    try:
        root = etree.fromstring(content, parser)
    except (etree.XMLSyntaxError, ValueError) as error:
        raise Refused(Problem(f"The file is not readable XML: {str(error)[:120]}.", "file")) from None
    if _depth(root) > DEEPEST:
        raise Refused(Problem("The file is nested deeper than any order.", "file"))
    return root


def _depth(root: "etree._Element") -> int:
    deepest, level = 0, 0
    for event, _ in etree.iterwalk(root, events=("start", "end")):
        level += 1 if event == "start" else -1
        deepest = max(deepest, level)
        if deepest > DEEPEST:
            break
    return deepest


def found(node: "etree._Element", path: str) -> str:
    """The trimmed text at a path; empty where there is none."""
    return (node.findtext(path, "", SPACES) or "").strip()


def number(node: "etree._Element", path: str, where: str) -> Decimal | None:
    """The number at a path; None where there is none. Raises Refused where it is no number anybody means."""
    text = found(node, path)
    if not text:
        return None
    try:
        number = Decimal(text)
    except InvalidOperation:
        raise Refused(Problem(f"{where}: {text[:20]!r} is not a number.", "file")) from None
    if not number.is_finite() or abs(number) >= Decimal(10) ** 12:
        raise Refused(Problem(f"{where}: {text[:20]!r} is not a number anybody means.", "file"))
    return number


def item_instance(item: "etree._Element", *, lot: str, best_before: date | None, serial: str = "") -> None:
    """What of an item these very units are; nothing where nothing of it is known."""
    if not (serial or lot or best_before):
        return
    instance = part(item, "ItemInstance")
    if best_before:
        text(instance, "BestBeforeDate", best_before.isoformat())
    if serial:
        text(instance, "SerialID", serial)
    if lot:
        text(part(instance, "LotIdentification"), "LotNumberID", lot)


def named_item(line: "etree._Element") -> str:
    """The item of a document line: our code, else its GTIN, else the supplier's own code."""
    kinds = ("BuyersItem", "StandardItem", "SellersItem")
    return next(filter(None, (found(line, f"cac:Item/cac:{kind}Identification/cbc:ID") for kind in kinds)), "")
