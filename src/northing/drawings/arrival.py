"""The day of arrival as a range, drawn: how likely each day is, up to the likely and the safe day; the need-by day."""

from collections.abc import Mapping
from datetime import date, timedelta
from html import escape

from northing.drawings.figures import day as say_day

WIDE, HIGH, FOOT = 300, 30, 14
# More days than these are not drawn: what little lies beyond is in the words.
MOST_DAYS = 75
SHARE = 0.995


def arrival(
    spread: Mapping[int, float], base: date, likely: date, safe: date, need_by: date | None, this_year: int
) -> str:
    """The drawing as SVG text; `spread` is the chance of each day, counted from `base`."""
    first, last = _ends(spread)
    needed = (need_by - base).days if need_by else first
    # The need-by day is drawn where it is near; however far it is, the days themselves are.
    if max(last, needed) - min(first, needed) <= MOST_DAYS:
        first, last = min(first, needed), max(last, needed)
    last = min(last, first + MOST_DAYS)
    step = WIDE / (last - first + 1)
    highest = max(spread.values())
    start = base + timedelta(days=first)
    bars = "".join(
        _bar(
            base + timedelta(days=days), part / highest, (days - first) * step, step, (likely, safe, need_by), this_year
        )
        for days, part in sorted(spread.items())
        if first <= days <= last
    )
    need = _need((needed - first) * step + step / 2) if need_by and first <= needed <= last else ""
    named = f"{_name(likely, start, step, this_year)}{_name(safe, start, step, this_year, likely)}"
    words = f"Likely {say_day(likely, this_year)}, safely {say_day(safe, this_year)}"
    words += f", needed by {say_day(need_by, this_year)}" if need_by else ""
    return (
        f'<svg class="arrival" viewBox="0 0 {WIDE} {HIGH + FOOT}" width="{WIDE}" height="{HIGH + FOOT}" role="img" '
        f'aria-label="{escape(words)}">{bars}<path class="floor" d="M0 {HIGH}.5H{WIDE}"/>{need}{named}</svg>'
    )


def _ends(spread: Mapping[int, float]) -> tuple[int, int]:
    """The first day, and the last that still counts."""
    seen = 0.0
    for days in sorted(spread):
        seen += spread[days]
        if seen >= SHARE:
            break
    return min(spread), days


def _bar(on: date, part: float, x: float, wide: float, marks: tuple[date, date, date | None], this_year: int) -> str:
    likely, safe, need_by = marks
    kind = "sure" if on <= likely else "safe" if on <= safe else "tail"
    kind += " missed" if need_by and on > need_by else ""
    high = max(part * (HIGH - 2), 0.6)
    place = f'x="{x:.1f}" y="{HIGH - high:.1f}" width="{max(wide - 0.6, 0.6):.1f}" height="{high:.1f}"'
    return f'<rect class="{kind}" {place}><title>{say_day(on, this_year)}</title></rect>'


def _need(x: float) -> str:
    return f'<path class="need" d="M{x:.1f} 0V{HIGH}m-3.5 0h7l-3.5 6z"/>'


def _name(on: date, start: date, step: float, this_year: int, beside: date | None = None) -> str:
    """A day's name under its bar; the second is left out where the first takes its room."""
    if beside is not None and (on - beside).days * step < 46:
        return ""
    x = min(max((on - start).days * step + step / 2, 20), WIDE - 20)
    return f'<text x="{x:.1f}" y="{HIGH + 11}" text-anchor="middle">{say_day(on, this_year)}</text>'
