"""Exchange rates."""

from django.contrib import messages
from django.shortcuts import redirect, render
from django.utils import timezone

from northing.access.queries import scoped
from northing.actions.masterdata.rates import enter_rate
from northing.masterdata.models import ExchangeRate
from northing.web.common.permissions import acts_for
from northing.web.masterdata.forms.rates import RateForm


@acts_for("enter_rate")
def rates(request):
    """Exchange rates, newest first; enter one."""
    form = RateForm(request.POST or None, person=request.user, initial={"day": timezone.localdate()})
    if request.method == "POST":
        entered = form.do(request, enter_rate, form.asked)
        if entered:
            messages.success(request, "The rate is entered.")
            return redirect("rates")
    found = scoped(ExchangeRate.objects.select_related("company"), request.user).order_by("-day", "company", "currency")
    return render(
        request, "masterdata/rates.html", {"form": form, "rates": found[:120]}, status=422 if form.errors else 200
    )
