"""A case: its units until each has an end, and the money of its claim."""

from collections.abc import Iterable
from decimal import Decimal

from django.db.models import Q, Sum
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.actions.claims import authorise, returns
from northing.claims.models import Authorisation, CaseEnd, Claim, ReturnNote
from northing.claims.queries import deadlines_of, open_claims, prepared_returns, replacements_of, replacements_owed
from northing.core.money.exact import plain
from northing.drawings.figures import count
from northing.ledger.models import Account
from northing.ledger.queries import posting_note
from northing.masterdata.models import Party
from northing.receiving.models import HeldDecision
from northing.web.claims.forms import ReturnForm
from northing.web.common.addresses import address_of
from northing.web.common.history import history_for
from northing.web.common.permissions import acts_for, form_for
from northing.web.common.reversals import reversal_page, say_done

ZERO = Decimal(0)
# Where units of a case are, by how they ended.
PLACES = {"kept": "in_store", "reworked": "in_store", "found": "in_store", "never": "dropped"}


@acts_for("return_goods", "handle_cases")
def case(request, case_id: int):
    """A case: each unit awaiting its end, and the way out for some of them."""
    found = Claim.objects.select_related(
        "layer__item",
        "layer__receipt_line__receipt",
        "layer__shipment_line__instalment__line__order",
        "layer__receipt_line__stands_for__order",
        "supplier",
        "against",
        "company",
        "looked_after_by",
    )
    record = get_object_or_404(scoped(found, request.user), pk=case_id)
    said = list(record.authorisations.select_related("by").order_by("pk"))
    waits = prepared_returns(record.pk)
    for one in said:
        one.prepared = waits.get(one.pk)
    form = ReturnForm(request.POST or None, initial=_start(record, said), numbered=record.layer.item.keeps_serial)
    if request.method == "POST" and (done := _send(request, record, form)):
        return done
    allowed, handles = (may(request.user, right, record.company_id) for right in ("return_goods", "handle_cases"))
    notice_by, claim_by = deadlines_of([record])[record.pk]
    context = {
        "case": record,
        "form": form,
        "today": timezone.localdate(),
        "notice_by": notice_by,
        "claim_by": claim_by,
        "places": _places(record),
        "said": said,
        "claims": claims_of(record),
        "decisions": _decisions(record),
        "costs": record.credits.filter(bill__reversed_by=None).exclude(into="").select_related("bill__party"),
        "credits": record.credits.filter(bill__reversed_by=None, into="").select_related("bill").order_by("pk"),
        "money": record.money.select_related("party", "before").order_by("pk"),
        "allowed": allowed,
        "handles": handles,
        "ends_back": handles if record.kind == Claim.Kind.MISSING else allowed,
        "returns": _with_price(record.returns.order_by("pk")),
        "ends": record.ends.filter(quantity__gt=0).order_by("pk"),
        "owed": replacements_owed(record.authorisations.all()),
        "anew": replacements_of(record.pk),
        "history": history_for(request, "case", record.pk),
    }
    return render(request, "claims/case.html", context, status=422 if form.errors else 200)


def _decisions(case: Claim) -> Iterable[HeldDecision]:
    """What was decided about units that belong to no order, and stands."""
    if not case.of_no_order:
        return []
    return HeldDecision.objects.filter(line=case.layer.receipt_line, reversed_by=None).order_by("pk")


def _start(case: Claim, said: Iterable[Authorisation]) -> dict[str, object]:
    """What goes next: units that are authorised, else those that have no way yet."""
    first = next((one for one in said if one.left and not one.prepared), None)
    facts = {"quantity": plain(first.left), "reference": first.reference} if first and not case.undecided else {}
    return {"occurred_on": timezone.localdate(), "quantity": plain(case.undecided)} | facts


def _send(request, case: Claim, form: ReturnForm):
    """What the pressed button says: units may go back, for a credit note or goods in their place; or go at once."""
    owed = request.POST.get("act", "")
    if owed in Authorisation.Owed:
        made = form.do(request, authorise.authorise, lambda _: form.authorised(case.pk, owed))
        if not made:
            return None
        say_done(request, "They may go back. What was not authorised stays open.", "take-back-authorisation", made)
        replaced = owed == Authorisation.Owed.REPLACEMENT and may(request.user, "write_order", case.company_id)
        return redirect(f"{reverse('replacements')}?case={case.pk}") if replaced else redirect("case", case.pk)
    if not form.do(request, returns.return_goods, lambda _: form.asked(case.pk)):
        return None
    note = posting_note([case.company_id], form.cleaned_data["occurred_on"])
    words = f"Returned{note}. What the supplier did not authorise stays open."
    say_done(request, words, "reverse-return", case.returns.latest("pk").pk)
    return redirect("case", case.pk)


def _places(case: Claim) -> dict[str, Decimal]:
    """The case's units by where they are, as the strip draws them."""
    if case.of_no_order:
        return _decided_places(case)
    found = {case.kind: case.undecided, "authorised": case.authorised}
    stands = Q(reversed_by=None)
    for way, units in (
        CaseEnd.objects.filter(stands, case=case).values_list("way").order_by().annotate(u=Sum("quantity"))
    ):
        place = PLACES.get(way, way)
        found[place] = found.get(place, ZERO) + units
    found["returned"] = case.returns.filter(stands).aggregate(u=Sum("quantity"))["u"] or ZERO
    return found


def _decided_places(case: Claim) -> dict[str, Decimal]:
    """Where units are that belong to no order: held, or by what was decided; tied ones are units of that order."""
    found = {"held": case.undecided}
    for one in _decisions(case):
        place = {HeldDecision.Way.SENT_BACK: "returned", HeldDecision.Way.KEPT: "in_store"}.get(one.way, "ordered")
        found[place] = found.get(place, ZERO) + one.quantity
    return found


def claims_of(case: Claim) -> list[dict[str, object]]:
    """What is claimed of a case still: from whom, how much, and how a form names it."""
    found = open_claims([case.pk])
    parties = Party.objects.in_bulk({party for _, party, _ in found})
    return [
        {"key": f"{party}-{currency}", "party": parties[party], "currency": currency, "amount": amount}
        for (_, party, currency), (amount, _) in sorted(found.items())
        if amount
    ]


def _with_price(notes):
    """Each note gets `price`: what the supplier owes, or is owed no more, in the order's currency."""
    at_price = Q(entry__postings__account__in=(Account.CLAIMS, Account.OWNED_NOT_BILLED))
    return notes.select_related("goods_return").annotate(price=Sum("entry__postings__foreign_amount", filter=at_price))


@form_for("return_goods")
def reverse_return(request, note_id: int):
    """Undo a return note."""
    record = get_object_or_404(scoped(ReturnNote.objects.select_related("case__layer__item"), request.user), pk=note_id)
    title = f"Reverse the return of {count(record.quantity)} {record.case.layer.item.code} under {record.reference}"
    back = address_of("case", record.case_id)
    return reversal_page(request, title, returns.reverse_return, record, back)
