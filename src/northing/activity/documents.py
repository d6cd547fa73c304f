"""Documents on records: what they are is told by their content; they lie outside what the web server serves."""

import hashlib
from collections.abc import Iterable
from pathlib import Path
from typing import BinaryIO

from django.conf import settings

from northing.access.acts import Act
from northing.activity.models import Document
from northing.activity.store import is_whole, keep
from northing.core.problems import Problem, Refused

LARGEST = 10_000_000
SIGNS: list[tuple[bytes, str, str]] = [
    (b"%PDF-", "application/pdf", ".pdf"),
    (b"\x89PNG\r\n\x1a\n", "image/png", ".png"),
    (b"\xff\xd8\xff", "image/jpeg", ".jpg"),
    (b"GIF8", "image/gif", ".gif"),
    (b"PK\x03\x04", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", ".xlsx"),
]
# Whatever else: it is only downloaded.
ANYTHING = "application/octet-stream"
PICTURES = ("image/png", "image/jpeg", "image/gif")


def media_type(content: bytes, name: str) -> str:
    """The type that the content shows: PDF, picture or table; anything else is only downloaded."""
    for sign, kind, suffix in SIGNS:
        if content.startswith(sign):
            if suffix == ".xlsx" and not name.lower().endswith(".xlsx"):
                break
            return kind
    if name.lower().endswith(".csv") and _is_text(content):
        return "text/csv"
    return ANYTHING


def _is_text(content: bytes) -> bool:
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        return False
    return "\x00" not in text


def attach(act: Act, kind: str, record: int, company: int | None, name: str, content: bytes, shared: bool) -> Document:
    """Keep a document with a record; the same content is kept once. Raises Refused.

    A person of ours may attach any kind, a supplier by its link PDF, pictures and tables.
    """
    name = Path(name.replace("\\", "/").replace("\x00", "")).name[-120:] or "document"
    if not content:
        raise Refused(Problem("The file is empty.", "file", "Choose another."))
    if len(content) > LARGEST:
        raise Refused(Problem("The file is larger than 10 MB.", "file", "Make it smaller, or split it."))
    kind_of_file, digest = media_type(content, name), hashlib.sha256(content).hexdigest()
    if kind_of_file == ANYTHING and act.supplier is not None:
        what = f"{name[:60]!r} is neither a PDF, nor a picture, nor a table."
        raise Refused(Problem(what, "file", "Send it as one of these."))
    path = where(digest)
    if not is_whole(path, digest):
        keep(path, content)
    return Document.objects.create(
        kind=kind,
        record=record,
        company_id=company,
        name=name,
        media_type=kind_of_file,
        size=len(content),
        sha256=digest,
        shared=shared,
        added_by=act.person,
        added_at=act.at,
    )


def hand_over(kind: str, records: Iterable[int], to_kind: str, to: int) -> None:
    """The documents of records (ids) of a kind belong to another record from now on."""
    Document.objects.filter(kind=kind, record__in=list(records)).update(kind=to_kind, record=to)


def set_aside(content: bytes) -> str:
    """Keep content that will be a document once what it is about is written; returns its digest."""
    digest = hashlib.sha256(content).hexdigest()
    if not is_whole(where(digest), digest):
        keep(where(digest), content)
    return digest


def content_of(document: Document) -> BinaryIO:
    """The document's content, open for reading. Raises Refused where it is not there as it was attached."""
    path = where(document.sha256)
    if not is_whole(path, document.sha256):
        what = f"The file of {document.name!r} is damaged or gone."
        raise Refused(Problem(what, mend="Attach it again; or restore it from a backup."))
    return path.open("rb")


def where(digest: str) -> Path:
    """Where the content with this digest lies."""
    return Path(settings.FILES) / "documents" / digest[:2] / digest
