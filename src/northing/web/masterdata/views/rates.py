"""Exchange rates: entered, asked of a central bank, asked about; and who needs them."""

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of, may_somewhere
from northing.access.queries import scoped
from northing.actions.masterdata.rate_feed import SettleRequest, set_rate_feed, settle_rate
from northing.actions.masterdata.rates import enter_rate
from northing.core.money.cross_rates import change
from northing.ledger.models import AskedRate, RateFeed
from northing.masterdata.models import ExchangeRate
from northing.reports.rates_needed import rates_needed
from northing.web.common.back import way_back
from northing.web.common.forms import ActionForm, say_errors
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for
from northing.web.masterdata.forms.rates import RateFeedForm, RateForm


@acts_for("enter_rate")
def rates(request):
    """Exchange rates, newest first; enter one."""
    form = RateForm(request.POST or None, person=request.user, initial={"day": timezone.localdate()})
    if request.method == "POST" and form.do(request, enter_rate, form.asked):
        messages.success(request, "The rate is entered.")
        return redirect("rates")
    return _page(request, form)


def _page(request, form: RateForm | None = None, feed_form: RateFeedForm | None = None):
    feed, today = RateFeed.objects.first(), timezone.localdate()
    found = scoped(ExchangeRate.objects.select_related("company"), request.user).order_by("-day", "company", "currency")
    asked = list(scoped(AskedRate.objects.filter(settled_at=None).select_related("company"), request.user))
    for one in asked:
        one.change = change(one.rate, one.before)
    set_to = {"purposes": ["book"], "every_minutes": 60, "active": True}
    if feed:
        set_to = {name: getattr(feed, name) for name in ("url", "every_minutes", "active")}
        set_to["purposes"] = feed.purposes.split()
    context = {
        "form": form or RateForm(person=request.user, initial={"day": today}),
        "feed": feed,
        "feed_form": feed_form or RateFeedForm(initial=set_to),
        "asked": asked,
        "settle": ActionForm(),
        "needs": rates_needed(companies_of(request.user), today),
        "page": page_of_rows(found, request.GET, 60),
        "may_enter": may_somewhere(request.user, "enter_rate"),
    }
    wrong = (form and form.errors) or (feed_form and feed_form.errors)
    return render(request, "masterdata/rates.html", context, status=422 if wrong else 200)


@acts_for("enter_rate")
@require_POST
def rate_feed(request):
    """Set where rates are asked for."""
    form = RateFeedForm(request.POST)
    if form.do(request, set_rate_feed, form.asked):
        messages.success(request, "The address is kept; it is asked within five minutes.")
        return redirect("rates")
    return _page(request, feed_form=form)


@acts_for("enter_rate")
@require_POST
def asked_rate(request, rate_id: int):
    """Believe a rate that was asked about, or drop it."""
    record = get_object_or_404(scoped(AskedRate.objects.all(), request.user), pk=rate_id)
    form, believed = ActionForm(request.POST), "believe" in request.POST
    if form.do(request, settle_rate, lambda _: SettleRequest(record.pk, believed)):
        counts = f"counts from {record.day:%-d %b %Y} on" if believed else "is dropped"
        messages.success(request, f"The rate of {record.currency} {counts}.")
    else:
        say_errors(request, form)
    return way_back(request, "rates")
