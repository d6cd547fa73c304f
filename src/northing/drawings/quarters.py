"""One measure of a supplier over quarters: a bar each, as high as its share of the highest."""

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

BAR, GAP, HIGH, FOOT, HEAD = 34, 8, 92, 16, 16


@dataclass(frozen=True)
class Bar:
    """A quarter: its name, the value (None: nothing to say), and how it is said."""

    name: str
    value: float | None
    says: str


def quarter_bars(title: str, bars: Sequence[Bar], *, most: float | None = None) -> str:
    """The bars as SVG text, the value over each; `most` is the top of the scale, the highest value where it is None.

    >>> drawn = quarter_bars("On time", [Bar("Q1 26", 50.0, "50 %"), Bar("Q2 26", None, "")], most=100.0)
    >>> drawn.count("<rect"), "Q1 26: 50 %" in drawn
    (1, True)
    """
    top = most or max((bar.value for bar in bars if bar.value), default=1.0)
    wide = len(bars) * (BAR + GAP) + GAP
    drawn = []
    for place, bar in enumerate(bars):
        x = GAP + place * (BAR + GAP)
        middle = x + BAR / 2
        drawn.append(f'<text x="{middle:.0f}" y="{HIGH - 4}">{escape(bar.name)}</text>')
        if bar.value is None:
            drawn.append(f'<text class="quiet" x="{middle:.0f}" y="{HIGH - FOOT - 4}">–</text>')
            continue
        high = max(min(bar.value / top, 1.0) * (HIGH - FOOT - HEAD), 1.5)
        y = HIGH - FOOT - high
        drawn.append(
            f'<rect x="{x}" y="{y:.1f}" width="{BAR}" height="{high:.1f}"><title>{escape(f"{bar.name}: {bar.says}")}'
            f'</title></rect><text x="{middle:.0f}" y="{y - 4:.1f}">{escape(bar.says)}</text>'
        )
    label = escape(f"{title}, by quarter")
    return (
        f'<svg class="quarters" viewBox="0 0 {wide} {HIGH}" width="{wide}" height="{HIGH}" role="img"'
        f' aria-label="{label}"><title>{label}</title>'
        f'<line x1="0" x2="{wide}" y1="{HIGH - FOOT + 0.5}" y2="{HIGH - FOOT + 0.5}"/>{"".join(drawn)}</svg>'
    )
