"""A customs entry: ours shown first, then booked."""

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.queries import scoped
from northing.actions.customs import entries, proofs
from northing.core.problems import Refused
from northing.customs.models import CustomsEntry, OriginProof
from northing.customs.queries import proofs_of
from northing.ledger.queries import posting_note
from northing.masterdata.models import Company, Party
from northing.web.common.permissions import form_for
from northing.web.common.reversals import reversal_page, say_done
from northing.web.customs.forms import EntryForm, ProofForm
from northing.web.shipping.views.shipments import visible_shipments


@form_for("book_customs_entry")
def customs(request, shipment_id: int, company_id: int):
    """A company's customs entry for a shipment: ours shown first, then booked."""
    shipment = get_object_or_404(visible_shipments(request.user), pk=shipment_id)
    company = get_object_or_404(scoped(Company.objects.all(), request.user, "pk"), pk=company_id)
    entered = CustomsEntry.objects.filter(shipment=shipment, company=company).select_related("office").order_by("-pk")
    standing = next((one for one in entered if not one.reversed_by_id), None)
    initial = {"day": timezone.localdate(), "office": _usual_office(company, standing)}
    initial["corrects"] = standing and standing.pk
    proving = request.POST.get("act") == "proof"
    form = EntryForm(None if proving else request.POST or None, initial=initial)
    proof_form = ProofForm(request.POST if proving else None, initial={"dated": timezone.localdate()})
    if proving:
        if proof_form.do(request, proofs.add_proof, lambda _: proof_form.asked(shipment.pk, company.pk)):
            messages.success(request, "The proof is there.")
            return redirect("customs", shipment.pk, company.pk)
    elif request.method == "POST" and form.is_valid():
        booked = form.do(request, entries.book_customs_entry, lambda _: form.asked(shipment.pk, company.pk))
        if booked:
            note = posting_note([company.pk], form.cleaned_data["day"])
            say_done(request, f"The customs entry is booked{note}.", "reverse-customs-entry", entered.latest("pk").pk)
            return redirect("shipment", shipment.pk)
    day = form.cleaned_data.get("day") if form.is_bound and form.is_valid() else timezone.localdate()
    context = {"shipment": shipment, "company": company, "form": form, "entered": entered, "standing": standing}
    context |= {"proof_form": proof_form, "proofs": proofs_of(shipment.pk, company.pk), "today": timezone.localdate()}
    try:
        context["declared"] = declared = entries.declare(shipment.pk, company, day or timezone.localdate())
        if declared.missing_proofs and not proving:
            proof_form.initial["name"] = declared.missing_proofs[0]
    except Refused as refused:
        context["refused"] = refused.problems
    wrong = form.errors or proof_form.errors
    return render(request, "customs/entry.html", context, status=422 if wrong else 200)


def _usual_office(company: Company, standing: CustomsEntry | None) -> int | None:
    """The office of the entry that stands, else of the company's last one, else the only one of its country."""
    last = standing or CustomsEntry.objects.filter(company=company).order_by("-pk").first()
    if last:
        return last.office_id
    found = list(
        Party.objects.filter(kind=Party.Kind.CUSTOMS, country=company.country).values_list("pk", flat=True)[:2]
    )
    return found[0] if len(found) == 1 else None


@form_for("book_customs_entry")
def reverse_entry(request, customs_entry_id: int):
    """Undo a customs entry."""
    record = get_object_or_404(scoped(CustomsEntry.objects.all(), request.user), pk=customs_entry_id)
    back = reverse("customs", args=[record.shipment_id, record.company_id])
    title = f"Reverse customs entry {record.number}"
    return reversal_page(request, title, entries.reverse_customs_entry, record, back)


@form_for("book_customs_entry")
def withdraw_proof(request, proof_id: int):
    """A paper does not prove the origin after all."""
    record = get_object_or_404(scoped(OriginProof.objects.filter(withdrawn_at=None), request.user), pk=proof_id)
    back = reverse("customs", args=[record.shipment_id, record.company_id])
    return reversal_page(request, f"Withdraw {record}", proofs.withdraw_proof, record, back)
