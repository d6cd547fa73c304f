"""Despatch notices: what left a supplier, in which containers. As a table (CSV, XLSX) and as UBL 2.1 DespatchAdvice."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from pathlib import Path

from lxml import etree

from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.formats.named_rows import box_number, day, not_too_long, read_named, units
from northing.formats.ubl_parts import (
    INSTANCE,
    SPACES,
    UNITS,
    found,
    item_instance,
    named_item,
    number,
    part,
    party,
    quantity,
    read_xml,
    text,
)

ADVICE = "urn:oasis:names:specification:ubl:schema:xsd:DespatchAdvice-2"
MOST = 5_000
# Columns by name; those with a word behind them are explained on the page.
COLUMNS = {
    "order": "our order's number",
    "line": "its line; may be left out where the item stands on one line only",
    "item": "code, GTIN or the supplier's own code; may be left out where the line is given",
    "quantity": "in base units",
    "container": "its number; left out: loose packages",
    "type": "size-type, 45G1 when left out",
    "seal": "",
    "sscc": "of the pallet it stands on",
    "lot": "of the goods",
    "best_before": "a day like 2026-11-24",
    "notice": "number of the notice; once is enough, as for the next four",
    "document": "transport document",
    "imo": "of the vessel",
    "voyage": "",
    "despatched_on": "a day like 2026-11-24",
}
NEEDED = ("order", "quantity")
LONGEST = {"order": 24, "line": 12, "item": 40, "container": 15, "type": 4, "seal": 20, "sscc": 18, "lot": 40}
LONGEST |= {"notice": 40, "document": 40, "imo": 12, "voyage": 20}


@dataclass(frozen=True, slots=True)
class Line:
    """Units of an item of an order, in a container; texts as they came, empty where nothing is said."""

    number: int
    order: str
    line: str
    item: str
    quantity: Decimal
    container: str = ""
    size_type: str = ""
    seal: str = ""
    sscc: str = ""
    lot: str = ""
    best_before: date | None = None


@dataclass(frozen=True, slots=True)
class Notice:
    """A despatch notice as it came."""

    number: str
    lines: tuple[Line, ...]
    issued_on: date | None = None
    document: str = ""
    imo: str = ""
    voyage: str = ""


def read_notice(path: Path) -> Notice:
    """A notice from a file: XML is read as a UBL DespatchAdvice, anything else as a table. Raises Refused."""
    with path.open("rb") as file:
        head = file.read(200).lstrip(b"\xef\xbb\xbf \t\r\n")
    return read_advice(path.read_bytes()) if head.startswith(b"<") else read_table(path)


def read_table(path: Path) -> Notice:
    """A notice from a CSV table or an XLSX workbook. Raises Refused with all that is wrong, by row."""
    lines: list[Line] = []
    heads: list[Mapping[str, str]] = []
    problems: list[Problem] = []
    for place, said in read_named(path, COLUMNS, NEEDED, MOST, "notice"):
        try:
            lines.append(_line(place, said))
            heads.append(said)
        except Refused as refused:
            problems += refused.problems
    if problems:
        raise Refused(problems[:20])
    return _notice(lines, heads)


def _notice(lines: Sequence[Line], heads: Iterable[Mapping[str, str]]) -> Notice:
    if not lines:
        raise Refused(Problem("The notice has no row.", "file"))
    head: dict[str, str] = {}
    for said in heads:
        for name in ("notice", "document", "imo", "voyage", "despatched_on"):
            head[name] = head.get(name) or said.get(name, "").strip()
    issued = day(head["despatched_on"], "despatched_on") if head["despatched_on"] else None
    return Notice(head["notice"], tuple(lines), issued, head["document"], _digits(head["imo"]), head["voyage"])


def _digits(imo: str) -> str:
    return "".join(character for character in imo if character.isdigit())[:7]


def _line(place: int, said: Mapping[str, str]) -> Line:
    not_too_long(said, LONGEST, f"Row {place}")
    order = said.get("order", "").strip()
    if not order:
        raise Refused(Problem(f"Row {place}, order: is empty.", "file"))
    if not (said.get("line", "").strip() or said.get("item", "").strip()):
        raise Refused(Problem(f"Row {place}: neither line nor item says what it is.", "file"))
    kept = said.get("best_before", "").strip()
    return Line(
        place,
        order,
        said.get("line", "").strip(),
        said.get("item", "").strip(),
        units(said.get("quantity", ""), f"Row {place}, quantity"),
        box_number(said.get("container", "")),
        said.get("type", "").strip().upper(),
        said.get("seal", "").strip(),
        said.get("sscc", "").replace(" ", ""),
        said.get("lot", "").strip(),
        day(kept, f"Row {place}, best_before") if kept else None,
    )


def read_advice(content: bytes) -> Notice:
    """A UBL DespatchAdvice. Raises Refused, naming the line and what is wrong with it."""
    root = read_xml(content)
    if root.tag != f"{{{ADVICE}}}DespatchAdvice":
        raise Refused(Problem("The file is not a UBL DespatchAdvice.", "file", "Export one, or send CSV or XLSX."))
    whole = root.find("cac:Shipment", SPACES)
    order = found(root, "cac:OrderReference/cbc:ID")
    lines = [
        _advised(place, line, whole, order) for place, line in enumerate(root.iterfind("cac:DespatchLine", SPACES), 1)
    ]
    if len(lines) > MOST:
        raise Refused(Problem(f"The notice has more than {MOST:,} lines.", "file", "Split it."))
    stage = "cac:ShipmentStage/cac:TransportMeans/"
    head = {
        "notice": found(root, "cbc:ID")[:40],
        "document": _shipped(whole, "cac:Consignment/cbc:ID")[:40],
        "imo": _shipped(whole, f"{stage}cac:MaritimeTransport/cbc:VesselID"),
        "voyage": _shipped(whole, f"{stage}cbc:JourneyID")[:20],
        "despatched_on": found(root, "cbc:IssueDate"),
    }
    return _notice(lines, [head])


def _shipped(shipment: "etree._Element | None", path: str) -> str:
    return found(shipment, path) if shipment is not None else ""


def _advised(place: int, line: "etree._Element", whole: "etree._Element | None", order: str) -> Line:
    where = f"line {found(line, 'cbc:ID')[:20] or place}"
    delivered = number(line, "cbc:DeliveredQuantity", where)
    reference = "cac:OrderLineReference/"
    own = line.find("cac:Shipment", SPACES)
    unit = _first(own, whole, "cac:TransportHandlingUnit")
    box = unit.find("cac:TransportEquipment", SPACES) if unit is not None else None
    said = {
        "order": found(line, f"{reference}cac:OrderReference/cbc:ID") or order,
        "line": found(line, f"{reference}cbc:LineID"),
        "item": named_item(line),
        "quantity": plain(delivered) if delivered is not None else "",
        "container": found(box, "cbc:ID") if box is not None else "",
        "type": found(box, "cbc:TransportEquipmentTypeCode") if box is not None else "",
        "seal": found(box, "cac:TransportEquipmentSeal/cbc:ID") if box is not None else "",
        "sscc": _sscc(unit),
        "lot": found(line, f"{INSTANCE}cac:LotIdentification/cbc:LotNumberID"),
        "best_before": found(line, f"{INSTANCE}cbc:BestBeforeDate"),
    }
    return _line(place, said)


def _first(own: "etree._Element | None", whole: "etree._Element | None", path: str) -> "etree._Element | None":
    for node in (own, whole):
        inner = node.find(path, SPACES) if node is not None else None
        if inner is not None:
            return inner
    return None


def _sscc(unit: "etree._Element | None") -> str:
    said = found(unit, "cbc:ID") if unit is not None else ""
    return said if len(said) == 18 and said.isdigit() else ""


@dataclass(frozen=True)
class Packed:
    """Units of a line in a container, as a packing list says them; of what goes loose there is no container."""

    order: str
    line: int
    item: str
    description: str
    supplier_code: str
    unit: str
    quantity: Decimal
    container: str
    size_type: str
    seal: str
    sscc: str
    volume: Decimal
    weight: Decimal
    lot: str = ""
    best_before: date | None = None


@dataclass(frozen=True)
class Advice:
    """A despatch advice: from whom to whom, how it travels, what is in it."""

    number: str
    issued_on: date
    # Name, city, country; and the lines of the address, where it is another than the usual one.
    supplier: tuple[str, ...]
    customer: tuple[str, ...]
    document: str = ""
    vessel: str = ""
    imo: str = ""
    voyage: str = ""
    load_port: str = ""
    discharge_port: str = ""
    lines: Sequence[Packed] = field(default_factory=tuple)


def advice_xml(advice: Advice) -> bytes:
    """A UBL 2.1 DespatchAdvice; each line says its order, its container and its pallet."""
    root = etree.Element(f"{{{ADVICE}}}DespatchAdvice", nsmap={None: ADVICE, **SPACES})
    text(root, "UBLVersionID", "2.1")
    text(root, "ID", advice.number)
    text(root, "IssueDate", advice.issued_on.isoformat())
    text(root, "LineCountNumeric", str(len(advice.lines)))
    party(root, "DespatchSupplierParty", *advice.supplier)
    party(root, "DeliveryCustomerParty", *advice.customer)
    _shipment(root, advice)
    for place, line in enumerate(advice.lines, 1):
        _despatch_line(root, advice, place, line)
    return bytes(etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True))


def _shipment(root: "etree._Element", advice: Advice) -> None:
    made = part(root, "Shipment")
    text(made, "ID", advice.number)
    weight = sum((line.weight for line in advice.lines), Decimal(0))
    volume = sum((line.volume for line in advice.lines), Decimal(0))
    quantity(made, "GrossWeightMeasure", plain(round(weight, 3)), "KGM")
    quantity(made, "GrossVolumeMeasure", plain(round(volume, 4)), "MTQ")
    if advice.document:
        text(part(made, "Consignment"), "ID", advice.document)
    if advice.vessel:
        stage = part(made, "ShipmentStage")
        means = part(stage, "TransportMeans")
        text(means, "JourneyID", advice.voyage)
        vessel = part(means, "MaritimeTransport")
        text(vessel, "VesselID", advice.imo)
        text(vessel, "VesselName", advice.vessel)
        for name, port in (
            ("LoadingPortLocation", advice.load_port),
            ("UnloadingPortLocation", advice.discharge_port),
        ):
            if port:
                text(part(stage, name), "ID", port)


def _despatch_line(root: "etree._Element", advice: Advice, place: int, line: Packed) -> None:
    made = part(root, "DespatchLine")
    text(made, "ID", str(place))
    quantity(made, "DeliveredQuantity", plain(line.quantity), UNITS.get(line.unit, "ZZ"))
    reference = part(made, "OrderLineReference")
    text(reference, "LineID", str(line.line))
    text(part(reference, "OrderReference"), "ID", line.order)
    item = part(made, "Item")
    text(item, "Description", line.description)
    text(item, "Name", line.item)
    text(part(item, "BuyersItemIdentification"), "ID", line.item)
    if line.supplier_code:
        text(part(item, "SellersItemIdentification"), "ID", line.supplier_code)
    item_instance(item, lot=line.lot, best_before=line.best_before)
    if not line.container and not line.sscc:
        return
    shipment = part(made, "Shipment")
    text(shipment, "ID", advice.number)
    unit = part(shipment, "TransportHandlingUnit")
    if line.sscc:
        text(unit, "ID", line.sscc)
    box = part(unit, "TransportEquipment")
    text(box, "ID", line.container)
    text(box, "TransportEquipmentTypeCode", line.size_type)
    if line.seal:
        text(part(box, "TransportEquipmentSeal"), "ID", line.seal)
