"""An act: who does something, when, through which channel, under which key."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from functools import cached_property

from django.utils import timezone

from northing.access.models import Person
from northing.access.permissions import require
from northing.core.money.periods import day_problems
from northing.core.problems import NotAllowed, Problem

# Of a key that makes an action happen once; a longer one is refused, never cut: two keys might become one.
LONGEST_KEY = 255


@dataclass(frozen=True)
class Act:
    """Handed to every action; nothing below asks for the clock or the user."""

    person: Person
    at: datetime
    key: str = ""
    channel: str = "page"
    # Whose link it came through; such an act is for that supplier's own orders only.
    supplier: int | None = None
    # With the authority of the house: what a carrier's feed brings, which who keeps the house has set.
    of_house: bool = False
    # Called first within the transaction of the action: of a job it makes sure that no other worker has begun it since.
    guard: Callable[[], None] | None = field(default=None, compare=False, repr=False)

    @cached_property
    def today(self) -> date:
        """The business day of the act."""
        return timezone.localdate(self.at)

    def inner(self) -> "Act":
        """For an action within an action: the key is that of the whole."""
        return replace(self, key="", guard=None)

    def require(self, permission: str, *companies: int) -> None:
        """Raise NotAllowed unless the person has the permission in all the companies."""
        if self.of_house:
            return
        require(self.person, permission, companies)

    def require_at(self, permission: str, company: int, site: int) -> None:
        """Raise NotAllowed unless the person has the permission at the site."""
        require(self.person, permission, [company], site)

    def require_supplier(self, supplier: int) -> None:
        """Raise NotAllowed when the act came through the link of another supplier."""
        if self.supplier is not None and self.supplier != supplier:
            raise NotAllowed(Problem("This is not an order of yours.", mend="Ask for a new link."))


def future_problem(day: date, act: Act, where: str = "occurred_on") -> list[Problem]:
    """A fact cannot have happened after today, nor in an implausible year."""
    strange = day_problems(day, where)
    if strange:
        return strange
    if day > act.today:
        return [Problem("This day has not come yet.", where, "A fact happened today or before; enter that day.")]
    return []
