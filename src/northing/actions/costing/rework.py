"""A cost of a layer alone, which no other goods share: rework, or what was claimed for goods that it replaces."""

from decimal import Decimal

from northing.actions.costing.absorb import Component, Late
from northing.core.costing import layers as rule
from northing.core.money.money import from_minor, to_minor
from northing.ledger.models import CostLayer, LayerTake
from northing.ledger.operations import Way, as_rule


def alone(layer: CostLayer, base: Decimal, component: Component) -> Late:
    """What a cost (in base; undone, below 0) does to a locked layer; units that are gone take their share."""
    currency = layer.company.currency
    gone: dict[Way, Decimal] = {}
    for reason, claimed, units in LayerTake.objects.filter(layer=layer).values_list("reason", "claimed", "quantity"):
        gone[reason, claimed] = gone.get((reason, claimed), Decimal(0)) + units
    found = rule.revalue(as_rule(layer, currency), to_minor(base, currency), gone)
    variance = {way: from_minor(units, currency) for way, units in found.variance.items()}
    return Late(layer, component, base, from_minor(found.stock, currency), variance)
