"""A provider's bill that is a cost of a case or of a return."""

from decimal import Decimal

from django.db.models import Sum
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.actions.billing.bills import book_bill
from northing.claims.models import Claim, GoodsReturn
from northing.ledger.queries import posting_note
from northing.web.billing.forms.case_costs import CaseCostForm
from northing.web.common.keys import key_of
from northing.web.common.permissions import form_for
from northing.web.common.reversals import say_done


@form_for("book_bill")
def case_cost(request):
    """Enter what rework, the freight of a return or a survey cost."""
    of, cases, start = _asked(request)
    form = CaseCostForm(request.POST or None, initial=start | {"day": timezone.localdate()})
    if request.method == "POST":
        booked = form.do(request, book_bill, lambda _: form.asked(cases))
        if booked:
            note = posting_note([cases[0][0].company_id], form.cleaned_data["day"])
            say_done(request, f"Booked the bill{note}.", "bill", booked)
            return redirect("case" if isinstance(of, Claim) else "goods-return", of.pk)
    context = {"form": form, "of": of, "of_case": isinstance(of, Claim), "cases": cases}
    return render(request, "billing/case_cost.html", context, status=422 if form.errors else 200)


Weighed = list[tuple[Claim, Decimal]]


def _asked(request) -> tuple[Claim | GoodsReturn, Weighed, dict[str, object]]:
    """The case, or the cases of the return by what their goods cost, that the address names; and what is likely."""
    mine = companies_of(request.user)
    if key := key_of(request.GET.get("case", "")):
        found = Claim.objects.exclude(kind__in=Claim.OF_NO_ORDER).select_related("company", "layer__item", "against")
        case = get_object_or_404(found, pk=key, company__in=mine, withdrawn_at=None)
        return case, [(case, Decimal(1))], {"currency": case.company.currency, "into": "claim"}
    made = get_object_or_404(
        GoodsReturn.objects.select_related("company"), pk=key_of(request.GET.get("return", "")), company__in=mine
    )
    rows = made.notes.filter(reversed_by=None).values_list("case").order_by("case")
    costs = dict(rows.annotate(c=Sum("cost")))
    cases = Claim.objects.select_related("company", "layer__item", "against").in_bulk(costs)
    if not cases:
        raise Http404
    start = {"currency": made.company.currency, "into": "loss", "remark": f"freight of return {made}"}
    return made, [(cases[key], cost) for key, cost in costs.items()], start
