"""The passage board."""

from datetime import date, timedelta
from urllib.parse import urlencode

from django.shortcuts import render
from django.utils import timezone
from django.utils.safestring import mark_safe

from northing.core.sentence import read_sentence, say
from northing.desk.queries.board import bands
from northing.desk.queries.book.where import where
from northing.directory.rights import companies_of
from northing.drawings.board import board_svg
from northing.reports.board import ZOOMS, Window, board, with_lines
from northing.shipping.queries import visible_shipments
from northing.standing.models import LineStanding

MOST_LINES = 50_000


def passage_board(request):
    """Voyages and containers against time; the sentence says of which lines."""
    today = timezone.localdate()
    zoom = request.GET.get("zoom", "quarter")
    zoom = zoom if zoom in ZOOMS else "quarter"
    around = _day(request.GET.get("day", ""), today)
    clauses = read_sentence(request.GET.get("where", ""), today)
    mine = companies_of(request.user)
    shipments = visible_shipments(request.user)
    unknown: list[str] = []
    if clauses:
        asked = where(clauses, mine, today)
        unknown = asked.unknown
        table = LineStanding._meta.db_table
        sql = f"select b.line_id from {table} b where {asked.text()} limit {MOST_LINES}"
        lines = [row.pk for row in LineStanding.objects.raw(sql, asked.values)]
        shipments = with_lines(shipments, lines)
    window = Window.of(zoom, around)
    voyages = board(shipments, window, mine, today)
    step = timedelta(days=max(window.days // 3, 1))
    context = {
        "zoom": zoom,
        "zooms": list(ZOOMS),
        "where": say(clauses),
        "unknown": unknown,
        "around": around,
        "before": _address(zoom, around - step, clauses),
        "after": _address(zoom, around + step, clauses),
        "now": _address(zoom, today, clauses),
        "voyages": len(voyages),
        "boxes": sum(len(one.boxes) for voyage in voyages for one in voyage.shipments),
        "late": sum(one.slip > 0 for voyage in voyages for one in voyage.shipments),
        "drawing": mark_safe(board_svg(bands(voyages, today), window.first, window.days, today)),
    }
    return render(request, "desk/board.html", context)


def _day(text: str, today: date) -> date:
    try:
        day = date.fromisoformat(text)
    except ValueError:
        return today
    return day if abs((day - today).days) < 1000 else today


def _address(zoom: str, day: date, clauses) -> str:
    said = {"where": say(clauses), "zoom": zoom, "day": day.isoformat()}
    return "?" + urlencode({name: text for name, text in said.items() if text})
