"""An act: who does something, when, through which door, under which key."""

from dataclasses import dataclass
from datetime import date, datetime

from django.utils import timezone

from northing.core.periods import day_problems
from northing.core.problems import Problem
from northing.directory.models import Person
from northing.directory.rights import require


@dataclass(frozen=True)
class Act:
    """Handed to every deed; nothing below asks for the clock or the user."""

    person: Person
    at: datetime
    key: str = ""
    door: str = "page"

    @property
    def today(self) -> date:
        """The business day of the act."""
        return timezone.localdate(self.at)

    def require(self, right: str, *companies: int) -> None:
        """Raise NotAllowed unless the person has the right in all the companies."""
        require(self.person, right, companies)


def future_problem(day: date, act: Act, where: str = "occurred_on") -> list[Problem]:
    """A fact cannot have happened after today, nor in a year that nobody means."""
    strange = day_problems(day, where)
    if strange:
        return strange
    if day > act.today:
        return [Problem("This day has not come yet.", where, "A fact happened today or before; enter that day.")]
    return []
