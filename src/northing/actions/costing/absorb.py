"""Layers taking up what their goods bear: at the receipt, and again whenever a cost comes late.

A shipment line bears a total of each component (its goods value, its share of each charge), and so does a whole order
line of a charge that lies over it. Of that total the layers have absorbed round(total x accounted / units of the
bearer), layer by layer in the order they were made. What a component's total changes after a receipt is therefore the
same computation as the receipt's own.
"""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from typing import NamedTuple

from django.db import connection
from django.db.models import Q, Sum

from northing.actions.costing import accruals
from northing.actions.costing.price_claims import raised
from northing.core.costing import layers as rule
from northing.core.money.money import from_minor, to_minor
from northing.core.money.spread import share_so_far
from northing.costing.models import Charge, ChargeShare
from northing.costing.queries import line_units
from northing.ledger.models import Account, CostLayer, DocumentKind, Entry, LayerCost, LayerTake
from northing.ledger.operations import Draft, Way, add_costs, as_rule, component_of, late_account

ZERO = Decimal(0)
Component = int | None  # a charge's id, None for the goods value, the difference of its price, or rework
PRICE_DIFFERENCE = -1
# What was paid for the goods of one layer alone; no bearer has a total of it.
REWORK = -2
# What was claimed for failed goods in whose place those of the layer came free.
REPLACED = -3
OF_ONE_LAYER = (REWORK, REPLACED)
OF_GOODS = (None, PRICE_DIFFERENCE)


class Bearer(NamedTuple):
    """Holds who bears a total, by id: a shipment line of an order line, or (without one) the whole order line."""

    order_line: int
    shipment_line: int | None


Totals = Mapping[Bearer, Mapping[Component, Decimal]]
NONE: Mapping[int, Decimal] = {}


@dataclass(frozen=True)
class Late:
    """The effect of a change of cost on one layer, in base currency."""

    layer: CostLayer
    component: Component
    amount: Decimal
    stock: Decimal
    variance: Mapping[Way, Decimal]


@dataclass
class Absorption:
    """Everything a set of changed totals does to the layers; computed first, written later."""

    late: list[Late] = field(default_factory=list)

    @property
    def stock(self) -> Decimal:
        return sum((one.stock for one in self.late), ZERO)

    @property
    def variance(self) -> dict[str, Decimal]:
        found: dict[str, Decimal] = defaultdict(Decimal)
        for one in self.late:
            for (reason, _), amount in one.variance.items():
                found[reason] += amount
        return dict(found)


def absorption(totals: Totals, own: Mapping[int, Decimal] = NONE, *, lock: bool = True) -> Absorption:
    """The changes when each bearer bears these totals now; nothing is written.

    `own` are the price differences of goods that became ours by a line of a receipt (id). Layers are locked unless it
    is only a preview.
    """
    layers = _layers(totals, lock)
    taken = _taken(layers)
    gone = _gone(layers)
    found = Absorption()
    working = {layer.pk: as_rule(layer, layer.company.currency) for layer in layers}
    by_key = {layer.pk: layer for layer in layers}
    for (key, component), target in _targets(layers, totals, own).items():
        layer, currency = by_key[key], by_key[key].company.currency
        delta = target - to_minor(taken.get((key, component), ZERO), currency)
        if not delta:
            continue
        revalued = rule.revalue(working[key], delta, gone.get(key, {}))
        working[key] = _grown(working[key], delta, revalued)
        variance = {way: from_minor(units, currency) for way, units in revalued.variance.items()}
        found.late.append(
            Late(layer, component, from_minor(delta, currency), from_minor(revalued.stock, currency), variance)
        )
    return found


def of_lines(lines: Iterable[int]) -> Absorption:
    """The changes where units of order lines (ids) come or never will:
    of the charges that lie over whole lines.
    """
    totals: dict[Bearer, dict[Component, Decimal]] = defaultdict(dict)
    shares = ChargeShare.objects.filter(order_line__in=list(lines), shipment_line=None)
    for line, charge, amount in shares.values_list("order_line", "charge", "amount").order_by("charge", "pk"):
        totals[Bearer(line, None)][charge] = amount
    return absorption(totals) if totals else Absorption()


def _layers(bearers: Iterable[Bearer], lock: bool) -> list[CostLayer]:
    layers = CostLayer.objects.select_for_update(of=("self",)) if lock else CostLayer.objects.all()
    parts = [bearer.shipment_line for bearer in bearers if bearer.shipment_line is not None]
    lines = [bearer.order_line for bearer in bearers if bearer.shipment_line is None]
    borne = Q(shipment_line__in=parts)
    if lines:
        borne |= Q(shipment_line__instalment__line__in=lines)
    found = layers.filter(borne, received__gt=0)
    return list(found.select_related("company", "shipment_line__instalment", "receipt_line", "item").order_by("id"))


def _taken(layers: Iterable[CostLayer]) -> dict[tuple[int, Component], Decimal]:
    """The amounts that each layer has absorbed of each component.
    Goods that came over the order are not of the shipment line.
    """
    costs = LayerCost.objects.filter(layer__in=[layer.pk for layer in layers])
    sums = costs.values_list("layer", "charge", "component").order_by().annotate(total=Sum("amount"))
    found = {(layer, _component(charge, said)): total for layer, charge, said, total in sums}
    for layer in layers:
        own = layer.receipt_line.recognised_base if layer.receipt_line and layer.kind == "stock" else ZERO
        if own:
            found[layer.pk, None] = found.get((layer.pk, None), ZERO) - own
    return found


APART: dict[str, Component] = {
    LayerCost.Component.PRICE_DIFFERENCE: PRICE_DIFFERENCE,
    LayerCost.Component.REWORK: REWORK,
    LayerCost.Component.REPLACED: REPLACED,
}


def _component(charge: int | None, said: str) -> Component:
    return APART.get(said, charge)


def _gone(layers: Iterable[CostLayer]) -> dict[int, dict[Way, Decimal]]:
    takes = LayerTake.objects.filter(layer__in=[layer.pk for layer in layers if layer.gone])
    found: dict[int, dict[Way, Decimal]] = defaultdict(dict)
    sums = takes.values_list("layer", "reason", "claimed").annotate(total=Sum("quantity"))
    for layer, reason, claimed, total in sums.order_by("reason", "claimed"):
        found[layer][reason, claimed] = total
    return found


def _targets(
    layers: Iterable[CostLayer], totals: Totals, own: Mapping[int, Decimal]
) -> dict[tuple[int, Component], int]:
    """The minor units each layer (id) shall have absorbed of each component; layers in the order they were made."""
    whole_lines = line_units(bearer.order_line for bearer in totals if bearer.shipment_line is None)
    through: dict[Bearer, Decimal] = defaultdict(Decimal)
    found: dict[tuple[int, Component], int] = defaultdict(int)
    for layer in layers:
        if layer.receipt_line_id in own and layer.kind == CostLayer.Kind.STOCK:
            found[layer.pk, PRICE_DIFFERENCE] += to_minor(own[layer.receipt_line_id], layer.company.currency)
        for bearer, units, whole in _bearers(layer, whole_lines):
            if bearer not in totals:
                continue
            before = through[bearer]
            through[bearer] = after = before + units
            for component, total in totals[bearer].items():
                amount = to_minor(total, layer.company.currency)
                found[layer.pk, component] += _share(amount, after, whole) - _share(amount, before, whole)
    return found


def _bearers(layer: CostLayer, whole_lines: Mapping[int, Decimal]) -> list[tuple[Bearer, Decimal, Decimal]]:
    """Return who bears for a layer: with its units that count there, and the units of the bearer."""
    part, line = layer.shipment_line, layer.receipt_line
    stock = line is not None and layer.kind == CostLayer.Kind.STOCK
    beyond, excess = (line.beyond, line.excess) if stock else (ZERO, ZERO)
    of_line = part.instalment.line_id
    return [
        (Bearer(of_line, part.pk), layer.received - beyond, part.quantity),
        (Bearer(of_line, None), layer.received - excess, whole_lines.get(of_line, ZERO)),
    ]


def _share(total: int, through: Decimal, whole: Decimal) -> int:
    return share_so_far(total, through, whole) if whole else 0


def _grown(layer: rule.Layer, delta: int, revalued: rule.Revalued) -> rule.Layer:
    taken = layer.taken + sum(revalued.variance.values())
    return rule.Layer(layer.received, layer.gone, layer.total + delta, taken, layer.goods, layer.goods_taken)


def write(entry: Entry, found: Absorption) -> list[Draft]:
    """Write the layers and their cost components; return the postings: goods from afloat, charges from accruals."""
    drafts, costs = [], []
    added: dict[int, list[Decimal]] = defaultdict(lambda: [ZERO, ZERO, ZERO, ZERO])
    drawn, kinds = _accruals(found), _kinds(found)
    for one in found.late:
        layer = one.layer
        common = {
            "company": layer.company_id,
            "charge": _charge(one.component),
            "layer": layer.pk,
            "order_line": layer.shipment_line.instalment.line_id,
        }
        costs.append((layer.pk, _charge(one.component), kinds[one.component], one.amount))
        totals = added[layer.pk]
        totals[0] += one.amount
        totals[1] += sum(one.variance.values(), ZERO)
        if one.component in OF_GOODS:
            totals[2] += one.amount
            totals[3] += sum(one.variance.values(), ZERO)
        drafts.append(Draft(account=Account.STOCK, amount=one.stock, **common))
        for way, amount in one.variance.items():
            account = late_account(kinds[one.component], way)
            draft = Draft(account=account, amount=amount, **common)
            drafts.append(raised(entry, layer, draft) if account == Account.CLAIMS else draft)
        if one.component in OF_ONE_LAYER:
            # It is owed to who did it, or was claimed; nothing waited for it.
            continue
        charge = _charge(one.component)
        drafts.append(_drawn(one, next(drawn[charge, layer.company_id]) if charge else None))
    add_costs(entry, costs)
    _grow_layers(added)
    return drafts


def _kinds(found: Absorption) -> dict[Component, str]:
    """Which component of a layer's cost each charge is."""
    charges = Charge.objects.filter(pk__in={_charge(one.component) for one in found.late} - {None})
    known = {key: component_of(kind) for key, kind in charges.values_list("pk", "kind")}
    return {None: component_of(None), **{component: said for said, component in APART.items()}} | known


def _charge(component: Component) -> int | None:
    """The charge that a component is; None of the goods, their price, and what is of one layer."""
    return None if component in (PRICE_DIFFERENCE, *OF_ONE_LAYER) else component


def _accruals(found: Absorption) -> dict[tuple[int, int], Iterator[Draft]]:
    """The postings on accruals, by charge and company, in the order of what is taken up."""
    taken: dict[tuple[int, int], list[Late]] = defaultdict(list)
    for one in found.late:
        charge = _charge(one.component)
        if charge:
            taken[charge, one.layer.company_id].append(one)
    amounts = accruals.taken_up({key: [one.amount for one in lates] for key, lates in taken.items()})
    return {key: iter(drafts) for key, drafts in amounts.items()}


def _drawn(one: Late, accrual: Draft | None) -> Draft:
    """Where a layer takes a cost from."""
    layer = one.layer
    common = {"layer": layer.pk, "order_line": layer.shipment_line.instalment.line_id}
    if accrual is not None:
        return accrual._replace(**common)
    return Draft(
        company=layer.company_id,
        account=Account.OWNED_AFLOAT,
        amount=-one.amount,
        document_kind=DocumentKind.SHIPMENT_LINE,
        document=layer.shipment_line_id,
        **common,
    )


def _grow_layers(added: Mapping[int, list[Decimal]]) -> None:
    if not added:
        return
    columns = list(zip(*added.values(), strict=True))
    with connection.cursor() as cursor:
        cursor.execute(
            "update ledger_costlayer l set total_cost = l.total_cost + d.total, taken_cost = l.taken_cost + d.taken,"
            " goods_cost = l.goods_cost + d.goods, goods_taken = l.goods_taken + d.goods_taken"
            " from unnest(%s::bigint[], %s::numeric[], %s::numeric[], %s::numeric[], %s::numeric[])"
            " as d(id, total, taken, goods, goods_taken) where l.id = d.id",
            [list(added), *(list(column) for column in columns)],
        )
