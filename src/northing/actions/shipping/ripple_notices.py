"""The ripple of what a machine said: kept for the people who own the lines it moved, until they have seen it."""

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from northing.access.acts import Act
from northing.actions.shipping.ripple import RippleLine, lines_between
from northing.actions.worklist import ripples
from northing.activity.operations import once
from northing.core.problems import Problem, Refused
from northing.masterdata.models import Company
from northing.orders.models import OrderLine
from northing.shipping import operations as shipping
from northing.shipping.models import Ripple
from northing.shipping.queries import expected_docks

MOST_KEPT = 500


@dataclass(frozen=True)
class SeenRequest:
    """A ripple (id) that its person has seen."""

    ripple: int


def tell_owners(act: Act, source: str, before: Mapping[int, date | None]) -> int:
    """Keep what moved since (dock days by container) for those who own the lines; returns how many lines moved."""
    after = expected_docks(act.today)
    moved = {key: (before[key], dock) for key, dock in after.items() if key in before and before[key] != dock}
    if not moved:
        return 0
    lines = lines_between(moved, set(Company.objects.values_list("pk", flat=True)))
    owned = OrderLine.objects.filter(pk__in=[line.line for line in lines])
    owners = {line: owner for line, *owner in owned.values_list("pk", "order__buyer", "order__company")}
    groups: dict[tuple[int, int], list[RippleLine]] = defaultdict(list)
    for line in lines:
        groups[tuple(owners[line.line])].append(line)
    made = [shipping.write_ripple(act, source, *owner, _kept(some)) for owner, some in sorted(groups.items())]
    ripples.refresh_ripples([ripple.pk for ripple in made])
    return len(lines)


def _kept(lines: list[RippleLine]) -> shipping.RippleKept:
    rows = []
    for line in lines[:MOST_KEPT]:
        days = (day and day.isoformat() for day in (line.old, line.new, line.need_by))
        rows.append([line.line, line.name, line.item, *days])
    return shipping.RippleKept(rows, sum(line.breaks for line in lines), sum(line.saves for line in lines))


@once
def see(act: Act, request: SeenRequest) -> int:
    """A person has seen what moved."""
    ripple = Ripple.objects.select_for_update().filter(pk=request.ripple, person=act.person, seen_at=None).first()
    if ripple is None:
        raise Refused(Problem("This has been seen already."))
    shipping.see_ripple(ripple, act.at)
    ripples.refresh_ripples([ripple.pk])
    return ripple.pk
