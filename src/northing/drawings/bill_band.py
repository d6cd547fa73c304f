"""One line of a bill as bars on one scale: what was ordered, what is ours, what is billed already and now."""

from decimal import Decimal
from html import escape

from northing.drawings.figures import count

WIDE, BAR, GAP = 230, 13, 4
ROWS = ("ordered", "ours", "billed")


def band(ordered: Decimal, ours: Decimal, billed: Decimal, now: Decimal, unit: str = "") -> str:
    """The bars as SVG text; the title says them in words.

    >>> "60 ours" in band(Decimal(100), Decimal(60), Decimal(0), Decimal(60), "pc")
    True
    """
    whole = max(ordered, ours, billed + now, Decimal(1))
    words = f"{count(ordered)} ordered, {count(ours)} ours, {count(billed)} billed before, {count(now)} on this bill"
    title = escape(f"{words} {unit}".strip())
    parts = []
    for place, (name, units) in enumerate(zip(ROWS, (ordered, ours, billed), strict=True)):
        y = place * (BAR + GAP)
        wide = _wide(units, whole)
        parts.append(f'<rect class="bill-{name}" x="0" y="{y}" width="{wide:.1f}" height="{BAR}"/>')
        if name == "billed":
            parts.append(
                f'<rect class="bill-now" x="{wide:.1f}" y="{y}" width="{_wide(now, whole):.1f}" height="{BAR}"/>'
            )
        shown = count(units + now) if name == "billed" else count(units)
        parts.append(
            f'<text x="{WIDE + 8}" y="{y + BAR - 2.5}">{shown} {"on bills" if name == "billed" else name}</text>'
        )
    high = 3 * BAR + 2 * GAP
    return (
        f'<svg class="bill-band" viewBox="0 0 {WIDE + 115} {high}" width="{WIDE + 115}" height="{high}" role="img"'
        f' data-whole="{whole}" aria-label="{title}"><title>{title}</title>{"".join(parts)}</svg>'
    )


def _wide(units: Decimal, whole: Decimal) -> float:
    return float(units / whole) * WIDE
