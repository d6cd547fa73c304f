"""Receipts of a contract warehouse: read from a file, looked at beside what is expected, taken or dropped."""

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.actions.receiving import told as actions
from northing.core.problems import Refused
from northing.formats.told_receipts import COLUMNS, read_told
from northing.masterdata.models import Site
from northing.receiving.models import ToldReceipt
from northing.web.common.forms import asks_only
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for
from northing.web.common.uploads import read_upload
from northing.web.orders.forms.orders import WholeForm
from northing.web.receiving.forms.told import TakeToldForm, ToldForm


def _visible(request):
    return scoped(ToldReceipt.objects.select_related("site__company", "sent_by"), request.user, "site__company")


@acts_for("receive")
def told_receipts(request):
    """Told receipts, the newest first; a file of one is read in."""
    mine = scoped(Site.objects.select_related("company").order_by("code"), request.user)
    sites = mine.filter(pk__in=[one.pk for one in mine if may(request.user, "receive", one.company_id, one.pk)])
    form = ToldForm(request.POST or None, request.FILES or None, sites=sites)
    if request.method == "POST" and form.is_valid():
        try:
            said = read_upload(form.cleaned_data["file"], read_told)
        except Refused as refused:
            form.take(refused)
        else:
            asked = actions.ToldRequest(form.cleaned_data["site"].pk, said)
            made = form.do(request, actions.read_told, lambda _: asked)
            if made:
                return redirect("told-receipt", made)
    page = page_of_rows(_visible(request).prefetch_related("receipts").order_by("-pk"), request.GET)
    context = {"form": form, "page": page, "columns": COLUMNS.items(), "sites": sites}
    return render(request, "receiving/told_receipts.html", context, status=422 if form.errors else 200)


@acts_for("receive")
def told_receipt(request, told_id: int):
    """A told receipt beside what is expected; sent, it is taken."""
    found = get_object_or_404(_visible(request), pk=told_id)
    waits = found.state == ToldReceipt.State.SHOWN
    form = TakeToldForm(request.POST or None)
    if request.method == "POST":
        made = form.do(request, actions.take_told, lambda _: form.asked(found.pk))
        if made:
            messages.success(request, f"Taken: {len(made)} receipt{'s' if len(made) > 1 else ''}.")
            return redirect("receipt", made[0]) if len(made) == 1 else redirect("told-receipt", found.pk)
    judged = actions.judge(found) if waits else [actions.Judged(row) for row in found.lines.order_by("pk")]
    wrong = sum(one.wrong for one in judged)
    short = any(one.short and not one.row.rest for one in judged)
    context = {
        "told": found,
        "waits": waits,
        "judged": judged,
        "wrong": wrong,
        "differs": sum(one.state == actions.DIFFERS for one in judged),
        "fields": [
            form[name]
            for name, shown in (("rest", short), ("reason", _unordered(judged)))
            if shown or name in form.errors
        ],
        "form": form,
        "button": "Take it anyway" if asks_only(form) and "rest" not in form.errors else "Take it",
        "allowed": may(request.user, "receive", found.site.company_id, found.site_id),
        "history": history_for(request, "told", found.pk),
    }
    return render(request, "receiving/told_receipt.html", context, status=422 if form.errors else 200)


def _unordered(judged: list[actions.Judged]) -> bool:
    return any(row.item is not None for one in judged for row in one.rows)


@acts_for("receive")
@require_POST
def drop_told(request, told_id: int):
    """Drop a told receipt."""
    found = get_object_or_404(_visible(request), pk=told_id)
    form = WholeForm(request.POST)
    if form.do(request, actions.drop_told, lambda _: actions.DropTold(found.pk)):
        messages.success(request, "Dropped.")
        return redirect("told-receipts")
    for error in form.non_field_errors():
        messages.error(request, error)
    return redirect("told-receipt", found.pk)
