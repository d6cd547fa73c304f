"""A customs entry: ours shown first, then booked."""

from collections.abc import Sequence
from datetime import date
from decimal import Decimal
from itertools import zip_longest

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.queries import scoped
from northing.actions.customs import entries, office, proofs
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused
from northing.customs.models import CustomsEntry, OfficePayment, OriginProof, Release
from northing.customs.queries import owed_to_offices, proofs_of
from northing.formats.office_figures import read_office_figures
from northing.ledger.queries import posting_note
from northing.masterdata.models import Company, Party
from northing.shipping.models import Shipment
from northing.web.common.permissions import form_for
from northing.web.common.reversals import reversal_page, say_done
from northing.web.common.uploads import read_upload
from northing.web.customs.forms import DayForm, EntryForm, ProofForm
from northing.web.shipping.views.shipments import visible_shipments

# What is typed already stays where their table is read.
KEPT, LONGEST = ("office", "number", "day", "reason", "their_tax"), 200
RELATED = ("office", "company", "shipment")


@form_for("book_customs_entry", "pay")
def customs(request, shipment_id: int, company_id: int):
    """A company's customs entry for a shipment: ours shown first, then booked."""
    shipment = get_object_or_404(visible_shipments(request.user), pk=shipment_id)
    company = get_object_or_404(scoped(Company.objects.all(), request.user, "pk"), pk=company_id)
    entered = CustomsEntry.objects.filter(shipment=shipment, company=company).select_related("office").order_by("-pk")
    standing = next((one for one in entered if not one.reversed_by_id), None)
    initial = {"day": timezone.localdate(), "office": _usual_office(company, standing)}
    initial["corrects"] = standing and standing.pk
    proving, reading = request.POST.get("act") == "proof", request.POST.get("act") == "file"
    sent = None if proving or reading else request.POST or None
    today = timezone.localdate()
    declared, refused = _declared(shipment, company, today)
    file_problems: Sequence[Problem] = ()
    if reading:
        initial |= {name: value for name, value in request.POST.items() if name in KEPT and len(value) < LONGEST}
        figures, file_problems = _their_table(request, declared)
        initial |= figures
    known = len(declared.groups()) if declared else 1
    form = EntryForm(sent, initial=initial, groups=sum(name.startswith("their-") for name in sent) if sent else known)
    dated = {"dated": timezone.localdate()}
    proof_form = ProofForm(request.POST if proving else None, initial=dated, auto_id="proof_%s")
    if proving:
        if proof_form.do(request, proofs.add_proof, lambda _: proof_form.asked(shipment.pk, company.pk)):
            messages.success(request, "The proof is there.")
            return redirect("customs", shipment.pk, company.pk)
    elif request.method == "POST" and not reading and form.is_valid():
        booked = form.do(request, entries.book_customs_entry, lambda _: form.asked(shipment.pk, company.pk))
        if booked:
            note = posting_note([company.pk], form.cleaned_data["day"])
            say_done(request, f"The customs entry is booked{note}.", "reverse-customs-entry", entered.latest("pk").pk)
            return redirect("shipment", shipment.pk)
    day = form.cleaned_data.get("day") if form.is_bound and form.is_valid() else None
    if day and day != today:
        declared, refused = _declared(shipment, company, day)
    context = {"shipment": shipment, "company": company, "form": form, "entered": entered, "standing": standing}
    context |= {"proof_form": proof_form, "proofs": proofs_of(shipment.pk, company.pk), "today": today}
    context |= {"declared": declared, "refused": refused} | _after(shipment, company)
    context["file_problems"] = file_problems
    if declared:
        groups = declared.groups()
        context["groups"] = list(zip_longest(groups, form.their_fields()[: len(groups)]))
        if declared.missing_proofs and not proving:
            proof_form.initial["name"] = declared.missing_proofs[0]
    wrong = form.errors or proof_form.errors or file_problems
    return render(request, "customs/entry.html", context, status=422 if wrong else 200)


def _their_table(request, declared: entries.Declared | None) -> tuple[dict[str, str], Sequence[Problem]]:
    """The office's figures of a table as they stand in the form, or what is wrong with it."""
    upload = request.FILES.get("their_file")
    if upload is None or declared is None:
        return {}, [Problem("Choose the table first.", "their_file")]
    groups = [(group.hs, group.origin) for group, _, _ in declared.groups()] or [("", "")]
    try:
        found = read_upload(upload, lambda path: read_office_figures(path, groups))
    except Refused as refused:
        return {}, refused.problems
    figures = {f"their-{place}": plain(amount) for place, amount in found.duty.items()}
    return figures | ({} if found.tax is None else {"their_tax": plain(found.tax)}), ()


def _after(shipment: Shipment, company: Company) -> dict[str, object]:
    """What comes after the entry: what is owed to offices, what was paid, and the release."""
    owed = owed_to_offices([shipment.pk])
    payments = OfficePayment.objects.filter(shipment=shipment, company=company, reversed_by=None)
    released = Release.objects.filter(shipment=shipment, company=company, withdrawn_at=None).first()
    mine = (parts for (_, whose, _), parts in owed.items() if whose == company.pk)
    total = sum((amount for parts in mine for amount in parts.values()), Decimal(0))
    after = {"owed": total, "owed_back": -total, "released": released}
    return after | {"payments": payments.select_related("office")}


def _declared(shipment: Shipment, company: Company, day: date) -> tuple[entries.Declared | None, Sequence[Problem]]:
    """What would be declared on a day, or why it cannot be."""
    try:
        return entries.declare(shipment.pk, company, day), ()
    except Refused as refused:
        return None, refused.problems


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


@form_for("pay")
def pay(request, customs_entry_id: int):
    """All that is open with the office for the shipment of an entry is paid."""
    record = get_object_or_404(scoped(CustomsEntry.objects.select_related(*RELATED), request.user), pk=customs_entry_id)
    form = DayForm(request.POST or None, initial={"day": timezone.localdate()})
    if request.method == "POST":
        made = form.do(
            request, office.pay_office, lambda _: office.PayOfficeRequest(record.pk, form.cleaned_data["day"])
        )
        if made:
            say_done(request, "Paid.", "reverse-office-payment", made)
            return redirect("customs", record.shipment_id, record.company_id)
    return _day_page(request, form, f"Pay {record.office}", record.shipment, record.company)


@form_for("book_customs_entry")
def release(request, shipment_id: int, company_id: int):
    """Customs released a company's goods of a shipment."""
    shipment = get_object_or_404(visible_shipments(request.user), pk=shipment_id)
    company = get_object_or_404(scoped(Company.objects.all(), request.user, "pk"), pk=company_id)
    form = DayForm(request.POST or None, initial={"day": timezone.localdate()})
    if request.method == "POST":
        made = form.do(
            request,
            office.release,
            lambda _: office.ReleaseRequest(shipment.pk, company.pk, form.cleaned_data["day"]),
        )
        if made:
            say_done(request, "Released.", "withdraw-release", made)
            return redirect("customs", shipment.pk, company.pk)
    return _day_page(request, form, "Customs released the goods", shipment, company)


def _day_page(request, form: DayForm, title: str, shipment: Shipment, company: Company):
    """A page that asks for a day only, and says what is owed to the office."""
    context = {"form": form, "title": title, "shipment": shipment, "company": company} | _after(shipment, company)
    return render(request, "customs/day.html", context, status=422 if form.errors else 200)


@form_for("pay")
def reverse_payment(request, office_payment_id: int):
    """A payment to an office did not happen."""
    paid = OfficePayment.objects.filter(reversed_by=None).select_related("office")
    record = get_object_or_404(scoped(paid, request.user), pk=office_payment_id)
    back = reverse("customs", args=[record.shipment_id, record.company_id])
    return reversal_page(
        request, f"Reverse the payment to {record.office}", office.reverse_office_payment, record, back
    )


@form_for("book_customs_entry")
def withdraw_release(request, release_id: int):
    """Customs did not release the goods after all."""
    record = get_object_or_404(scoped(Release.objects.filter(withdrawn_at=None), request.user), pk=release_id)
    back = reverse("customs", args=[record.shipment_id, record.company_id])
    return reversal_page(request, "Withdraw the release", office.withdraw_release, record, back)
