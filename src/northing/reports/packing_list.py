"""The packing list of a shipment, as a paper, a table, a sheet and a UBL DespatchAdvice."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from itertools import groupby
from pathlib import Path

from northing.core.planning.loading import chargeable_weight
from northing.formats.despatch import Advice, Packed, advice_xml
from northing.formats.sheets import write_sheet
from northing.formats.tables import csv_line
from northing.masterdata.models import Company, Party
from northing.masterdata.queries import supplier_codes
from northing.messaging.print_pdf import to_pdf
from northing.orders.models import PurchaseOrder
from northing.shipping.models import HandlingContent, Shipment, ShipmentLine

ZERO = Decimal(0)
HEADER = (
    "container", "type", "seal", "sscc", "lot", "best_before", "order", "line", "item", "your_item", "description",
    "quantity", "unit", "volume_m3", "weight_kg",
)  # fmt: skip
WIDTHS = (14, 8, 12, 20, 14, 12, 12, 6, 14, 14, 34, 12, 6, 12, 12)


def packed_rows(shipment: Shipment, companies: set[int]) -> list[Packed]:
    """What is in the containers of the goods of these companies, pallet by pallet where they are known; by container,
    order and line."""
    shipment_lines = (
        ShipmentLine.objects.filter(container__shipment=shipment, instalment__line__order__company__in=companies)
        .select_related("container", "instalment__line__item", "instalment__line__order")
        .order_by("container__number", "instalment__line__order__number", "instalment__line__number", "pk")
    )
    rows = list(shipment_lines)
    pallets: dict[int, list[HandlingContent]] = {}
    stands = HandlingContent.objects.filter(shipment_line__in=rows).select_related("unit")
    for content in stands.order_by("unit__sscc", "lot", "best_before", "pk"):
        pallets.setdefault(content.shipment_line_id, []).append(content)
    codes = supplier_codes({(part.instalment.line.order.supplier_id, part.instalment.line.item_id) for part in rows})
    found = []
    for part in rows:
        on_pallets = pallets.get(part.pk, [])
        found += [_packed(part, one.unit.sscc, one.quantity, codes, one.lot, one.best_before) for one in on_pallets]
        rest = part.quantity - sum((one.quantity for one in on_pallets), ZERO)
        found += [_packed(part, "", rest, codes)] if rest else []
    return found


def _packed(
    part: ShipmentLine,
    sscc: str,
    quantity: Decimal,
    codes: dict[tuple[int, int], str],
    lot: str = "",
    best_before: date | None = None,
) -> Packed:
    line, box = part.instalment.line, part.container
    item = line.item
    return Packed(
        order=line.order.number,
        line=line.number,
        item=item.code,
        description=item.description,
        supplier_code=codes.get((line.order.supplier_id, item.pk), ""),
        unit=item.unit,
        quantity=quantity,
        container=box.number,
        size_type=box.size_type,
        seal=box.seal,
        sscc=sscc,
        volume=quantity * item.volume_m3,
        weight=quantity * item.weight_kg,
        lot=lot,
        best_before=best_before,
    )


@dataclass(frozen=True)
class BoxList:
    """The rows of one container, with what they come to."""

    number: str
    size_type: str
    seal: str
    rows: Sequence[Packed]

    @property
    def volume(self) -> Decimal:
        return sum((row.volume for row in self.rows), ZERO)

    @property
    def weight(self) -> Decimal:
        return sum((row.weight for row in self.rows), ZERO)


def by_box(rows: Iterable[Packed]) -> list[BoxList]:
    """The rows, container by container."""
    grouped = groupby(rows, key=lambda row: (row.container, row.size_type, row.seal))
    return [BoxList(*key, tuple(some)) for key, some in grouped]


def packing_csv(rows: Iterable[Packed]) -> Iterator[str]:
    """The list as lines of CSV."""
    yield csv_line(HEADER)
    for row in rows:
        yield csv_line(_cells(row))


def packing_sheet(rows: Iterable[Packed], path: Path) -> None:
    """The list as an XLSX workbook."""
    write_sheet(path, HEADER, (_cells(row) for row in rows), WIDTHS)


def _cells(row: Packed) -> tuple:
    volume, weight = round(row.volume, 4).normalize(), round(row.weight, 3).normalize()
    return (
        row.container, row.size_type, row.seal, row.sscc, row.lot, row.best_before or "", row.order, row.line,
        row.item, row.supplier_code, row.description, row.quantity.normalize(), row.unit, volume, weight,
    )  # fmt: skip


def packing_pdf(shipment: Shipment, rows: Sequence[Packed]) -> bytes:
    """The list as a paper."""
    boxes = by_box(rows)
    volume, weight = sum((box.volume for box in boxes), ZERO), sum((box.weight for box in boxes), ZERO)
    context = {"shipment": shipment, "boxes": boxes, "volume": volume, "weight": weight}
    if shipment.mode == Shipment.Mode.AIR:
        context["chargeable"] = chargeable_weight(volume, weight)
    return to_pdf("shipping/packing_list.html", context)


def senders(shipment: Shipment, companies: set[int]) -> list[tuple[Party, Company]]:
    """From whom to whom goods are aboard: each pair has a despatch advice of its own."""
    aboard = PurchaseOrder.objects.filter(lines__instalments__shipment_lines__container__shipment=shipment)
    orders = (
        aboard.filter(company__in=companies).select_related("supplier", "company").order_by("supplier_id", "company_id")
    )
    pairs = [(order.supplier, order.company) for order in orders.distinct("supplier_id", "company_id")]
    return sorted(pairs, key=lambda pair: (pair[0].name, pair[1].code))


def despatch_advice(shipment: Shipment, supplier: Party, company: Company) -> bytes:
    """The UBL DespatchAdvice of what one supplier sends one company in the shipment."""
    orders = set(supplier.orders.filter(company=company).values_list("number", flat=True))
    rows = [row for row in packed_rows(shipment, {company.pk}) if row.order in orders]
    voyage = shipment.voyage
    main = shipment.legs.filter(main=True).select_related("load_call", "discharge_call").first()
    advice = Advice(
        number=f"{shipment.reference}-{supplier.code}-{company.code}",
        issued_on=shipment.departed_on or shipment.created_at.date(),
        supplier=(supplier.name, supplier.city, supplier.country),
        customer=(company.name, "", company.country),
        document=shipment.document,
        vessel=voyage.vessel if voyage else "",
        imo=voyage.imo if voyage else "",
        voyage=voyage.number if voyage else "",
        load_port=main.load_call.port_id if main and main.load_call else "",
        discharge_port=shipment.discharge_port_id or "",
        lines=rows,
    )
    return advice_xml(advice)
