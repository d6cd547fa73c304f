"""A line, a bill or a unit cost as a scenario, to download."""

import json

from django.contrib import messages
from django.db.models import Q
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.billing.models import Bill
from northing.costing.models import ChargeShare
from northing.ledger.models import CostLayer
from northing.orders.models import OrderLine
from northing.reports.as_scenario import TooMuch, as_scenario, opening_as_scenario
from northing.web.common.addresses import address_of
from northing.web.common.permissions import open_page


@open_page
def of_line(request, line_id: int):
    """An order line as a scenario."""
    line = get_object_or_404(scoped(OrderLine.objects.all(), request.user, "order__company"), pk=line_id)
    return _file(request, {line.pk}, "line", line.pk)


@open_page
def of_bill(request, bill_id: int):
    """The lines that bear a bill as a scenario."""
    mine = companies_of(request.user)
    bills = Bill.objects.filter(Q(company__in=mine) | Q(lines__parts__company__in=mine)).distinct()
    bill = get_object_or_404(bills, pk=bill_id)
    borne = ChargeShare.objects.filter(charge__bill_lines__bill=bill).values_list("order_line", flat=True)
    goods = bill.lines.filter(order_line__isnull=False).values_list("order_line", flat=True)
    of_case = "case__layer__shipment_line__instalment__line"
    cases = bill.lines.filter(case__isnull=False).values_list(of_case, flat=True)
    return _file(request, {*borne, *goods, *cases}, "bill", bill.pk)


@open_page
def of_layer(request, layer_id: int):
    """The line behind a unit cost, or the opening it is of, as a scenario."""
    layers = CostLayer.objects.select_related("shipment_line__instalment")
    layer = get_object_or_404(scoped(layers, request.user), pk=layer_id)
    if layer.shipment_line is None:
        return _given(opening_as_scenario(layer.pk), "layer", layer.pk)
    return _file(request, {layer.shipment_line.instalment.line_id}, "layer", layer.pk)


def _file(request, lines: set[int], kind: str, record: int) -> HttpResponse:
    try:
        found = as_scenario(lines, companies_of(request.user))
    except TooMuch as error:
        messages.error(request, f"No file was made. {error}")
        return redirect(address_of(kind, record))
    return _given(found, kind, record)


def _given(found: dict, kind: str, record: int) -> HttpResponse:
    answer = HttpResponse(json.dumps(found, indent=1), content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="scenario-{kind}-{record}.json"'
    return answer
