"""Costs looked back at: estimate against actual, late cost of goods gone, the landed cost of an item over time."""

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.core.money.exact import plain
from northing.drawings.cost_line import CostDot, cost_line
from northing.drawings.figures import price
from northing.formats.tables import csv_line
from northing.masterdata.models import Item
from northing.reports.actual_costs import BY, compared, late_costs
from northing.reports.landed_history import Step, landed_history
from northing.reports.tariff_moves import tariff_moves
from northing.web.common.permissions import open_page
from northing.web.reports.sheets import period_of

# As many lines are drawn; the file has all.
MOST = 300
OPENS = {"shipment": "shipment", "item": "item-costs"}


@open_page
def actual(request):
    """Estimate against actual by kind, provider, lane, shipment or item; and what came late."""
    period, mine = period_of(request), companies_of(request.user)
    by = request.GET.get("by", "kind")
    by = by if by in BY else "kind"
    rows = compared(mine, by, period.first, period.through)
    if request.GET.get("as") == "csv":
        head = [by, "company", "currency", "estimated", "billed", "difference"]
        told = [
            [one.name, one.company, one.currency, plain(one.estimated), plain(one.billed), plain(one.difference)]
            for one in rows
        ]
        return _file([head, *told], f"estimate-against-actual-by-{by}.csv")
    page = OPENS.get(by)
    told = [(one, reverse(page, args=[one.key]) if page and one.key else "") for one in rows]
    context = {"rows": told, "by": by, "ways": BY, "period": period}
    context["late"] = late_costs(mine, period.first, period.through)
    return render(request, "costing/actual.html", context)


def _file(rows, name: str) -> HttpResponse:
    answer = HttpResponse("".join(csv_line(row) for row in rows), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


@open_page
def tariff(request):
    """Open lines whose duty a coming change of the tariff moves."""
    rows = tariff_moves(companies_of(request.user), timezone.localdate())
    if request.GET.get("as") == "csv":
        head = ["line", "item", "quantity", "lands", "duty_today", "duty_then", "currency", "difference"]
        told = [
            [
                f"{one.line.order.number}/{one.line.number}",
                one.line.item.code,
                plain(one.quantity),
                one.lands,
                one.before,
                one.after,
                one.currency,
                plain(one.difference),
            ]
            for one in rows
        ]
        return _file([head, *told], "tariff-moves.csv")
    return render(request, "costing/tariff_moves.html", {"rows": rows[:MOST], "all": len(rows), "most": MOST})


@open_page
def item(request, item_id: int):
    """What an item cost landed, receipt by receipt, and what moved it."""
    record = get_object_or_404(Item, pk=item_id)
    found = landed_history(record.pk, companies_of(request.user))
    if request.GET.get("as") == "csv":
        return _file(_table(found), f"{record.code}-landed-cost.csv")
    sheets = []
    for code, steps in found.items():
        currency = steps[0].layer.company.currency
        dots = [
            CostDot(
                step.layer.occurred_on,
                float(step.unit),
                float(step.parts.get("Goods", 0)),
                f"{step.layer.occurred_on:%-d %b %Y}: {price(step.unit, 4)}",
            )
            for step in steps
        ]
        sheets.append({"code": code, "currency": currency, "steps": steps[::-1], "drawing": cost_line(dots, currency)})
    return render(request, "costing/item_costs.html", {"item": record, "sheets": sheets})


def _table(found: dict[str, list[Step]]) -> list[list[object]]:
    names = list(dict.fromkeys(name for steps in found.values() for step in steps for name in step.parts))
    rows: list[list[object]] = [
        ["company", "day", "units_kept", "currency", "landed_each", *(n.lower() for n in names)]
    ]
    for code, steps in found.items():
        for step in steps:
            parts = [plain(step.parts[name]) if name in step.parts else "" for name in names]
            layer = step.layer
            rows.append([code, layer.occurred_on, plain(step.kept), layer.company.currency, plain(step.unit), *parts])
    return rows
