"""How a lot is to be inspected: its rule, what the lots before it lead to, and its plan."""

from dataclasses import dataclass
from math import ceil

from django.db.models import Q, QuerySet

from northing.core.quality.findings import every_so_often, sample_from
from northing.core.quality.sampling import Plan, plan
from northing.core.quality.switching import Lot, Standing, standing
from northing.inventory.models import OnHand
from northing.inventory.serials import serials_in
from northing.ledger.models import CostLayer
from northing.masterdata.inspections import rules_of
from northing.masterdata.models import InspectionRule
from northing.quality.models import Inspection, LotDraw

# Of an inspection: the order its goods came from.
_ORDER = "layer__shipment_line__instalment__line__order__"


@dataclass(frozen=True)
class LotPlan:
    """The plan of a lot for major and critical defects, and for minor ones where its rule counts them."""

    rule: InspectionRule
    standing: Standing
    lot: int
    major: Plan
    minor: Plan | None

    @property
    def sample(self) -> int:
        """Units to be looked at."""
        return max(self.major.sample, self.minor.sample if self.minor else 0)

    def accepts(self, critical: int, major: int, minor: int) -> bool:
        """Whether a sample with so many non-conforming units lets the lot be accepted. One critical defect does not."""
        return critical == 0 and self.major.accepts(major) and (self.minor is None or self.minor.accepts(minor))


def lots_before(item: int, supplier: int, before: int | None = None) -> list[Lot]:
    """The lots of an item from a supplier (ids) of which a sample was taken, in their order, each once.

    With `before` those inspected before that inspection (id).
    """
    of = {"layer__item": item, f"{_ORDER}supplier": supplier}
    found = Inspection.objects.filter(sample__isnull=False, reversed_by=None, **of)
    found = found.filter(pk__lt=before) if before else found
    return [_lot(one) for one in found.order_by("pk")]


def _lot(one: Inspection) -> Lot:
    """An inspection as the rules of switching see it."""
    assert one.lot is not None and one.aql is not None
    used = plan(one.lot, one.level, _plain(one.aql), one.state)
    return Lot(used, one.critical + one.major, bool(one.accepted))


def _plain(aql):
    """An AQL as the tables write it; the database pads it with zeros."""
    return aql.normalize()


def standing_of(item: int, supplier: int, may_reduce: bool, before: int | None = None) -> Standing:
    """How strictly the next lot of an item from a supplier (ids) is inspected, and why."""
    return standing(lots_before(item, supplier, before), may_reduce)


def rule_of(layer: CostLayer) -> InspectionRule | None:
    """The rule of inspection that counts for goods of a layer."""
    return rules_of([layer.item]).of(layer.item, supplier_of(layer))


def supplier_of(layer: CostLayer) -> int | None:
    """Who supplied the goods of a layer (id), where they came by an order."""
    return layer.shipment_line.instalment.line.order.supplier_id if layer.shipment_line else None


def plan_of(layer: CostLayer) -> LotPlan | None:
    """How the goods of a layer are to be inspected; None where no sample is taken of them, or one was already."""
    rule, supplier = rule_of(layer), supplier_of(layer)
    if rule is None or supplier is None or not rule.samples:
        return None
    if Inspection.objects.filter(layer=layer, reversed_by=None).exists():
        return None
    now = standing_of(layer.item_id, supplier, rule.reduces)
    return lot_plan(rule, ceil(layer.received), now)


def lot_plan(rule: InspectionRule, lot: int, now: Standing) -> LotPlan:
    """The plan of a lot of so many units by a rule, as things stand."""
    major = plan(lot, rule.level, _plain(rule.aql), now.state)
    minor = plan(lot, rule.level, _plain(rule.aql_minor), now.state) if rule.aql_minor is not None else None
    return LotPlan(rule, now, lot, major, minor)


def inspected_before(layer: CostLayer) -> QuerySet[Inspection]:
    """Inspections of the layer's item from its supplier by a sample, and lots that were let through; the last first."""
    of = {"layer__item": layer.item_id, f"{_ORDER}supplier": supplier_of(layer)}
    return Inspection.objects.filter(Q(sample__isnull=False) | Q(skipped=True), reversed_by=None, **of).order_by("-pk")


def waiting_draw(layer: CostLayer) -> LotDraw | None:
    """The draw that waits for the next lot of the layer's item from its supplier."""
    return LotDraw.objects.filter(item=layer.item_id, supplier=supplier_of(layer), opened_at=None).first()


@dataclass(frozen=True)
class SamplePlace:
    """Where units of a sample are taken: a bin, how many lie there and are looked at, and which by number."""

    bin: str
    there: int
    take: int
    numbers: list[str]


def sample_places(layer: CostLayer, sample: int) -> list[SamplePlace]:
    """From which bins the units of a sample are taken, by how many are held there; those with numbers by number."""
    rows = OnHand.objects.filter(layer=layer, status="held", quantity__gt=0).select_related("bin").order_by("bin__code")
    bins = [(row.bin_id, row.bin.code, int(row.quantity)) for row in rows]
    takes = sample_from(sample, [units for *_, units in bins])
    by_bin: dict[int, list[str]] = {}
    for number, place in serials_in(layer, "held").items() if layer.item.keeps_serial else ():
        by_bin.setdefault(place.bin, []).append(number)
    return [
        SamplePlace(code, units, take, every_so_often(take, by_bin.get(bin, [])))
        for (bin, code, units), take in zip(bins, takes, strict=True)
        if take
    ]
