"""Costs looked back at: estimate against actual, late cost of goods gone, the landed cost of an item over time."""

from django.db.models import F
from django.db.models.functions import Abs
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.customs.models import TariffChange, TariffMove
from northing.customs.queries import changes_told
from northing.drawings.cost_line import CostDot, cost_line
from northing.drawings.figures import price
from northing.drawings.trail import waterfall
from northing.masterdata.models import Item
from northing.orders.models import OrderLine
from northing.reports.actual_costs import BY, Compared, compared, late_costs
from northing.reports.cost_sheet import order_sheet
from northing.reports.landed_history import GOODS, Step, landed_history
from northing.reports.tariff_moves import Moved, tariff_moves
from northing.web.common.keys import key_of
from northing.web.common.permissions import open_page
from northing.web.common.tables import asked_kind, table_file
from northing.web.reports.sheets import Period, period_of

# As many lines are drawn; the file has all.
MOST = 300
OPENS = {"shipment": "shipment", "item": "item-costs"}


@open_page
def actual(request):
    """Estimate against actual by kind, provider, lane, shipment or item; and what came late."""
    period, mine = period_of(request), companies_of(request.user)
    by = request.GET.get("by", "kind")
    by = by if by in BY else "kind"
    kind, provider = request.GET.get("kind", "")[:20], key_of(request.GET.get("provider", ""))
    rows = compared(mine, by, period.first, period.through, kind, provider)
    if kind := asked_kind(request):
        columns = (by, "company", "currency", "estimated", "billed", "difference")
        told = ((one.name, one.company, one.currency, one.estimated, one.billed, one.difference) for one in rows)
        return table_file(f"estimate-against-actual-by-{by}", kind, columns, told)
    told = [(one, _opens(by, one, period)) for one in rows]
    context = {"rows": told, "by": by, "ways": BY, "period": period}
    context["late"] = late_costs(mine, period.first, period.through)
    return render(request, "costing/actual.html", context)


def _opens(by: str, one: Compared, period: Period) -> str:
    """The address of what is behind a row: its shipment or item; of a kind or provider its shipments."""
    if by in OPENS and one.key:
        return reverse(OPENS[by], args=[one.key])
    return f"?{period.query}&by=shipment&{by}={one.key}" if by in ("kind", "provider") else ""


@open_page
def tariff(request):
    """Open lines whose duty a coming change of the tariff moves."""
    rows = tariff_moves(companies_of(request.user), timezone.localdate())
    if kind := asked_kind(request):
        columns = ("line", "item", "quantity", "lands", "duty_today", "duty_then", "currency", "difference")
        return table_file("tariff-moves", kind, columns, map(_moved, rows))
    context = {"rows": rows[:MOST], "all": len(rows), "most": MOST, "changes": changes_told(companies_of(request.user))}
    return render(request, "costing/tariff_moves.html", context)


@open_page
def tariff_change(request, change_id: int):
    """Open lines whose expected landed cost a change of the tariff moves."""
    mine = companies_of(request.user)
    change = get_object_or_404(TariffChange.objects.select_related("job__person"), pk=change_id)
    moves = change.moves.filter(line__order__company__in=mine).select_related("line__item", "line__order__company")
    moves = moves.annotate(difference=F("after") - F("before")).order_by(Abs("difference").desc(), "pk")
    if kind := asked_kind(request):
        columns = ("line", "item", "quantity", "duty_before", "duty_after", "currency", "before", "after", "difference")
        return table_file(f"tariff-change-{change.pk}", kind, columns, map(_change_row, moves))
    told = {"change": change, "moves": moves[:MOST], "all": moves.count(), "most": MOST}
    return render(request, "costing/tariff_change.html", told)


def _change_row(one: TariffMove) -> tuple[object, ...]:
    order = one.line.order
    head = (f"{order.number}/{one.line.number}", one.line.item.code, one.quantity, one.duty_before, one.duty_after)
    return (*head, order.company.currency, one.before, one.after, one.after - one.before)


@open_page
def item(request, item_id: int):
    """What an item cost landed, receipt by receipt, and what moved it."""
    record = get_object_or_404(Item, pk=item_id)
    found = landed_history(record.pk, companies_of(request.user))
    if kind := asked_kind(request):
        return table_file(f"{record.code}-landed-cost", kind, *_table(found))
    sheets = []
    for code, steps in found.items():
        currency = steps[0].layer.company.currency
        dots = [
            CostDot(
                step.layer.occurred_on,
                float(step.unit),
                None if step.opening else float(step.parts.get(GOODS, 0)),
                f"{step.layer.occurred_on:%-d %b %Y}: {price(step.unit, 4)}",
            )
            for step in steps
        ]
        sheets.append({"code": code, "currency": currency, "steps": steps[::-1], "drawing": cost_line(dots, currency)})
    return render(request, "costing/item_costs.html", {"item": record, "sheets": sheets})


@open_page
def line(request, line_id: int):
    """What a line costs, part by part, and how one unit of it comes to its landed cost."""
    found = OrderLine.objects.select_related("order__supplier", "order__company", "order__site", "item")
    own = scoped(found.prefetch_related("instalments__position"), request.user, "order__company")
    record = get_object_or_404(own, pk=line_id)
    sheet = None if record.order.cancelled_at else order_sheet(record.order, [record], timezone.localdate())
    drawing = waterfall(sheet.steps, sheet.unit, sheet.company.currency) if sheet and sheet.unit is not None else ""
    return render(request, "costing/line_costs.html", {"line": record, "sheet": sheet, "drawing": drawing})


def _table(found: dict[str, list[Step]]) -> tuple[list[str], list[tuple[object, ...]]]:
    """The columns, one for each part of the cost, and a row for each receipt."""
    names = list(dict.fromkeys(name for steps in found.values() for step in steps for name in step.parts))
    rows = [
        (code, step.layer.occurred_on, step.kept, step.layer.company.currency, step.unit, *map(step.parts.get, names))
        for code, steps in found.items()
        for step in steps
    ]
    return ["company", "day", "units_kept", "currency", "landed_each", *(name.lower() for name in names)], rows


def _moved(one: Moved) -> tuple[object, ...]:
    line = f"{one.line.order.number}/{one.line.number}"
    facts = (one.quantity, one.lands, one.before, one.after, one.currency, one.difference)
    return line, one.line.item.code, *facts
