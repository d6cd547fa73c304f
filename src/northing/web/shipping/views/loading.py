"""The loading list, and the surface on which a shipment is built."""

import json
from decimal import Decimal, InvalidOperation
from urllib.parse import urlencode

from django.contrib import messages
from django.http import JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of, may_somewhere
from northing.actions.shipping.build import build
from northing.core.planning.loading import TYPES, propose
from northing.masterdata.models import RouteLeg
from northing.orders.models import Instalment
from northing.shipping.models import CARRIED, PortCall, Shipment
from northing.shipping.queries import packing_mark, visible_shipments
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, form_for, open_page
from northing.web.shipping.forms.loading import LoadForm
from northing.web.shipping.queries import loading

MOST_PROPOSED = 2_000


@open_page
def loading_list(request):
    """Instalments that are not packed yet."""
    asked = loading.Asked.of(request.GET)
    parts = loading.waiting(request.user, asked)
    page = page_of_rows(loading.with_records(parts), request.GET)
    context = {
        "asked": asked,
        "page": page,
        "parts": page.rows,
        "groups": loading.groups(parts, asked),
        "group_by": loading.GROUPS.items(),
        "totals": loading.totals(parts),
        "shipments": visible_shipments(request.user).filter(departed_on=None).order_by("-pk")[:40],
        "query": request.GET.urlencode(),
        **loading.choices(request.user),
    }
    return render(request, "shipping/loading_list.html", context)


@form_for("pack")
def load_new(request):
    """A new shipment; or, with `into`, one that is open."""
    into = request.GET.get("into", "")
    if request.method == "GET" and into.isascii() and into.isdigit() and len(into) < 18:
        found = get_object_or_404(visible_shipments(request.user), pk=into)
        return redirect(f"{reverse('load', args=[found.pk])}?{urlencode({'part': _picked(request)}, doseq=True)}")
    return _surface(request, None)


@form_for("pack")
def load(request, shipment_id: int):
    """A shipment that is open: what is in which container."""
    found = get_object_or_404(visible_shipments(request.user), pk=shipment_id)
    if found.departed_on:
        messages.error(request, f"{found} departed on {found.departed_on:%-d %b %Y}; what is aboard stays.")
        return redirect("shipment", found.pk)
    return _surface(request, found)


def _surface(request, shipment: Shipment | None):
    posted = request.method == "POST"
    initial = {"seen": packing_mark(shipment.pk, companies_of(request.user))} if shipment else {}
    form = LoadForm(request.POST or None, shipment=shipment, initial=initial)
    columns = form.columns() if posted else loading.columns_of(shipment)
    if posted:
        done = form.do(request, build, lambda _: form.asked(columns))
        if done:
            for warning in done["warnings"]:
                messages.warning(request, warning)
            messages.success(request, "The shipment is loaded as you said.")
            return redirect("shipment", done["shipment"])
    picked = _picked(request)
    rows = loading.rows_of(request.user, shipment, columns, picked)
    if posted:
        form.overlay(rows, columns)
    asks = [problem for problem in getattr(form, "refused", []) if problem.strength == "ask"]
    context = {
        "shipment": shipment,
        "form": form,
        "columns": columns,
        "rows": rows,
        "picked": picked,
        "types": loading.SIZE_TYPES,
        "may_decide": may_somewhere(request.user, "decide_answer"),
        "asks": [problem for problem in asks if problem.where != "accept"],
        "asks_late": any(problem.where == "accept" for problem in asks),
        "facts": {
            "types": {one.code: [float(one.volume), float(one.payload)] for one in TYPES.values()},
            "routes": _routes(),
            "sailings": _sailings(form),
        },
    }
    return render(request, "shipping/load.html", context, status=422 if posted else 200)


def _picked(request) -> list[int]:
    """The instalments (ids) that were picked; with `all`, those that the list's filters find."""
    said = request.POST if request.method == "POST" else request.GET
    if said.get("all"):
        parts = loading.waiting(request.user, loading.Asked.of(said))
        return list(parts.values_list("pk", flat=True)[: loading.MOST])
    keys = [key for text in said.getlist("part") for key in text.split(",")]
    return [int(key) for key in keys if key.isascii() and key.isdigit() and len(key) < 18][: loading.MOST]


def _routes() -> dict[str, list[list[str]]]:
    """The ports between which a vessel carries goods on each route, leg by leg."""
    found: dict[str, list[list[str]]] = {}
    for leg in RouteLeg.objects.filter(mode__in=CARRIED).order_by("route", "number"):
        found.setdefault(leg.route, []).append([leg.origin, leg.destination])
    return found


def _sailings(form: LoadForm) -> dict[int, list[list]]:
    """The ports of each voyage that can be chosen, with the days it leaves and arrives."""
    found: dict[int, list[list]] = {}
    calls = PortCall.objects.filter(voyage__in=form.fields["voyage"].queryset, omitted=False)
    for call in calls.order_by("voyage", "number"):
        days = [day.isoformat() if day else "" for day in (call.expected_arrival, call.expected_departure)]
        found.setdefault(call.voyage_id, []).append([call.port_id, *days])
    return found


@acts_for("pack")
@require_POST
def propose_loading(request):
    """Which containers, and what goes in which, for quantities of instalments: {"rows": {id: quantity}}."""
    try:
        said = json.loads(request.body)
        quantities = {int(key): Decimal(str(value)) for key, value in said["rows"].items()}
    except (ValueError, KeyError, TypeError, AttributeError, InvalidOperation, RecursionError):
        return JsonResponse({"says": "Send rows: quantities by instalment."}, status=422)
    if len(quantities) > MOST_PROPOSED or not all(
        value.is_finite() and 0 < value < 10**12 and 0 < key < 2**62 for key, value in quantities.items()
    ):
        return JsonResponse({"says": "Send quantities above 0, of 2,000 instalments at most."}, status=422)
    there = dict(
        Instalment.objects.filter(pk__in=list(quantities), position__isnull=False).values_list(
            "pk", "position__with_supplier"
        )
    )
    wanted = {key: min(value, there[key]) for key, value in quantities.items() if there.get(key)}
    try:
        boxes = propose(loading.wanted_parts(request.user, wanted), loading.DRY_TYPES)
    except ValueError as error:
        return JsonResponse({"says": f"No loading can be proposed: {error}."}, status=422)
    return JsonResponse(
        {
            "boxes": [
                {"type": box.type.code, "rows": [[key, format(q.normalize(), "f")] for key, q in box.rows]}
                for box in boxes
            ]
        }
    )
