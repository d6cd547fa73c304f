"""A case and its returns."""

from django.db.models import Q, Sum
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import may
from northing.access.queries import scoped
from northing.actions.claims import returns
from northing.claims.models import Claim, ReturnNote
from northing.core.money.exact import plain
from northing.drawings.figures import count
from northing.ledger.models import Account
from northing.ledger.queries import posting_note
from northing.web.claims.forms import ReturnForm
from northing.web.common.addresses import address_of
from northing.web.common.history import history_for
from northing.web.common.permissions import acts_for, form_for
from northing.web.common.reversals import reversal_page, say_done


@acts_for("return_goods")
def case(request, case_id: int):
    """A case: each unit awaiting its end, and the way out for some of them."""
    found = Claim.objects.select_related(
        "layer__item",
        "layer__receipt_line__receipt",
        "layer__shipment_line__instalment__line__order",
        "supplier",
        "company",
    )
    record = get_object_or_404(scoped(found, request.user), pk=case_id)
    start = {"occurred_on": timezone.localdate(), "quantity": plain(record.open_quantity)}
    form = ReturnForm(request.POST or None, initial=start, numbered=record.layer.item.keeps_serial)
    if request.method == "POST" and form.do(request, returns.return_goods, lambda _: form.asked(record.pk)):
        note = posting_note([record.company_id], form.cleaned_data["occurred_on"])
        words = f"Returned{note}. What the supplier did not authorise stays open."
        say_done(request, words, "reverse-return", record.returns.latest("pk").pk)
        return redirect("case", record.pk)
    context = {
        "case": record,
        "form": form,
        "claim": _claimed(record),
        "credits": record.credits.filter(bill__reversed_by=None).select_related("bill").order_by("pk"),
        "allowed": may(request.user, "return_goods", record.company_id),
        "returns": _with_price(record.returns.order_by("pk")),
        "ends": record.ends.order_by("pk"),
        "history": history_for(request, "line", record.layer.shipment_line.instalment.line_id),
    }
    return render(request, "claims/case.html", context, status=422 if form.errors else 200)


def _claimed(case: Claim) -> dict | None:
    """What is claimed of a case still: the currency, and the amount."""
    sums = case.amounts.values("currency").order_by("currency").annotate(amount=Sum("amount"))
    return sums.exclude(amount=0).first()


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
