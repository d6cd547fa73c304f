"""Barcodes as SVG: GS1-128 of element strings, Code 128 of our own codes; encoded by python-barcode."""

from itertools import groupby

from barcode.codex import Code128, Gs1_128
from django.utils.safestring import SafeString, mark_safe

# The separator after an element of no fixed length (GS1 General Specifications 7.8.6.2), as the encoder reads it.
FNC1 = Gs1_128.FNC1_CHAR
# Identifiers after which none is needed: their length is fixed (GS1 General Specifications, figure 7.8.5-2).
FIXED = ("00", "01", "02", "11", "13", "15", "17")
# White modules on either side.
QUIET = 10


def gs1_128(elements: list[tuple[str, str]], height: int = 60) -> SafeString:
    """The bars of elements (identifier, value), in their order; those of no fixed length stand last where they can."""
    said = ""
    for place, (name, value) in enumerate(elements):
        last = place == len(elements) - 1
        said += name + value + ("" if last or name in FIXED else FNC1)
    return _drawn(Gs1_128(said).build()[0], height)


def code_128(text: str, height: int = 60) -> SafeString:
    """The bars of a code of our own."""
    return _drawn(Code128(text).build()[0], height)


def readable(elements: list[tuple[str, str]]) -> str:
    """The elements as people read them.

    >>> readable([("00", "106141412345678908")])
    '(00) 106141412345678908'
    """
    return " ".join(f"({name}) {value}" for name, value in elements)


def _drawn(modules: str, height: int) -> SafeString:
    """One path of all bars, a unit wide for each module."""
    bars, at = [], QUIET
    for sign, run in groupby(modules):
        width = len(list(run))
        if sign == "1":
            bars.append(f"M{at} 0h{width}v{height}h-{width}z")
        at += width
    return mark_safe(
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {at + QUIET} {height}" preserveAspectRatio="none"'
        f' shape-rendering="crispEdges"><path d="{"".join(bars)}"/></svg>'
    )
