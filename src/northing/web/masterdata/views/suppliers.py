"""A supplier: how we agree with it, what it sells us at what price, its links."""

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of
from northing.actions.confirmations import supplier_links
from northing.actions.masterdata import suppliers
from northing.confirmations.models import SupplierLink
from northing.core.problems import Refused
from northing.masterdata.models import Agreement, Party
from northing.reports.supplier_facts import lots_of, measures_of, quarters_of, receipts_behind
from northing.web.common.forms import act_of
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, open_page
from northing.web.masterdata.forms.suppliers import AgreementForm, SupplierForm


@acts_for("keep_supplier")
def supplier(request, supplier_id: int):
    """How we agree with a supplier, the agreements, the links."""
    record = get_object_or_404(Party, pk=supplier_id, kind="supplier")
    form = SupplierForm(request.POST or None, supplier=record)
    if request.method == "POST" and form.do(request, suppliers.keep_supplier, lambda _: form.asked(record.pk)):
        messages.success(request, "Kept.")
        return redirect("supplier-record", record.pk)
    return _page(request, record, form=form)


@open_page
def supplier_facts(request, supplier_id: int):
    """How a supplier delivered, drawn over quarters, with the receipts behind it."""
    record = get_object_or_404(Party, pk=supplier_id, kind="supplier")
    companies, today = companies_of(request.user), timezone.localdate()
    quarters = quarters_of(record, companies, today)
    said = request.GET.get("quarter", "")
    first = next((one.first for one in quarters if one.first.isoformat() == said), None)
    context = {
        "record": record,
        "quarters": quarters,
        "first": first,
        "measures": measures_of(quarters),
        "lots": lots_of(record, companies),
        "page": page_of_rows(receipts_behind(record, companies, first), request.GET),
    }
    return render(request, "masterdata/supplier_facts.html", context)


@acts_for("keep_supplier")
@require_POST
def agree(request, supplier_id: int):
    """Write a price step into the agreement."""
    record = get_object_or_404(Party, pk=supplier_id, kind="supplier")
    form = AgreementForm(request.POST)
    if form.do(request, suppliers.set_agreement, lambda _: form.asked(record.pk)):
        messages.success(request, "The price is agreed.")
        return redirect("supplier-record", record.pk)
    return _page(request, record, agreement_form=form)


def _page(request, record: Party, **more):
    steps = Agreement.objects.filter(supplier=record).select_related("item")
    word = request.GET.get("item", "").replace("\x00", "")[:40]
    if word:
        steps = steps.filter(item__code__icontains=word) | steps.filter(item__description__icontains=word)
    page = page_of_rows(steps.order_by("item__code", "-valid_from", "from_quantity"), request.GET)
    context = {
        "record": record,
        "form": SupplierForm(supplier=record),
        "agreement_form": AgreementForm(initial={"valid_from": timezone.localdate()}),
        "steps": page.rows,
        "page": page,
        "word": word,
        "links": SupplierLink.objects.filter(supplier=record).select_related("made_by")[:20],
        "history": history_for(request, "party", record.pk),
    }
    wrong = any(form.errors for form in more.values() if hasattr(form, "errors"))
    return render(request, "masterdata/supplier.html", context | more, status=422 if wrong else 200)


@acts_for("invite")
@require_POST
def invite(request, supplier_id: int):
    """Make a link; it is shown once, since only its hash is kept."""
    record = get_object_or_404(Party, pk=supplier_id, kind__in=supplier_links.ANSWER)
    try:
        link = supplier_links.invite(
            act_of(request), supplier_links.InviteRequest(record.pk, request.POST.get("why", "")[:120])
        )
    except Refused as refused:
        _say(request, refused)
        return redirect(_record_page(record), record.pk)
    answer = _links(request, record, link) if record.kind == Party.Kind.PROVIDER else _page(request, record, link=link)
    answer["Cache-Control"] = "no-store"
    return answer


@acts_for("invite")
@require_POST
def revoke(request, supplier_id: int):
    """End all links of a supplier or a provider."""
    record = get_object_or_404(Party, pk=supplier_id, kind__in=supplier_links.ANSWER)
    try:
        ended = supplier_links.revoke(
            act_of(request, request.POST.get("key", "")), supplier_links.RevokeRequest(record.pk)
        )
        messages.success(request, f"{ended} links of {record} have ended.")
    except Refused as refused:
        _say(request, refused)
    return redirect(_record_page(record), record.pk)


@acts_for("invite")
def provider_links(request, provider_id: int):
    """The links of a provider: what it carries and will bill, without an account."""
    return _links(request, get_object_or_404(Party, pk=provider_id, kind=Party.Kind.PROVIDER))


def _links(request, record: Party, link: str = ""):
    links = SupplierLink.objects.filter(supplier=record).select_related("made_by")[:20]
    context = {"record": record, "links": links, "link": link, "history": history_for(request, "party", record.pk)}
    return render(request, "masterdata/provider_links.html", context)


def _record_page(record: Party) -> str:
    return "provider-links" if record.kind == Party.Kind.PROVIDER else "supplier-record"


def _say(request, refused: Refused) -> None:
    for problem in refused.problems:
        messages.error(request, str(problem))
