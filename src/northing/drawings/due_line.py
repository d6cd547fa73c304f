"""What is due on a time line: a bar for each day, and how far a bank balance reaches."""

from collections.abc import Sequence
from datetime import date, timedelta
from decimal import Decimal
from html import escape

from northing.drawings.figures import day as said_day
from northing.drawings.figures import money

WIDE, HIGH, FOOT, DAYS = 360, 84, 18, 56
STEP = WIDE / (DAYS + 1)


def due_line(due: Sequence[tuple[date, Decimal]], today: date, currency: str, balance: Decimal | None = None) -> str:
    """The line as SVG text: what is overdue stands before today; days on which the balance is used up are told apart.

    `due` are days with amounts in base currency; what is later than eight weeks is left out.

    >>> drawn = due_line([(date(2026, 1, 1), Decimal(70)), (date(2026, 1, 9), Decimal(50))], date(2026, 1, 5), "NZD")
    >>> drawn.count("<rect"), "overdue: 70.00" in drawn
    (2, True)
    """
    sums: dict[int, Decimal] = {}
    for day, amount in due:
        place = max((day - today).days, -1)
        if place < DAYS:
            sums[place] = sums.get(place, Decimal(0)) + amount
    most = max(sums.values(), default=Decimal(0))
    drawn, left = [], balance
    for place, amount in sorted(sums.items()):
        if amount <= 0:
            continue
        left = None if left is None else left - amount
        tone = "late" if place < 0 else "short" if left is not None and left < 0 else "due"
        high = max(float(amount / most) * (HIGH - FOOT - 4), 2)
        when = "overdue" if place < 0 else said_day(today + timedelta(days=place), today.year)
        said = f"{when}: {money(amount, currency)} {currency}"
        if left is not None:
            said += f", then {money(left, currency)} is left"
        x, y = (place + 1) * STEP, HIGH - FOOT - high
        drawn.append(
            f'<rect class="due-{tone}" x="{x:.1f}" y="{y:.1f}" width="{STEP - 1:.1f}" height="{high:.1f}">'
            f"<title>{escape(said)}</title></rect>"
        )
    drawn += _weeks(today)
    title = escape(f"What is due in eight weeks, by day, in {currency}")
    return (
        f'<svg class="due-line" viewBox="0 0 {WIDE} {HIGH}" width="{WIDE}" height="{HIGH}" role="img"'
        f' aria-label="{title}"><title>{title}</title>{"".join(drawn)}</svg>'
    )


def _weeks(today: date) -> list[str]:
    """The foot: today, and every second week."""
    found = [f'<line class="due-foot" x1="0" x2="{WIDE}" y1="{HIGH - FOOT + 0.5}" y2="{HIGH - FOOT + 0.5}"/>']
    for place in range(0, DAYS, 14):
        said = "today" if place == 0 else said_day(today + timedelta(days=place), today.year)
        found.append(f'<text x="{(place + 1) * STEP:.1f}" y="{HIGH - 4}">{said}</text>')
    return found
