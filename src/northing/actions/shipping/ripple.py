"""The ripple of a date: the lines that would come to the dock on another day, and what goods would be worth."""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from typing import Any

from django.db import transaction
from django.db.models import F, Max, Q, Sum
from django.db.models.functions import Coalesce

from northing.access.acts import Act
from northing.actions.costing.revalue import Worth
from northing.core.planning.passage import expected_legs
from northing.ledger.models import Account, Entry, Posting
from northing.masterdata.models import Company
from northing.shipping.models import Container, DateStatement, Shipment, ShipmentLine
from northing.shipping.queries import Planned, companies_of_shipments, expected_docks, followed, own_docks


@dataclass(frozen=True)
class RippleLine:
    """A line of which units aboard a shipment would come to the dock on another day."""

    line: int
    name: str
    item: str
    description: str
    quantity: Decimal
    old: date | None
    new: date
    need_by: date

    @property
    def days(self) -> int:
        """Days later; negative is earlier."""
        return (self.new - self.old).days if self.old else 0

    @property
    def breaks(self) -> bool:
        """The new date is the first to miss the need-by date."""
        return self.new > self.need_by and not (self.old and self.old > self.need_by)

    @property
    def saves(self) -> bool:
        """The new date meets a need-by date that the old one missed."""
        return self.new <= self.need_by and bool(self.old and self.old > self.need_by)


@dataclass(frozen=True)
class Ripple:
    """The effect of saving a date: lines that move, worst first; what goods become worth in the books,
    by company.
    """

    lines: list[RippleLine]
    worth: list[Worth]
    # Shipments whose goods would be in another place: which, from where, to where.
    places: list[tuple[str, str, str]] = field(default_factory=list)

    @property
    def breaks(self) -> int:
        return sum(line.breaks for line in self.lines)

    @property
    def saves(self) -> int:
        return sum(line.saves for line in self.lines)


# The day before and the day after, by container (id).
Docks = Mapping[int, tuple[date | None, date | None]]

ROWS = (
    "container",
    "instalment__line",
    "instalment__line__order__number",
    "instalment__line__number",
    "instalment__line__item__code",
    "instalment__line__item__description",
    "instalment__line__need_by",
)


def moving(
    planned: Mapping[int, Planned], today: date, companies: set[int], extra: Iterable[DateStatement] = ()
) -> list[RippleLine]:
    """The lines that move when planned shipments (by id) go as planned, `extra` statements of containers included."""
    docks = {key: expected_legs(plan, today)[-1].end for key, (_, plan) in planned.items() if plan}
    own = own_docks(planned, today, extra)
    boxes = Container.objects.filter(shipment__in=docks).order_by().select_related("shipment")
    return lines_between(
        {box.pk: (box.expected_dock, own.get(box.pk) or docks[box.shipment_id]) for box in boxes}, companies
    )


def lines_between(docks: Docks, companies: set[int]) -> list[RippleLine]:
    """The lines in containers whose dock day goes from one to another; worst first."""
    going = [key for key, (old, new) in docks.items() if old != new and new is not None]
    parts = ShipmentLine.objects.filter(container__in=going, accounted__lt=F("quantity"))
    rows = parts.filter(instalment__line__order__company__in=companies).values_list(*ROWS).order_by(*ROWS)
    # A line that moves by the same days in several containers moves once.
    units: dict[tuple, Decimal] = {}
    for box, *about, quantity in rows.annotate(Sum("quantity")):
        key = (*about, *docks[box])
        units[key] = units.get(key, Decimal(0)) + quantity
    lines = [
        RippleLine(line, f"{order}/{number}", item, description, quantity, old, new, need_by)
        for (line, order, number, item, description, need_by, old, new), quantity in units.items()
    ]
    return sorted(lines, key=lambda line: (not line.breaks, -line.days))


def foresee(act: Act, action: Callable[[Act, Any], Any], request: Any, companies: set[int]) -> Ripple:
    """The effect of an action on these companies' lines and goods: it is done, looked at, and taken back.

    Raises Refused where the action does.
    """
    with transaction.atomic():
        before = expected_docks(act.today)
        last = Entry.objects.aggregate(last=Coalesce(Max("pk"), 0))["last"]
        places = _places(act)
        action(act.inner(), request)
        moved = _moved(places, _places(act), companies)
        after = expected_docks(act.today)
        docks = {key: (before.get(key), dock) for key, dock in after.items()}
        ripple = Ripple(lines_between(docks, companies), _worth_since(last, companies), moved)
        transaction.set_rollback(True)
    return ripple


def _places(act: Act) -> dict[int, Shipment]:
    return {shipment.pk: shipment for shipment in followed(act.today).order_by("pk")}


def _moved(
    before: Mapping[int, Shipment], after: Mapping[int, Shipment], companies: set[int]
) -> list[tuple[str, str, str]]:
    going = {key: one for key, one in after.items() if key in before and one.place != before[key].place}
    aboard = companies_of_shipments(going)
    mine = [key for key in going if not aboard.get(key) or aboard[key] & companies]
    return [(str(going[key]), before[key].place, going[key].place) for key in mine]


def _worth_since(last: int, companies: set[int]) -> list[Worth]:
    """The postings of goods afloat after an entry (id): before what was taken from there,
    after what was put.
    """
    mine = Posting.objects.filter(entry__gt=last, account=Account.OWNED_AFLOAT, company__in=companies)
    taken, put = Sum("amount", filter=Q(amount__lt=0), default=0), Sum("amount", filter=Q(amount__gt=0), default=0)
    rows = list(mine.order_by("company").values_list("company").annotate(taken=taken, put=put))
    known = Company.objects.in_bulk([company for company, *_ in rows])
    return [Worth(known[company], -before, after) for company, before, after in rows]
