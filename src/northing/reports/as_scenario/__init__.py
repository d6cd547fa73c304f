"""A line, a bill or a unit cost as a scenario: a small anonymous file that replays it."""

from typing import Any

from northing.core.costing.landed_cost import unit_price_of
from northing.core.money.exact import plain
from northing.core.money.money import minor_units
from northing.ledger.models import CostLayer
from northing.ledger.queries import CAME
from northing.reports.as_scenario.actions import actions_of
from northing.reports.as_scenario.reach import Reach, TooMuch, reach_of
from northing.reports.as_scenario.world import Names, world_of

__all__ = ["TooMuch", "as_scenario", "opening_as_scenario"]


def as_scenario(lines: set[int], companies: set[int]) -> dict[str, Any]:
    """The scenario of order lines (ids) with all that bears on their cost, as plain values for JSON.

    It expects the costs that stand here. Raises TooMuch where it would reach goods of companies other than `companies`
    (ids), or more than a small file.
    """
    return _scenario(reach_of(lines, companies))


def opening_as_scenario(layer: int) -> dict[str, Any]:
    """The scenario of a cost layer (id) that a company began with: its opening, moves and issues."""
    return _scenario(Reach(layers={layer}))


def _scenario(reach: Reach) -> dict[str, Any]:
    names = Names(reach)
    actions = actions_of(reach, names)
    return {"world": world_of(reach, names), "actions": actions, "expect": {"layers": _layers(reach, names)}}


def _layers(reach: Reach, names: Names) -> list[dict[str, str]]:
    found = CostLayer.objects.filter(CAME, pk__in=reach.layers, received__gt=0)
    return [
        {
            "item": names.of("item", layer.item_id),
            "received": plain(layer.received),
            "landed": f"{layer.total_cost:.{minor_units(layer.company.currency)}f}",
            "value": f"{layer.value:.{minor_units(layer.company.currency)}f}",
            "unit": plain(unit_price_of(layer.total_cost, layer.received)),
        }
        for layer in found.select_related("company").order_by("pk")
    ]
