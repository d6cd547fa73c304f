"""The passage board as SVG: time across; voyages, their shipments and containers down.

Paper drawn like a tide table: a voyage's line with its calls as diamonds, below it a band for each shipment, in which
the plan lies as a pale ghost under what is expected, and what has happened is solid. Text is text; every mark has a
title; what can be opened is a link.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from html import escape

from northing.drawings.figures import MINUS
from northing.drawings.figures import day as say_day

HEAD, VOYAGE, BOX, GAP = 34, 24, 15, 4
LABELS = 218
# Wide enough to read a day of a week, narrow enough for half a year on a screen.
WIDTH = 1_000
MONTH = 70


@dataclass(frozen=True)
class Bar:
    """A stretch of days: what it is (ghost, expected, actual), of which mode, and what it says."""

    kind: str
    mode: str
    first: date
    last: date
    says: str


@dataclass(frozen=True)
class Mark:
    """A day that means something: a call (which can be moved where `call` is given), a need-by day, a dock day."""

    kind: str
    on: date
    says: str
    call: str = ""


@dataclass(frozen=True)
class Band:
    """A row of the board: what it is called, where it leads, what it tells, and what is drawn in it."""

    kind: str
    label: str
    href: str
    tells: str
    bars: Sequence[Bar] = ()
    marks: Sequence[Mark] = ()
    slip: int = 0
    # Of a shipment: its containers, each with the bars of its own free time.
    boxes: Sequence[tuple[str, Sequence[Bar]]] = ()

    @property
    def height(self) -> int:
        return VOYAGE if self.kind == "voyage" else max(len(self.boxes), 1) * BOX + GAP


@dataclass(frozen=True)
class Scale:
    """Days to places across."""

    first: date
    days: int

    @property
    def day(self) -> float:
        return WIDTH / self.days

    def at(self, on: date) -> float:
        """The place where a day begins, within what is drawn."""
        return min(max((on - self.first).days, 0), self.days) * self.day


def board_svg(bands: Sequence[Band], first: date, days: int, today: date) -> str:
    """The board. Its rows are links, so that they are reached by Tab and opened by Enter."""
    scale = Scale(first, days)
    high = HEAD + sum(band.height for band in bands)
    parts, y = [], HEAD
    for band in bands:
        parts.append(_band(band, scale, y, today))
        y += band.height
    now = LABELS + scale.at(today) + scale.day / 2
    return (
        f'<svg class="board" viewBox="0 0 {LABELS + WIDTH} {high}" width="{LABELS + WIDTH}" height="{high}" '
        f'data-first="{first.isoformat()}" data-day="{scale.day:.4f}" data-labels="{LABELS}" role="group" '
        f'aria-label="Passage board">{_axis(scale, high, today)}'
        f'<path class="today" d="M{now:.1f} {HEAD - 12}V{high}"/>{"".join(parts)}</svg>'
    )


def _axis(scale: Scale, high: int, today: date) -> str:
    """Months in words, weeks (or days) as fine lines with the day's number."""
    step = 1 if scale.days <= 20 else 7
    lines, texts = [], []
    for number in range(scale.days):
        on = scale.first + timedelta(days=number)
        x = LABELS + number * scale.day
        # The month one begins in is left out where the next one leaves it no room.
        if on.day == 1 or (number == 0 and (_month_end(on) - on).days * scale.day > MONTH):
            year = f" {on.year}" if on.year != today.year else ""
            texts.append(f'<text class="month" x="{x + 3:.1f}" y="12">{on:%B}{year}</text>')
        if step == 1 or on.isoweekday() == 1:
            lines.append(f"M{x:.1f} {HEAD - 8}V{high}")
            texts.append(f'<text class="tick" x="{x + 2:.1f}" y="{HEAD - 10}">{on.day}</text>')
    return f'<path class="weeks" d="{"".join(lines)}"/>{"".join(texts)}'


def _month_end(on: date) -> date:
    return (on.replace(day=1) + timedelta(days=32)).replace(day=1)


def _band(band: Band, scale: Scale, y: int, today: date) -> str:
    inner = band.height if band.kind == "voyage" else band.height - GAP
    text = escape(band.label)
    slip = _slip(band.slip, y)
    bars = _bars(band.bars, scale, y, inner)
    marks = "".join(_mark(mark, scale, y, inner) for mark in band.marks)
    boxes = "".join(
        f'<text class="box" x="{LABELS - 8}" y="{y + 11 + place * BOX}" text-anchor="end">{escape(number)}</text>'
        + _bars(own, scale, y + place * BOX, BOX)
        for place, (number, own) in enumerate(band.boxes)
    )
    name = f'<text class="name" x="4" y="{y + (16 if band.kind == "voyage" else 11)}">{text}</text>'
    tells = escape(band.tells)
    open_it = (
        f'<a href="{band.href}" data-tells="{tells}" aria-label="{tells}"><rect class="row" x="0" y="{y}" '
        f'width="{LABELS + WIDTH}" height="{band.height}"/>{name}{slip}</a>'
        if band.href
        else f"{name}{slip}"
    )
    return f'<g class="{band.kind}">{open_it}{bars}{boxes}{marks}</g>'


def _slip(days: int, y: int) -> str:
    if not days:
        return ""
    kind, said = ("late", f"+{days}") if days > 0 else ("early", f"{MINUS}{-days}")
    return f'<text class="slip {kind}" x="92" y="{y + 11}">{said} d</text>'


def _bars(bars: Iterable[Bar], scale: Scale, y: int, high: int) -> str:
    return "".join(_bar(bar, scale, y, high) for bar in bars)


def _bar(bar: Bar, scale: Scale, y: int, high: int) -> str:
    x, past = scale.at(bar.first), scale.at(bar.last + timedelta(days=1))
    if past <= x:
        return ""
    top, tall = {"ghost": (2, high - 4), "clock": (high - 4, 3)}.get(bar.kind, (4, max(high - 8, 3)))
    return (
        f'<rect class="{bar.kind} {bar.mode}" x="{LABELS + x:.1f}" y="{y + top}" width="{past - x:.1f}" '
        f'height="{tall}"><title>{escape(bar.says)}</title></rect>'
    )


def _mark(mark: Mark, scale: Scale, y: int, high: int) -> str:
    if not scale.first <= mark.on < scale.first + timedelta(days=scale.days):
        return ""
    x = LABELS + scale.at(mark.on) + scale.day / 2
    says = escape(mark.says)
    if mark.kind in ("need", "missed"):
        return f'<path class="{mark.kind}" d="M{x:.1f} {y + high - 1}l-4 -7h8z"><title>{says}</title></path>'
    shape = f"M{x - 6:.1f} {y + 12}l6 -6 6 6 -6 6z"
    if mark.call:
        return (
            f'<a class="moves" href="#{mark.call}" data-call="{mark.call}" data-on="{mark.on.isoformat()}" '
            f'data-tells="{says}" aria-label="{says}"><path class="{mark.kind}" d="{shape}"/></a>'
        )
    return f'<path class="{mark.kind}" d="{shape}"><title>{says}</title></path>'


def span(first: date, last: date, this_year: int) -> str:
    """Two days in words.

    >>> span(date(2026, 11, 3), date(2026, 12, 1), 2026)
    '3 Nov to 1 Dec'
    """
    return f"{say_day(first, this_year)} to {say_day(last, this_year)}"
