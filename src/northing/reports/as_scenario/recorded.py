"""An action as it was recorded, so that the actions of all steps can be put in order."""

from collections.abc import Iterator
from datetime import date, datetime
from typing import Any

# When it was recorded, its place among what was recorded at one instant, and the action.
Recorded = tuple[datetime, int, dict[str, Any]]


def action(do: str, day: date, **facts: Any) -> dict[str, Any]:
    """An action of the file."""
    return {"do": do, "day": day.isoformat(), **facts}


def reversal(fact: Any, name: str) -> Iterator[Recorded]:
    """The reversal of a fact that is called `name`, where it was reversed."""
    by = fact.reversed_by
    if by is not None:
        yield by.at, 9, action("reverse", by.occurred_on, what=name)
