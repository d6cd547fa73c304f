"""How full a container is, drawn: its side as a box that fills by volume, a beam under it that fills by weight."""

from decimal import Decimal
from html import escape

from northing.drawings.figures import count

WIDE, HIGH, BEAM = 132, 30, 5


def percent(part: Decimal | None) -> str:
    """A part as whole per cent; empty where there is no limit.

    >>> percent(Decimal("0.624")), percent(None)
    ('62 %', '')
    """
    return "" if part is None else f"{count(round(part * 100, 0))} %"


def fill(by_volume: Decimal | None, by_weight: Decimal | None, words: str) -> str:
    """The drawing as SVG text; `words` say it to who cannot see it."""
    title = escape(words)
    return (
        f'<svg class="fill" viewBox="0 0 {WIDE} {HIGH + BEAM + 2}" width="{WIDE}" height="{HIGH + BEAM + 2}" '
        f'role="img" aria-label="{title}"><title>{title}</title>'
        f'<rect class="side" x="0.5" y="0.5" width="{WIDE - 1}" height="{HIGH - 1}"/>'
        f'{_bar("volume", by_volume, 1, HIGH - 2)}<path class="ribs" d="{_ribs()}"/>'
        f"{_bar('weight', by_weight, HIGH + 2, BEAM)}</svg>"
    )


def _bar(kind: str, part: Decimal | None, y: int, high: int) -> str:
    width = min(float(part or 0), 1.0) * (WIDE - 2)
    over = " over" if part is not None and part > 1 else ""
    return f'<rect class="{kind}{over}" x="1" y="{y}" width="{width:.1f}" height="{high}"/>'


def _ribs() -> str:
    return "".join(f"M{x} 2V{HIGH - 2}" for x in range(11, WIDE - 6, 11))
