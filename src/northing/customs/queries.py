"""Reads of customs: proofs of origin that count on a day, what is declared, paid and released."""

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from functools import cached_property

from django.db.models import Count, Exists, F, OuterRef, Q, QuerySet, Value

from northing.customs.models import CustomsEntry, CustomsLine, OriginProof, Release, TariffChange
from northing.ledger.models import Account, DocumentKind, OpenItem
from northing.shipping.models import ShipmentLine


def proofs_of(parts: Iterable[ShipmentLine]) -> QuerySet[OriginProof]:
    """The proofs that stand for shipment lines: those of their shipments, and of what came unpacked."""
    boxed, unpacked = set(), []
    for part in parts:
        if part.container:
            boxed.add(part.container.shipment_id)
        else:
            unpacked.append(part.pk)
    own = Q(shipment__in=boxed)
    if unpacked:
        own |= Q(pk__in=OriginProof.goods.through.objects.filter(shipmentline__in=unpacked).values("originproof"))
    return OriginProof.objects.filter(own, withdrawn_at=None).order_by("pk")


class Proofs:
    """The names of the proofs that count on a day for shipment lines: dated by then, and not out of date.

    Read when they are first asked for.
    """

    def __init__(self, parts: Iterable[ShipmentLine], day: date):
        self._parts, self._day = parts, day

    def of(self, part: ShipmentLine) -> frozenset[str]:
        """Those of a shipment line, whose order line and order are read."""
        company = part.instalment.line.order.company_id
        of = (part.container.shipment_id, None) if part.container else (None, part.pk)
        return frozenset(self._found.get((company, *of), ()))

    @cached_property
    def _found(self) -> Mapping[tuple[int, int | None, int | None], set[str]]:
        counts = proofs_of(self._parts).filter(
            Q(valid_until=None) | Q(valid_until__gte=self._day), dated__lte=self._day
        )
        found: dict[tuple[int, int | None, int | None], set[str]] = {}
        for company, shipment, goods, name in counts.values_list("company", "shipment", "goods", "name"):
            found.setdefault((company, shipment, goods), set()).add(name)
        return found


def is_declared(but: int | None = None) -> Exists:
    """Of shipment lines: whether they are on a customs entry that stands, other than `but` (id)."""
    standing = CustomsLine.objects.filter(shipment_line=OuterRef("pk"), stands=True)
    return Exists(standing.exclude(entry=but) if but else standing)


def is_released() -> Exists:
    """Of shipment lines: whether customs released them."""
    released = Release.objects.filter(withdrawn_at=None).values("customs_entry")
    return Exists(CustomsLine.objects.filter(shipment_line=OuterRef("pk"), entry__in=released))


# A shipment and a company (ids).
Whose = tuple[int, int]


@dataclass
class Cleared:
    """How far a company's goods in a shipment are: the last entry's day once all is declared; what is owed."""

    entry_on: date | None
    released: bool
    owed: Decimal = Decimal(0)


def cleared_of(shipments: Iterable[int], with_office: bool = True) -> dict[Whose, Cleared]:
    """By shipment and company (ids). Without the office nothing is read of what it is owed and released."""
    keys = list(shipments)
    parts = ShipmentLine.objects.filter(container__shipment__in=keys).annotate(said=is_declared())
    parts = parts.annotate(free=is_released() if with_office else Value(True))
    whose = ("container__shipment", "instalment__line__order__company")
    lacking = {"undeclared": Count("pk", filter=Q(said=False)), "held": Count("pk", filter=Q(free=False))}
    rows = parts.order_by().values_list(*whose).annotate(**lacking)
    found = {(shipment, company): Cleared(None, not held) for shipment, company, _, held in rows}
    entries = CustomsEntry.objects.filter(shipments__in=keys).order_by("day", "pk")
    said = list(entries.values_list("shipments", "company", "pk", "day", "reversed_by"))
    owed = owed_on({key for _, _, key, _, _ in said}) if with_office else {}
    undeclared = {(shipment, company) for shipment, company, some, _ in rows if some}
    for shipment, company, key, day, reversed_by in said:
        one = found.setdefault((shipment, company), Cleared(None, False))
        one.owed += owed.get(key, Decimal(0))
        if reversed_by is None and (shipment, company) not in undeclared:
            one.entry_on = day
    return found


def owed_on(entries: Iterable[int]) -> dict[int, Decimal]:
    """The amount owed for each customs entry (ids), where it is not 0; below 0 it was paid too much."""
    items = OpenItem.objects.filter(
        account=Account.CUSTOMS_PAYABLE, document_kind=DocumentKind.CUSTOMS_ENTRY, document__in=list(entries)
    )
    rows = items.exclude(amount=0).order_by("document").values_list("document", "amount")
    return {document: -amount for document, amount in rows}


def settled_with(entries: Iterable[int]) -> dict[int, set[int]]:
    """By entry (id), the entries whose open amounts are settled together with its own, itself among them.

    These declared some of the same goods at the same office. An undone entry with an open amount leads on to all
    that took its place: its credit counts once.
    """
    starts = list(entries)
    edges: dict[int, set[int]] = {}
    counts: set[int] = set()
    more = set(starts)
    while more:
        near = _same_goods(more)
        edges |= near
        met = more.union(*near.values())
        counts |= owed_on(met).keys()
        counts |= set(CustomsEntry.objects.filter(pk__in=met, reversed_by=None).values_list("pk", flat=True))
        more = (met & counts) - edges.keys()
    return {key: _reached(key, edges, counts) for key in starts}


def _reached(start: int, edges: Mapping[int, set[int]], counts: set[int]) -> set[int]:
    found, more = {start}, {start} & counts
    while more:
        more = {near for key in more for near in edges[key]} & counts - found
        found |= more
    return found


def _same_goods(entries: Iterable[int]) -> dict[int, set[int]]:
    found = {key: {key} for key in entries}
    lines = CustomsLine.objects.filter(entry__in=found, shipment_line__customs_lines__entry__office=F("entry__office"))
    for key, other in lines.order_by().values_list("entry", "shipment_line__customs_lines__entry").distinct():
        found[key].add(other)
    return found


def releases_by_entry(entries: Iterable[int]) -> dict[int, Release]:
    """By entry (id), the newest release of some of its goods, whichever entry declared them then."""
    lines = CustomsLine.objects.filter(
        entry__in=list(entries), shipment_line__customs_lines__entry__releases__isnull=False
    )
    pairs = lines.order_by().values_list("entry", "shipment_line__customs_lines__entry__releases").distinct()
    pairs = sorted(pairs, key=lambda pair: pair[1])
    stand = Release.objects.filter(withdrawn_at=None).in_bulk({key for _, key in pairs})
    return {entry: stand[key] for entry, key in pairs if key in stand}


def changes_told(companies: Collection[int], most: int = 12) -> QuerySet[TariffChange]:
    """The newest changes of the tariff, with how many open lines of companies (ids) cost otherwise by them."""
    own = Count("moves", filter=Q(moves__line__order__company__in=companies))
    return TariffChange.objects.annotate(lines=own).select_related("job__person").order_by("-pk")[:most]


def undeclared_from_abroad() -> QuerySet[ShipmentLine]:
    """Goods of suppliers abroad that are on no customs entry."""
    order = "instalment__line__order"
    home = {f"{order}__supplier__country": F(f"{order}__company__country")}
    return ShipmentLine.objects.filter(~is_declared(), quantity__gt=0).exclude(**home)
