"""The cost trail as a waterfall: goods first, each cost on the shoulders of those before it."""

from collections.abc import Sequence
from decimal import Decimal
from html import escape

from northing.drawings.figures import price

WIDTH, ROW, LEFT, RIGHT = 640, 26, 130, 90


def waterfall(steps: Sequence[tuple[str, Decimal, bool]], total: Decimal, currency: str) -> str:
    """Bars per unit: (name, amount with 4 decimals, whether it is only expected); `total` is the unit cost.

    >>> waterfall([], Decimal(0), "NZD")
    ''
    """
    if not steps:
        return ""
    # The scale spans the highest point reached, so that a rebate does not leave the drawing.
    top, running = Decimal(0), Decimal(0)
    for _, amount, _ in steps:
        running += amount
        top = max(top, running)
    scale = (WIDTH - LEFT - RIGHT) / float(top) if top > 0 else 0.0
    drawn, x, y = [], Decimal(0), 4
    for name, amount, expected in steps:
        drawn.append(_bar(name, x, amount, scale, y, "expected" if expected else "billed"))
        x += amount
        y += ROW
    drawn.append(_bar("One unit landed", Decimal(0), total, scale, y + 4, "sum"))
    height = y + ROW + 8
    label = escape(f"Cost of one unit in {currency}: " + ", ".join(f"{name} {price(a, 4)}" for name, a, _ in steps))
    return (
        f'<svg class="trail" viewBox="0 0 {WIDTH} {height}" role="img" aria-label="{label}">'
        f"<title>{label}</title>{''.join(drawn)}</svg>"
    )


def _bar(name: str, start: Decimal, amount: Decimal, scale: float, y: int, kind: str) -> str:
    low, high = sorted((start, start + amount))
    left, width = LEFT + float(low) * scale, max(float(high - low) * scale, 1.5)
    return (
        f'<text class="name" x="{LEFT - 8}" y="{y + 14}" text-anchor="end">{escape(name)}</text>'
        f'<rect class="bar {kind}" x="{left:.1f}" y="{y}" width="{width:.1f}" height="18"/>'
        f'<text class="figure" x="{left + width + 6:.1f}" y="{y + 14}">{price(amount, 4)}</text>'
    )
