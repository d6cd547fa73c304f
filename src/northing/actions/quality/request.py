"""What is asked of a verdict: units that passed and failed, and what the sample of a lot showed."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.actions.quality.findings import NOTHING, NotesRequest


@dataclass(frozen=True)
class SampleRequest:
    """Units looked at; of them those with a critical, with a major, with only minor defects.

    `sorted`: all of the lot was looked at after its sample rejected it.
    """

    size: int
    critical: int = 0
    major: int = 0
    minor: int = 0
    sorted: bool = False
    # Why it is decided otherwise than by the plan.
    overruled: str = ""

    @property
    def failed(self) -> int:
        """Units of the sample that are not right."""
        return self.critical + self.major + self.minor


@dataclass(frozen=True)
class InspectRequest:
    """A verdict on held units of a layer."""

    layer: int
    passed: Decimal
    failed: Decimal
    reason: str
    occurred_on: date
    # Which units failed, where they have serial numbers; the others passed.
    serials: tuple[str, ...] = ()
    sample: SampleRequest | None = None
    notes: NotesRequest = NOTHING
