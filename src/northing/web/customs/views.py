"""A customs entry: ours shown first, then booked."""

from collections.abc import Sequence
from itertools import zip_longest

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.queries import scoped
from northing.actions.customs import entries, office, proofs
from northing.actions.customs.covers import Covers, shipments_of
from northing.actions.worklist.receipts import receipts_of
from northing.customs.models import CustomsEntry, OfficePayment, OriginProof, Release
from northing.customs.queries import proofs_of
from northing.ledger.queries import posting_note
from northing.masterdata.models import Company
from northing.receiving.models import Receipt
from northing.shipping.models import ShipmentLine
from northing.web.common.permissions import form_for
from northing.web.common.reversals import reversal_page, say_done
from northing.web.customs import desk as desks
from northing.web.customs.after import entered_rows, payments_of
from northing.web.customs.desk import Desk
from northing.web.customs.forms import DayForm, EntryForm, ProofForm
from northing.web.customs.paper import paper_of
from northing.web.shipping.views.shipments import visible_shipments


@form_for("book_customs_entry", "pay")
def customs(request, shipment_id: int, company_id: int):
    """A company's customs entries for a shipment: ours shown first, then booked."""
    shipment = get_object_or_404(visible_shipments(request.user), pk=shipment_id)
    company = get_object_or_404(scoped(Company.objects.all(), request.user, "pk"), pk=company_id)
    return _desk_page(request, desks.of_shipment(shipment, company, request.GET.getlist("covers")))


@form_for("book_customs_entry", "pay")
def unpacked(request, receipt_id: int):
    """The customs entry of goods that came unpacked."""
    receipt = get_object_or_404(scoped(Receipt.objects.select_related("company"), request.user), pk=receipt_id)
    return _desk_page(request, desks.of_receipt(receipt, request.GET.getlist("covers")))


@form_for("book_customs_entry", "pay")
def customs_entry(request, customs_entry_id: int):
    """One customs entry, and what may take its place."""
    found = scoped(CustomsEntry.objects.select_related("company"), request.user)
    return _desk_page(request, desks.of_entry(get_object_or_404(found, pk=customs_entry_id)))


def _desk_page(request, desk: Desk):
    """Ours shown first, then booked; with the proofs of origin, and what comes after the entry."""
    company, today = desk.company, timezone.localdate()
    paper = paper_of(request, desk, today)
    form, proving = paper.form, request.POST.get("act") == "proof"
    proof_form = ProofForm(request.POST if proving else None, initial={"dated": today}, auto_id="proof_%s")
    if proving:
        if proof_form.do(request, proofs.add_proof, lambda _: proof_form.asked(company.pk, *_whence(paper.goods))):
            messages.success(request, "The proof is there.")
            return redirect(request.get_full_path())
    elif paper.books and form.is_bound and form.is_valid():
        booked = form.do(
            request, entries.book_customs_entry, lambda _: form.asked(_sent_covers(form, desk), company.pk)
        )
        if booked:
            note = posting_note([company.pk], form.cleaned_data["day"])
            say_done(request, f"The customs entry is booked{note}.", "reverse-customs-entry", booked)
            return redirect(desk.back)
    declared, refused = paper.as_entered(today)
    context = {"desk": desk, "company": company, "form": form, "proof_form": proof_form, "today": today}
    context["proofs"] = proofs_of(paper.goods).filter(company=company) if paper.goods else ()
    context |= {"declared": declared, "refused": refused, "choices": desks.choices_of(desk)}
    context |= {"rows": entered_rows(desk.entered), "payments": payments_of(desk.entered)}
    context["file_problems"] = paper.file_problems
    if declared:
        groups = declared.groups()
        context["groups"] = list(zip_longest(groups, form.their_fields()[: len(groups)]))
        if declared.missing_proofs and not proving:
            proof_form.initial["name"] = declared.missing_proofs[0]
    wrong = (form.errors and paper.books) or proof_form.errors or paper.file_problems
    return render(request, "customs/entry.html", context, status=422 if wrong else 200)


def _whence(parts: Sequence[ShipmentLine]) -> tuple[list[int], list[int]]:
    """The shipments that goods are in, and the receipts of what came unpacked (ids)."""
    return shipments_of(list(parts)), receipts_of(parts)


def _sent_covers(form: EntryForm, desk: Desk) -> Covers:
    """The goods of the form that was sent: those of the entry that it corrects, else of the page."""
    if form.cleaned_data["corrects"]:
        return Covers()
    if desk.covers and not desk.corrects:
        return desk.covers
    shipments = (desk.shipment.pk,) if desk.shipment else ()
    return Covers(shipments, receipts=(desk.receipt.pk,) if desk.receipt else ())


@form_for("book_customs_entry")
def reverse_entry(request, customs_entry_id: int):
    """Undo a customs entry."""
    record = _entry_or_404(request, customs_entry_id)
    title = f"Reverse customs entry {record.number}"
    return reversal_page(request, title, entries.reverse_customs_entry, record, _page_of(record))


@form_for("book_customs_entry")
def withdraw_proof(request, proof_id: int):
    """A paper does not prove the origin after all."""
    record = get_object_or_404(scoped(OriginProof.objects.filter(withdrawn_at=None), request.user), pk=proof_id)
    if record.shipment_id:
        back = reverse("customs", args=[record.shipment_id, record.company_id])
    else:
        came = receipts_of(record.goods.all())
        back = reverse("customs-unpacked", args=came[:1]) if came else reverse("costs")
    return reversal_page(request, f"Withdraw {record}", proofs.withdraw_proof, record, back)


@form_for("pay")
def pay(request, customs_entry_id: int):
    """All that is open with the office for the goods of an entry is paid."""
    record = _entry_or_404(request, customs_entry_id)
    form = DayForm(request.POST or None, initial={"day": timezone.localdate()})
    if request.method == "POST":
        made = form.do(
            request, office.pay_office, lambda _: office.PayOfficeRequest(record.pk, form.cleaned_data["day"])
        )
        if made:
            say_done(request, "Paid.", "reverse-office-payment", made)
            return redirect(_page_of(record))
    return _day_page(request, form, f"Pay {record.office}", record)


@form_for("book_customs_entry")
def release(request, customs_entry_id: int):
    """Customs released the goods of an entry."""
    record = _entry_or_404(request, customs_entry_id)
    form = DayForm(request.POST or None, initial={"day": timezone.localdate()})
    if request.method == "POST":
        made = form.do(request, office.release, lambda _: office.ReleaseRequest(record.pk, form.cleaned_data["day"]))
        if made:
            say_done(request, "Released.", "withdraw-release", made)
            return redirect(_page_of(record))
    return _day_page(request, form, "Customs released the goods", record)


def _entry_or_404(request, key: int) -> CustomsEntry:
    found = CustomsEntry.objects.select_related("office", "company").prefetch_related("shipments")
    return get_object_or_404(scoped(found, request.user), pk=key)


def _page_of(entry: CustomsEntry) -> str:
    """The customs page of an entry's shipment; of the entry itself, where it is of none or of several."""
    shipments = list(entry.shipments.all())
    if len(shipments) == 1:
        return reverse("customs", args=[shipments[0].pk, entry.company_id])
    return reverse("customs-entry", args=[entry.pk])


def _day_page(request, form: DayForm, title: str, record: CustomsEntry):
    """A page that asks for a day only, and says what is owed to the office."""
    context = {"form": form, "title": title, "entry": record, "back": _page_of(record)}
    context["row"] = entered_rows([record])[0]
    return render(request, "customs/day.html", context, status=422 if form.errors else 200)


@form_for("pay")
def reverse_payment(request, office_payment_id: int):
    """A payment to an office did not happen."""
    paid = OfficePayment.objects.filter(reversed_by=None).select_related("office")
    record = get_object_or_404(scoped(paid, request.user), pk=office_payment_id)
    back = _page_of(office.entries_of(record)[-1])
    return reversal_page(
        request, f"Reverse the payment to {record.office}", office.reverse_office_payment, record, back
    )


@form_for("book_customs_entry")
def withdraw_release(request, release_id: int):
    """Customs did not release the goods after all."""
    said = Release.objects.filter(withdrawn_at=None).select_related("customs_entry")
    record = get_object_or_404(scoped(said, request.user), pk=release_id)
    back = _page_of(record.customs_entry)
    return reversal_page(request, "Withdraw the release", office.withdraw_release, record, back)
