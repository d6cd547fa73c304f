"""The position strip: one bar per line, one segment per place, in the order goods travel."""

from collections.abc import Mapping
from decimal import Decimal
from html import escape

from northing.core.positions.places import WORDS
from northing.drawings.figures import count

# Width, height and baseline of the figures: in a table's row, and alone on a line's page.
ROW, ALONE = (168, 14, 10.5), (820, 28, 18.5)
ORDER = (
    "not_agreed",
    "agreed",
    "packed",
    "under_way",
    "landed",
    "held",
    "in_store",
    "issued",
    "rejected",
    "authorised",
    "returned",
    "scrapped",
    "missing",
    "lost",
    "dropped",
)
_LABELS = (
    WORDS
    | {"agreed": "with supplier, agreed", "not_agreed": "with supplier, not agreed"}
    | {"authorised": "may go back"}
)
_ZERO = Decimal(0)


def segments(position: Mapping[str, Decimal], agreed: Decimal) -> list[tuple[str, Decimal]]:
    """(place, quantity) of every place that holds something, with the supplier's part in two tones.

    `agreed` counts the whole instalment; what has left the supplier was agreed first.

    >>> segments({"with_supplier": Decimal(5), "packed": Decimal(3)}, Decimal(6))
    [('not_agreed', Decimal('2')), ('agreed', Decimal('3')), ('packed', Decimal('3'))]
    """
    there = position.get("with_supplier", _ZERO)
    left = sum((position.get(name, _ZERO) for name in ORDER if name in position), _ZERO)
    agreed_there = max(_ZERO, min(there, agreed - left))
    parts = {**position, "agreed": agreed_there, "not_agreed": there - agreed_there}
    return [(name, parts[name]) for name in ORDER if parts.get(name, _ZERO) > 0]


def strip(position: Mapping[str, Decimal], agreed: Decimal, unit: str = "", size: tuple[int, int, float] = ROW) -> str:
    """The strip as SVG text; its title says in words what the bar shows.

    >>> strip({}, _ZERO)
    '<span class="quiet">not sent yet</span>'
    """
    parts = segments(position, agreed)
    if not parts:
        return '<span class="quiet">not sent yet</span>'
    total = sum(quantity for _, quantity in parts)
    words = ", ".join(f"{count(quantity)} {_LABELS[name]}" for name, quantity in parts)
    drawn, x = [], 0.0
    wide, high, baseline = size
    for name, quantity in parts:
        width = max(2.0, float(quantity / total) * (wide - 2 * len(parts)) + 2)
        drawn.append(f'<rect class="seg {name}" x="{x:.1f}" width="{width:.1f}" height="{high}"/>')
        if width > 34:
            drawn.append(f'<text class="on-{name}" x="{x + 4:.1f}" y="{baseline}">{count(quantity)}</text>')
        x += width
    title = escape(f"{words} {unit}".strip())
    return (
        f'<svg class="strip" viewBox="0 0 {wide} {high}" width="{wide}" height="{high}" role="img" '
        f'aria-label="{title}"><title>{title}</title>{"".join(drawn)}</svg>'
    )


def legend(position: Mapping[str, Decimal], agreed: Decimal) -> str:
    """The same segments as a list in words, each with its swatch."""
    items = "".join(
        f'<li><svg class="strip" width="14" height="12" aria-hidden="true"><rect class="seg {name}" x="1" y="1" '
        f'width="12" height="10"/></svg>{count(quantity)} {_LABELS[name]}</li>'
        for name, quantity in segments(position, agreed)
    )
    return f'<ul class="legend">{items}</ul>' if items else ""
