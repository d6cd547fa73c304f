"""The landed cost of one unit over time: a dot for each receipt, the price of the goods alone below it."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from html import escape

WIDE, HIGH, LEFT, FOOT, HEAD, RIGHT = 720, 190, 64, 26, 14, 16


@dataclass(frozen=True)
class CostDot:
    """A receipt: its day, the landed cost of one unit, that of the goods alone (None: not known), how it is said."""

    day: date
    landed: float
    goods: float | None
    says: str


def cost_line(dots: Sequence[CostDot], currency: str) -> str:
    """The line as SVG text, the oldest first; empty where there is nothing to draw.

    >>> two = [CostDot(date(2026, 5, 4), 3.2, 2.0, "4 May"), CostDot(date(2026, 6, 4), 3.5, 2.0, "")]
    >>> cost_line(two, "NZD").count("<circle")
    2
    """
    if not dots:
        return ""
    days = [dot.day.toordinal() for dot in dots]
    span, top = max(days[-1] - days[0], 1), max(max(dot.landed for dot in dots), 0.0001) * 1.08

    def x(day: int) -> float:
        return LEFT + (WIDE - LEFT - RIGHT) * ((day - days[0]) / span if len(set(days)) > 1 else 0.5)

    def y(cost: float) -> float:
        return HIGH - FOOT - (HIGH - FOOT - HEAD) * max(cost, 0) / top

    def path(costs: Sequence[float | None]) -> str:
        points = zip(days, costs, strict=True)
        return " ".join(f"{x(day):.1f},{y(cost):.1f}" for day, cost in points if cost is not None)

    landed, goods = [dot.landed for dot in dots], [dot.goods for dot in dots]
    marks = {max(landed), min(cost for cost in (*goods, *landed) if cost is not None)}
    drawn = [
        f'<text x="{LEFT - 6}" y="{y(cost) + 4:.1f}" text-anchor="end">{cost:.4g}</text>' for cost in sorted(marks)
    ]
    drawn += [
        f'<polyline class="goods" points="{path(goods)}"/>',
        f'<polyline class="landed" points="{path(landed)}"/>',
    ]
    drawn += [
        f'<circle cx="{x(day):.1f}" cy="{y(dot.landed):.1f}" r="4"><title>{escape(dot.says)}</title></circle>'
        for day, dot in zip(days, dots, strict=True)
    ]
    ends = [(dots[0], "start"), (dots[-1], "end")] if days[0] != days[-1] else [(dots[0], "middle")]
    drawn += [
        f'<text x="{x(dot.day.toordinal()):.1f}" y="{HIGH - 8}" text-anchor="{anchor}">{dot.day:%-d %b %Y}</text>'
        for dot, anchor in ends
    ]
    label = escape(f"Landed cost of one unit in {currency}, {len(dots)} receipts")
    return f'<svg class="cost-line" viewBox="0 0 {WIDE} {HIGH}" role="img" aria-label="{label}">{"".join(drawn)}</svg>'
