"""How far a bill is settled: one bar of its total, in the order in which it was set off and paid."""

from collections.abc import Sequence
from decimal import Decimal
from html import escape

from northing.drawings.figures import money

WIDE, HIGH = 640, 26
# What a bill's total is made of, in order; each has a tone of its own.
WORDS = {
    "advance": "paid in advance",
    "paid": "paid",
    "discount": "discount taken",
    "disputed": "in dispute",
    "open": "open",
}


def settled(parts: Sequence[tuple[str, Decimal]], currency: str) -> str:
    """The bar as SVG text; what is nothing is left out. Its title says it in words.

    >>> "370.00 open" in settled([("paid", Decimal(500)), ("open", Decimal(370))], "USD")
    True
    """
    there = [(name, amount) for name, amount in parts if amount > 0]
    whole = sum((amount for _, amount in there), Decimal(0)) or Decimal(1)
    words = [f"{money(amount, currency)} {WORDS[name]}" for name, amount in there]
    title = escape(", ".join(words))
    drawn, x = [], 0.0
    for (name, amount), said in zip(there, words, strict=True):
        wide = float(amount / whole) * WIDE
        drawn.append(f'<rect class="settled-{name}" x="{x:.1f}" width="{wide:.1f}" height="{HIGH}"/>')
        if wide > 7 * len(said):
            drawn.append(f'<text class="on-{name}" x="{x + 8:.1f}" y="17.5">{escape(said)}</text>')
        x += wide
    return (
        f'<svg class="settled" viewBox="0 0 {WIDE} {HIGH}" width="{WIDE}" height="{HIGH}" role="img"'
        f' aria-label="{title}"><title>{title}</title>{"".join(drawn)}</svg>'
    )
