"""Despatch notices: read from a file, looked at beside what was agreed, taken into a shipment or dropped."""

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of
from northing.actions.shipping import despatch_notices
from northing.core.problems import Refused
from northing.formats.despatch import COLUMNS, read_notice
from northing.masterdata.models import RouteLeg
from northing.shipping.models import CARRIED, DespatchNotice, PortCall, Voyage
from northing.shipping.queries import open_voyages, visible_notices, visible_shipments
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for
from northing.web.common.uploads import read_upload
from northing.web.orders.forms.orders import WholeForm
from northing.web.shipping.forms.despatch_notices import NoticeForm, TakeForm


@acts_for("pack")
def notices(request):
    """Notices, what waits first; a file of one taken in."""
    form = NoticeForm(request.POST or None, request.FILES or None)
    if request.method == "POST" and form.is_valid():
        supplier = form.cleaned_data["supplier"]
        try:
            said = read_upload(form.cleaned_data["file"], read_notice)
        except Refused as refused:
            form.take(refused)
        else:
            asked = despatch_notices.NoticeRequest(said, supplier.pk if supplier else None)
            made = form.do(request, despatch_notices.read, lambda _: asked)
            if made:
                return redirect("notice", made)
    rows = visible_notices(request.user).select_related("supplier", "sent_by", "shipment")
    page = page_of_rows(rows.order_by("-pk"), request.GET)
    context = {"form": form, "page": page, "columns": COLUMNS.items()}
    return render(request, "shipping/despatch_notices.html", context, status=422 if form.errors else 200)


@acts_for("pack")
def notice(request, notice_id: int):
    """A notice beside what was agreed; sent, it is taken."""
    found = get_object_or_404(visible_notices(request.user).select_related("supplier", "shipment"), pk=notice_id)
    judged = despatch_notices.judge(found, companies_of(request.user))
    open_ones = visible_shipments(request.user).filter(departed_on=None).order_by("-pk")
    form = TakeForm(request.POST or None, shipments=open_ones, initial=_likely(found, judged))
    if request.method == "POST":
        done = form.do(request, despatch_notices.take, lambda _: form.asked(found.pk))
        if done:
            for warning in done["warnings"]:
                messages.warning(request, warning)
            messages.success(request, "The notice is taken; its containers are loaded.")
            return redirect("shipment", done["shipment"])
    context = {
        "notice": found,
        "judged": judged,
        "counts": despatch_notices.summary(judged),
        "labels": _labels_word(len({one.row.sscc or one.row.pk for one in judged if one.line})),
        "form": form,
        "asks": any(problem.strength == "ask" for problem in getattr(form, "refused", [])),
        "history": history_for(request, "notice", found.pk),
    }
    return render(request, "shipping/despatch_notice.html", context, status=422 if form.errors else 200)


def _labels_word(count: int) -> str:
    return f"{count} label{'s' if count > 1 else ''}" if count else ""


def _likely(found: DespatchNotice, judged: list[despatch_notices.Judged]) -> dict:
    """The voyage that the notice names, and the route it sails to where the goods go."""
    likely: dict = {}
    voyage = None
    if found.voyage or found.imo:
        named = open_voyages()
        named = named.filter(imo=found.imo) if found.imo else named
        voyage = (named.filter(number=found.voyage) if found.voyage else named).order_by("pk").first()
    if voyage is not None:
        likely["voyage"] = voyage.pk
    sites = {one.line.order.site.name for one in judged if one.line}
    if len(sites) == 1:
        likely["route"] = _route_to(sites.pop(), voyage)
    return likely


def _route_to(site: str, voyage: Voyage | None) -> str:
    ends = RouteLeg.objects.filter(destination=site).values_list("route", flat=True)
    routes = RouteLeg.objects.filter(route__in=list(ends), mode__in=CARRIED)
    if voyage is None:
        return ""
    ports = list(PortCall.objects.filter(voyage=voyage).order_by("number").values_list("port", flat=True))
    for route, origin, destination in routes.order_by("route", "number").values_list("route", "origin", "destination"):
        if origin in ports and destination in ports and ports.index(origin) < ports.index(destination):
            return route
    return ""


@acts_for("pack")
@require_POST
def drop_notice(request, notice_id: int):
    """Drop a notice."""
    found = get_object_or_404(visible_notices(request.user), pk=notice_id)
    form = WholeForm(request.POST)
    if form.do(request, despatch_notices.drop, lambda _: despatch_notices.DropRequest(found.pk)):
        messages.success(request, "Dropped.")
        return redirect("notices")
    for error in form.non_field_errors():
        messages.error(request, error)
    return redirect("notice", found.pk)
