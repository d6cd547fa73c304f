"""Goods that wait to be loaded, and the surface on which they are put into containers."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from django.db.models import Count, F, Min, Q, QuerySet, Sum
from django.db.models.functions import Coalesce, TruncWeek

from northing.access.models import Person
from northing.access.permissions import companies_of
from northing.actions.shipping.load import limits_of
from northing.core.planning.loading import DRY, LOOSE, TYPES, Part
from northing.orders.models import Instalment
from northing.shipping.models import Container, Shipment, ShipmentLine

ZERO = Decimal(0)
# A surface with more lines than this is no surface any more; the rest is loaded afterwards.
MOST = 400
GROUPS = {
    "port": ("by port", "line__order__supplier__port__name"),
    "supplier": ("by supplier", "line__order__supplier__name"),
    "site": ("by site", "line__order__site__name"),
    "order": ("by order", "line__order__number"),
    "week": ("by ready week", "week"),
}
FILTERS = ("q", "port", "supplier", "site", "by", "agreed", "group")


@dataclass(frozen=True)
class Asked:
    """A filter of the loading list: fragments and codes, empty where nothing is asked."""

    q: str = ""
    port: str = ""
    supplier: str = ""
    site: str = ""
    by: date | None = None
    agreed: bool = False
    group: str = ""

    @classmethod
    def of(cls, query: Mapping[str, str]) -> "Asked":
        """The filter that a query string asks for; a value that makes no sense is left out."""
        said = {name: query.get(name, "").replace("\x00", "")[:60] for name in FILTERS}
        try:
            by = date.fromisoformat(said["by"]) if said["by"] else None
        except ValueError:
            by = None
        group = said["group"] if said["group"] in GROUPS else ""
        return cls(said["q"], said["port"], said["supplier"], said["site"], by, bool(said["agreed"]), group)


def waiting(person: Person, asked: Asked) -> QuerySet[Instalment]:
    """Instalments with units at their supplier, the first to be ready first; with volume and weight of the rest."""
    there = F("position__with_supplier")
    parts = Instalment.objects.filter(
        line__order__company__in=companies_of(person),
        line__order__sent_at__isnull=False,
        position__with_supplier__gt=0,
    ).annotate(
        ready=Coalesce("promise", "asked_on"),
        volume=there * F("line__item__volume_m3"),
        weight=there * F("line__item__weight_kg"),
    )
    order = "line__order"
    if asked.q:
        fits = Q(**{f"{order}__number__icontains": asked.q}) | Q(line__item__code__icontains=asked.q)
        fits |= Q(line__item__description__icontains=asked.q) | Q(**{f"{order}__supplier__name__icontains": asked.q})
        parts = parts.filter(fits)
    codes = {"supplier__port": asked.port, "supplier__code": asked.supplier, "site__code": asked.site}
    parts = parts.filter(**{f"{order}__{path}": code for path, code in codes.items() if code})
    if asked.by:
        parts = parts.filter(ready__lte=asked.by)
    if asked.agreed:
        parts = parts.filter(agreed_quantity__gte=F("quantity"))
    return parts.order_by("ready", "pk")


def with_records(parts: QuerySet[Instalment]) -> QuerySet[Instalment]:
    """Instalments with everything that a row of them shows."""
    return parts.select_related(
        "position", "line__item", "line__order__supplier__port", "line__order__company", "line__order__site"
    )


def groups(parts: QuerySet[Instalment], asked: Asked) -> list[dict]:
    """The groups of the list with their totals: lines, volume, weight, first ready day."""
    if not asked.group:
        return []
    if asked.group == "week":
        parts = parts.annotate(week=TruncWeek("ready"))
    path = GROUPS[asked.group][1]
    rows = (
        parts.order_by()
        .values(name=F(path))
        .annotate(lines=Count("pk"), cubic=Sum("volume"), heavy=Sum("weight"), first=Min("ready"))
    )
    return sorted(rows, key=lambda row: (row["first"], str(row["name"])))


def totals(parts: QuerySet[Instalment]) -> dict:
    """All that matches: lines, volume, weight."""
    return parts.order_by().aggregate(lines=Count("pk"), cubic=Sum("volume"), heavy=Sum("weight"))


def choices(person: Person) -> dict[str, list[tuple[str, str]]]:
    """The choices of the filter: ports, suppliers and sites that something waits at or for."""
    parts = waiting(person, Asked()).order_by()
    order = "line__order"
    return {
        name: [(code, words) for code, words in parts.values_list(*paths).distinct().order_by(paths[1]) if code]
        for name, paths in {
            "ports": (f"{order}__supplier__port", f"{order}__supplier__port__name"),
            "suppliers": (f"{order}__supplier__code", f"{order}__supplier__name"),
            "sites": (f"{order}__site__code", f"{order}__site__name"),
        }.items()
    }


@dataclass
class Column:
    """A container on the surface, and what of it is not shown: the goods of other companies, or of other lines."""

    container: int | None
    number: str
    size_type: str
    seal: str
    volume: Decimal | None
    payload: Decimal | None
    unseen_volume: Decimal = ZERO
    unseen_weight: Decimal = ZERO
    gone: bool = False
    says: list[str] = field(default_factory=list)


@dataclass
class Cell:
    """The units of a line in a container, and the units typed for it."""

    held: Decimal
    typed: str
    says: str = ""


@dataclass
class Row:
    """A line on the surface: what is with the supplier, and a cell for each container."""

    part: Instalment
    cells: list[Cell]

    @property
    def rest(self) -> Decimal:
        return self.part.position.with_supplier

    @property
    def step(self) -> Decimal:
        return self.part.line.pack_factor


def columns_of(shipment: Shipment | None) -> list[Column]:
    """The containers of a shipment, in the order they were put in."""
    boxes = Container.objects.filter(shipment=shipment).order_by("pk") if shipment else []
    return [Column(box.pk, box.number, box.size_type, box.seal, *limits_of(box)) for box in boxes]


def rows_of(person: Person, shipment: Shipment | None, columns: list[Column], picked: Iterable[int]) -> list[Row]:
    """The lines of the surface: what is aboard, then what was picked. Goods of others are added to the columns."""
    mine = companies_of(person)
    held: dict[tuple[int, int], Decimal] = {}
    by_box = {column.container: column for column in columns if column.container}
    item = "instalment__line__item"
    shipment_lines = ShipmentLine.objects.filter(container__in=list(by_box)).values_list(
        "container", "instalment", "instalment__line__order__company", "quantity", f"{item}__volume_m3",
        f"{item}__weight_kg",
    )  # fmt: skip
    for box, key, company, quantity, volume, weight in shipment_lines:
        if company in mine:
            held[box, key] = held.get((box, key), ZERO) + quantity
        else:
            by_box[box].unseen_volume += quantity * volume
            by_box[box].unseen_weight += quantity * weight
    aboard = {key for _, key in held}
    wanted = [*aboard, *[key for key in picked if key not in aboard][:MOST]]
    parts = Instalment.objects.filter(pk__in=wanted, line__order__company__in=mine, position__isnull=False)
    parts = with_records(parts.annotate(ready=Coalesce("promise", "asked_on")))
    parts = parts.order_by("line__order__number", "line__number", "number")
    return [
        Row(part, [_cell(held.get((column.container or 0, part.pk), ZERO)) for column in columns]) for part in parts
    ]


def _cell(held: Decimal) -> Cell:
    return Cell(held, format(held.normalize(), "f") if held else "")


def wanted_parts(person: Person, quantities: Mapping[int, Decimal]) -> list[Part]:
    """Units of instalments (ids) as the core proposes a loading for them."""
    parts = Instalment.objects.filter(pk__in=list(quantities), line__order__company__in=companies_of(person))
    return [
        Part(
            key=part.pk,
            order=part.line.order_id,
            quantity=quantities[part.pk],
            step=part.line.pack_factor,
            volume=part.line.item.volume_m3,
            weight=part.line.item.weight_kg,
            group=part.line.item.group,
            apart=part.line.item.stows_apart,
            destination=part.line.order.site_id,
        )
        for part in parts.select_related("line__item", "line__order").order_by("line__order", "line__number", "number")
    ]


SIZE_TYPES = [(kind.code, f"{kind.code}, {kind.name}") for kind in TYPES.values()] + [(LOOSE, "Loose packages")]
DRY_TYPES = [TYPES[code] for code in DRY]
