"""Closing a period: what is still open in it, what foreign amounts are worth at its end, and its reopening."""

from datetime import date, timedelta

from django import forms
from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.actions.ledger.close import (
    CloseRequest,
    ReopenRequest,
    close_period,
    reopen_period,
    still_open,
    valuation,
)
from northing.core.problems import Refused
from northing.ledger.models import Closing
from northing.masterdata.models import Company
from northing.web.common.forms import ActionForm, DayField
from northing.web.common.permissions import form_for


class CloseForm(ActionForm):
    """Which company, through which day."""

    company = forms.ModelChoiceField(Company.objects.none())
    through = DayField(label="Through")

    def __init__(self, *args, person, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["company"].queryset = scoped(Company.objects.all(), person, "pk")
        self.choose_the_only_one("company")


class ReopenForm(ActionForm):
    """Why a period is opened again."""

    reason = forms.CharField(max_length=120, label="Why")


def _last_month(today: date) -> date:
    return today.replace(day=1) - timedelta(days=1)


@form_for("close_period")
def close(request):
    """Close a company's books through a day; what that does is shown first."""
    initial = {"through": _last_month(timezone.localdate())}
    form = CloseForm(request.POST or None, person=request.user, initial=initial)
    context = {"form": form}
    if request.method == "POST" and form.is_valid():
        company, through = form.cleaned_data["company"], form.cleaned_data["through"]
        if request.POST.get("act") == "close":
            if form.do(request, close_period, lambda _: CloseRequest(company.pk, through)):
                messages.success(request, f"The books of {company} are closed through {through:%-d %b %Y}.")
                return redirect("close-period")
        else:
            context |= _shown(form, company, through)
    found = Closing.objects.filter(company__in=companies_of(request.user)).select_related("company", "closed_by")
    context |= {"closings": found[:24], "reopen": ReopenForm(auto_id=False)}
    return render(request, "reports/closing.html", context, status=422 if form.errors else 200)


def _shown(form: CloseForm, company: Company, through: date) -> dict:
    try:
        values = valuation(company, through)
    except Refused as refused:
        form.take(refused)
        return {}
    total = sum(one.difference for one in values)
    return {"company": company, "values": values, "total": total, "open": still_open(company, through)}


@form_for("close_period")
def reopen(request, closing_id: int):
    """Open the period that was closed last again."""
    record = get_object_or_404(Closing, pk=closing_id, company__in=companies_of(request.user))
    form = ReopenForm(request.POST or None)
    if request.method == "POST" and form.do(
        request, reopen_period, lambda entered: ReopenRequest(record.pk, entered["reason"])
    ):
        messages.success(request, f"The books of {record.company} are open again.")
        return redirect("close-period")
    context = {"title": f"Open {record.company} again", "button": "Open again", "form": form, "back": "close-period"}
    return render(request, "common/simple_form.html", context, status=422 if form.errors else 200)
