"""The customs actions of a scenario: entries, proofs of origin, what offices were paid and what they released."""

from collections.abc import Iterator
from decimal import Decimal
from typing import Any

from django.db.models import Q, QuerySet
from django.utils import timezone

from northing.core.money.exact import plain
from northing.customs.models import CustomsEntry, CustomsLine, OfficePayment, OriginProof, Release
from northing.masterdata.models import Territory
from northing.receiving.models import Receipt, ReceiptLine
from northing.reports.as_scenario.reach import Reach
from northing.reports.as_scenario.recorded import Recorded, action, reversal
from northing.reports.as_scenario.world import Names
from northing.shipping.models import Container, ShipmentLine

ZERO = Decimal(0)


def _entries(reach: Reach, names: Names) -> Iterator[Recorded]:
    for entry in _entered(reach).select_related("reversed_by", "company"):
        name = names.of("entry", entry.pk)
        facts = {
            "id": name,
            **({} if entry.corrects_id else _covered(entry, names)),
            "company": names.of("company", entry.company_id),
            "office": names.of("party", entry.office_id),
            "number": name,
        }
        if entry.corrects_id:
            facts["corrects"] = names.of("entry", entry.corrects_id)
        if entry.reason:
            facts["their"] = _theirs(entry)
        if entry.rates:
            facts["rates"] = entry.rates
        if entry.included:
            facts["included"] = [one | {"order": names.of("order", one["order"])} for one in entry.included]
        # What came unpacked came before.
        yield entry.at, 7 if "receipts" in facts else 6, action("customs", entry.day, **facts)
        if not CustomsEntry.objects.filter(corrects=entry).exists():
            yield from reversal(entry, name)


def _entered(reach: Reach) -> QuerySet[CustomsEntry]:
    lines = CustomsLine.objects.filter(shipment_line__instalment__line__in=reach.lines).values("entry")
    return CustomsEntry.objects.filter(pk__in=lines).order_by("pk")


def _covered(entry: CustomsEntry, names: Names) -> dict[str, Any]:
    """The goods of an entry: a whole shipment, else containers; and receipts that came unpacked."""
    parts = ShipmentLine.objects.filter(customs_lines__entry=entry)
    shipments = list(entry.shipments.order_by("pk"))
    facts: dict[str, Any] = {}
    if len(shipments) == 1:
        aboard = ShipmentLine.objects.filter(container__shipment=shipments[0])
        own = aboard.filter(instalment__line__order__company=entry.company_id)
        if not own.exclude(pk__in=parts.values("pk")).exists():
            facts["shipment"] = names.of("shipment", shipments[0].pk)
    if shipments and not facts:
        boxes = Container.objects.filter(shipment_lines__in=parts).distinct().order_by("pk")
        facts["containers"] = [names.box(box) for box in boxes]
    return facts | _came(parts, names)


def _came(parts: QuerySet[ShipmentLine], names: Names) -> dict[str, Any]:
    """The receipts of what of the goods came unpacked."""
    unpacked = ReceiptLine.objects.filter(shipment_line__in=parts, shipment_line__container=None).order_by("pk")
    came = dict.fromkeys(unpacked.values_list("receipt", "instalment__line__order"))
    if not came:
        return {}
    called = {key: names.receipts(Receipt.objects.get(pk=key)) for key, _ in came}
    return {"receipts": [called[receipt][order] for receipt, order in came]}


def _office(reach: Reach, names: Names) -> Iterator[Recorded]:
    """Payments to offices, and releases that stand."""
    entries = _entered(reach)
    paid = OfficePayment.objects.filter(parts__customs_entry__in=entries).select_related("reversed_by")
    for one in paid.distinct().order_by("pk"):
        name = f"O{one.pk}"
        of = one.parts.order_by("-customs_entry").first()
        yield one.at, 7, action("pay office", one.day, id=name, entry=names.of("entry", of.customs_entry_id))
        yield from reversal(one, name)
    for said in Release.objects.filter(customs_entry__in=entries, withdrawn_at=None).order_by("pk"):
        yield said.at, 7, action("release", said.day, entry=names.of("entry", said.customs_entry_id))


def _theirs(entry: CustomsEntry) -> dict[str, Any]:
    """The figures that the office asked for, of each group of the entry as it was reckoned."""
    sums: dict[tuple[str, str, str, tuple[str, ...]], Decimal] = {}
    by_group = Territory.objects.filter(code=entry.company.country, per="group").exists()
    for line in entry.lines.order_by("pk"):
        key = (line.hs_code, line.origin, line.words, tuple(sorted(line.extra))) if by_group else ("", "", "", ())
        sums[key] = sums.get(key, ZERO) + line.duty
    return {"duty": [plain(amount) for amount in sums.values()], "tax": plain(entry.tax), "reason": entry.reason}


def _proofs(reach: Reach, names: Names) -> Iterator[Recorded]:
    """Proofs of origin that stand; what one that was withdrawn did, its entries tell no more."""
    own = Q(shipment__in=reach.shipments) | Q(goods__instalment__line__in=reach.lines)
    for one in OriginProof.objects.filter(own, withdrawn_at=None).distinct().order_by("pk"):
        of = {"shipment": names.of("shipment", one.shipment_id)} if one.shipment_id else _came(one.goods.all(), names)
        facts = {
            **of,
            "company": names.of("company", one.company_id),
            "name": one.name,
            "number": one.number,
            "dated": one.dated.isoformat(),
        }
        if one.valid_until:
            facts["until"] = one.valid_until.isoformat()
        # What came unpacked came before.
        yield one.at, 5 if one.shipment_id else 7, action("proof", timezone.localdate(one.at), **facts)


CUSTOMS = (_proofs, _entries, _office)
