"""Goods between two sites of a company: what is on its way, and its arrival."""

from django.db.models import Exists, F, OuterRef, Q
from django.shortcuts import get_object_or_404, redirect, render

from northing.access.permissions import companies_of, may
from northing.actions.inventory.transfer import arrive_goods
from northing.inventory.models import Transfer, TransferLine
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, open_page
from northing.web.common.reversals import say_done
from northing.web.inventory.forms.transfers import ArriveForm


def _mine(request):
    found = Transfer.objects.filter(company__in=companies_of(request.user))
    return found.select_related("source", "target", "company", "sent_by", "history")


@open_page
def transfers(request):
    """Goods sent from site to site: what is on its way first."""
    left = TransferLine.objects.filter(transfer=OuterRef("pk"), ended__lt=F("quantity"))
    found = _mine(request).annotate(is_open=Exists(left))
    site = request.GET.get("site", "")[:8]
    if site:
        found = found.filter(Q(target__code=site) | Q(source__code=site))
    page = page_of_rows(found.order_by("-is_open", "-pk"), request.GET)
    return render(request, "inventory/transfers.html", {"rows": page.rows, "page": page})


@acts_for("issue_stock")
def transfer(request, transfer_id: int):
    """A transfer: what left, what arrived, and the arrival of the rest."""
    record = get_object_or_404(_mine(request), pk=transfer_id)
    lines = list(record.lines.select_related("layer__item", "source__site", "dock").order_by("pk"))
    left = [line for line in lines if line.left]
    form = ArriveForm(request.POST or None, transfer=record, lines=left)
    done = form.do(request, arrive_goods, lambda _: form.asked()) if request.method == "POST" else None
    if done:
        words = "They lie where they left." if "back" in request.POST else "Arrived."
        say_done(request, words, "undo-move", done)
        return redirect("transfer", record.pk)
    context = {
        "transfer": record,
        "lines": lines,
        "form": form,
        "allowed": may(request.user, "issue_stock", record.company_id, record.target_id),
        "arrivals": record.arrivals.select_related("history", "moved_by").order_by("-pk"),
    }
    return render(request, "inventory/transfer.html", context, status=422 if form.errors else 200)
