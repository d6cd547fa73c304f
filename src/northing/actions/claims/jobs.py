"""The worker's part in returns: goods of very many layers."""

from dataclasses import asdict
from datetime import date
from decimal import Decimal
from typing import Any

from northing.actions.claims.return_all import ReturnAllRequest, return_all
from northing.claims.models import GoodsReturn
from northing.core.money.exact import plain
from northing.jobs.jobs import Run


def as_asked(request: ReturnAllRequest) -> dict[str, Any]:
    """A return as a job keeps it."""
    found = asdict(request) | {"occurred_on": request.occurred_on.isoformat(), "serials": list(request.serials)}
    found["most"] = plain(request.most) if request.most is not None else None
    units = request.units
    found["units"] = None if units is None else {str(key): plain(value) for key, value in units.items()}
    return found


def send_back(run: Run) -> None:
    """Send goods back as `return_all` does: all of it, or nothing; a second run finds what the first did."""
    asked = run.request
    units, most = asked["units"], asked["most"]
    facts = {
        "occurred_on": date.fromisoformat(asked["occurred_on"]),
        "serials": tuple(asked["serials"]),
        "units": None if units is None else {int(key): Decimal(value) for key, value in units.items()},
        "most": None if most is None else Decimal(most),
    }
    made = return_all(run.act("back"), ReturnAllRequest(**(asked | facts)))
    numbers = GoodsReturn.objects.filter(pk__in=made).order_by("pk").values_list("number", flat=True)
    run.job.said = f"{'Prepared' if asked['prepared'] else 'Sent back'}: {', '.join(numbers)}."[:240]
    run.count(run.job.total)
