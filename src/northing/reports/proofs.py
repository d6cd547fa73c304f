"""Proof that positions are what their movements add up to."""

from collections import defaultdict
from decimal import Decimal

from django.db.models import F

from northing.core.positions.places import COLUMNS, broken, replayed
from northing.positions.models import Movement, Position

ZERO = Decimal(0)


def position_faults() -> list[str]:
    """Positions that differ from what their movements add up to, or whose identity is broken."""
    movements: dict[int, list[tuple[str, str, Decimal]]] = defaultdict(list)
    for key, *movement in Movement.objects.values_list("instalment", "source", "target", "quantity").iterator():
        movements[key].append(tuple(movement))
    faults = []
    for position in Position.objects.iterator():
        rebuilt = replayed(movements.pop(position.pk, []))
        stored = {name: getattr(position, name) for name in COLUMNS}
        faults += [f"instalment {position.pk}: {what}" for what in broken(stored)]
        faults += [
            f"instalment {position.pk}: {name} is {stored[name]}, movements say {rebuilt[name]}"
            for name in COLUMNS
            if stored[name] != rebuilt[name]
        ]
    faults += [f"instalment {key} has movements and no position" for key in movements]
    differing = Position.objects.exclude(ordered=F("instalment__quantity"))
    return faults + [f"instalment {position.pk}: ordered is not its quantity" for position in differing]
