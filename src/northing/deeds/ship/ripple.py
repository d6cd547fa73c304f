"""The ripple of a date: the lines that would come to the dock on another day."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import F, Sum

from northing.core.passage import expected_legs
from northing.directory.models import Company
from northing.shipping.models import Container, DateStatement, Stowage
from northing.shipping.queries import Planned, own_docks


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
    """What saving a date would do: lines that move, worst first; goods that become ours, by company."""

    lines: list[RippleLine]
    owned: list[tuple[Company, Decimal]]

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
    parts = Stowage.objects.filter(container__in=going, settled__lt=F("quantity"))
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
