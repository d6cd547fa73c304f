"""The passage board."""

from datetime import date, timedelta
from urllib.parse import urlencode

from django.shortcuts import render
from django.utils import timezone
from django.utils.safestring import mark_safe

from northing.access.permissions import companies_of
from northing.drawings.board import board_svg
from northing.reports.board import ZOOMS, Window, board
from northing.web.common.permissions import open_page
from northing.web.shipping.queries.aboard import shipments_asked
from northing.web.shipping.queries.board import bands


@open_page
def passage_board(request):
    """Voyages and containers against time; the sentence says of which lines."""
    today = timezone.localdate()
    zoom = request.GET.get("zoom", "quarter")
    zoom = zoom if zoom in ZOOMS else "quarter"
    around = _day(request.GET.get("day", ""), today)
    asked = shipments_asked(request.user, request.GET.get("where", ""), today)
    window = Window.of(zoom, around)
    voyages = board(asked.shipments, window, companies_of(request.user), today)
    step = timedelta(days=max(window.days // 3, 1))
    context = {
        "zoom": zoom,
        "zooms": list(ZOOMS),
        "where": asked.said,
        "unknown": asked.unknown,
        "around": around,
        "before": _address(zoom, around - step, asked.said),
        "after": _address(zoom, around + step, asked.said),
        "now": _address(zoom, today, asked.said),
        "voyages": len(voyages),
        "boxes": sum(len(one.boxes) for voyage in voyages for one in voyage.shipments),
        "late": sum(one.slip > 0 for voyage in voyages for one in voyage.shipments),
        "drawing": mark_safe(board_svg(bands(voyages, today), window.first, window.days, today)),
    }
    return render(request, "shipping/board.html", context)


def _day(text: str, today: date) -> date:
    try:
        day = date.fromisoformat(text)
    except ValueError:
        return today
    return day if abs((day - today).days) < 1000 else today


def _address(zoom: str, day: date, where: str) -> str:
    said = {"where": where, "zoom": zoom, "day": day.isoformat()}
    return "?" + urlencode({name: text for name, text in said.items() if text})
