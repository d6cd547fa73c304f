"""Lots of an item from a supplier one after the other: what part of each sample was not right, against its limit."""

from collections.abc import Sequence
from dataclasses import dataclass
from html import escape

STEP, HIGH, FOOT, HEAD, LEFT = 16, 110, 18, 8, 34


@dataclass(frozen=True)
class LotDot:
    """A lot: the units of its sample that were not right per hundred, whether it was accepted, and how it is said.

    `state` is normal, tightened or reduced inspection.
    """

    percent: float
    accepted: bool
    state: str
    says: str


def lots_line(lots: Sequence[LotDot], aql: float) -> str:
    """The lots as SVG text, the oldest first; the acceptance quality limit lies across, tightened lots stand on grey.

    >>> drawn = lots_line([LotDot(0.0, True, "normal", "lot 1"), LotDot(6.0, False, "tightened", "lot 2")], 1.0)
    >>> drawn.count("<circle"), drawn.count('class="lot-bad"'), drawn.count('class="lot-tightened"')
    (1, 1, 1)
    """
    top = max([lot.percent for lot in lots] + [aql * 2, 0.1])
    wide = LEFT + max(len(lots), 8) * STEP + STEP
    at = _scale(top)
    drawn = [
        f'<line class="lot-limit" x1="{LEFT}" x2="{wide}" y1="{at(aql):.1f}" y2="{at(aql):.1f}"/>',
        f'<text x="{LEFT - 4}" y="{at(aql) + 4:.1f}">AQL</text>',
        f'<text x="{LEFT - 4}" y="{at(top) + 8:.1f}">{top:.1f}</text>',
        f'<text x="{LEFT - 4}" y="{at(0) + 4:.1f}">0</text>',
    ]
    for place, lot in enumerate(lots):
        x, y, said = LEFT + STEP * (place + 0.5), at(lot.percent), escape(lot.says)
        if lot.state != "normal":
            drawn.append(
                f'<rect class="lot-{lot.state}" x="{x - STEP / 2:.1f}" y="{HEAD}" width="{STEP}"'
                f' height="{HIGH - FOOT - HEAD}"/>'
            )
        if lot.accepted:
            drawn.append(f'<circle cx="{x:.1f}" cy="{y:.1f}" r="4"><title>{said}</title></circle>')
        else:
            # A rejected lot is a cross, so that it is not told by colour alone.
            arms = f"M{x - 4:.1f} {y - 4:.1f}l8 8m0 -8l-8 8"
            drawn.append(f'<path class="lot-bad" d="{arms}"><title>{said}</title></path>')
    title = "Units not right per hundred looked at, lot after lot, against the acceptance quality limit"
    return (
        f'<svg class="lots-line" viewBox="0 0 {wide} {HIGH}" width="{wide}" height="{HIGH}" role="img"'
        f' aria-label="{title}"><title>{title}</title>{"".join(drawn)}</svg>'
    )


def _scale(top: float):
    """From units per hundred to a height on the sheet."""
    return lambda value: HIGH - FOOT - value / top * (HIGH - FOOT - HEAD)
