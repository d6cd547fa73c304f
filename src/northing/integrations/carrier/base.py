"""The interface of a carrier's feed: it gives the events since a moment, a page at a time, or says why not."""

from abc import ABC, abstractmethod
from dataclasses import dataclass
from datetime import datetime


@dataclass(frozen=True, slots=True)
class Page:
    """Events as they came (JSON), and where the next page is; empty where there is none."""

    content: bytes
    next: str


class Feed(ABC):
    """Gives events."""

    @abstractmethod
    def page(self, since: datetime | None, at: str = "") -> Page:
        """A page of the events said at or after a moment; `at` is where the page before said to go on.

        Raises Unreachable.
        """
