"""Shapes of documents and of what happened."""

from datetime import datetime

from ninja import Schema


class DocumentOut(Schema):
    """A document on an order."""

    id: int
    name: str
    media_type: str
    size: int
    sha256: str
    shared: bool
    added_at: datetime


class Documents(Schema):
    """The documents of an order."""

    items: list[DocumentOut]


class ChangeOut(Schema):
    """An entry of the story: what was done, by whom, to which records."""

    id: int
    at: datetime
    action: str
    actor: str
    channel: str
    text: str
    changes: list[dict[str, str]]
    records: list[str]


class Changes(Schema):
    """The changes since; `next` is where to go on, also when there is nothing yet."""

    items: list[ChangeOut]
    next: str
