"""The interface of a mail service: it takes one letter at a time, or says why not."""

from abc import ABC, abstractmethod
from dataclasses import dataclass


class Undeliverable(Exception):
    """The letter was not taken. `final` when no later try can help (the address is refused)."""

    def __init__(self, why: str, final: bool = False):
        super().__init__(why)
        self.final = final


@dataclass(frozen=True, slots=True)
class Attachment:
    """A file that goes along."""

    name: str
    media_type: str
    content: bytes


@dataclass(frozen=True, slots=True)
class Letter:
    """One mail to one address. `message_id` stays the same through every try, so that a receiver can tell a repeat."""

    sender: str
    recipient: str
    subject: str
    body: str
    message_id: str
    attached: tuple[Attachment, ...] = ()


class Post(ABC):
    """Sends letters."""

    @abstractmethod
    def send(self, letter: Letter) -> None:
        """Hand the letter over. Raises Undeliverable."""
