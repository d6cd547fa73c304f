"""Whether an XML document declares a document type, asked of the parser: in any encoding, behind any comment."""

from collections.abc import Iterable
from typing import Any
from xml.parsers import expat


class _Found(Exception):
    """The answer is known; nothing more is read."""


def declares_type(parts: Iterable[bytes]) -> bool:
    """Read up to the first element. Text that is no XML declares nothing; its reader says what is wrong.

    >>> declares_type([b"<!-- a -->", b"<!DOCTYPE a><a/>"]), declares_type(["<!DOCTYPE a><a/>".encode("utf-16")])
    (True, True)
    >>> declares_type([b"<a>&lt;!DOCTYPE&gt;</a>"]), declares_type([b"no markup"])
    (False, False)
    """
    declared = False

    def doctype(*_: Any) -> None:
        nonlocal declared
        declared = True
        raise _Found

    def element(*_: Any) -> None:
        raise _Found

    parser = expat.ParserCreate()
    parser.StartDoctypeDeclHandler, parser.StartElementHandler = doctype, element
    try:
        for part in parts:
            parser.Parse(part)
    except (_Found, expat.ExpatError, ValueError, LookupError):
        pass
    return declared
