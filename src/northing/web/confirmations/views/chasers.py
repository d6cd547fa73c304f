"""Chasers: what would go to whom now, trial copies, rules; suppliers' links; letters that failed."""

import uuid

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of
from northing.actions.confirmations import chaser_rules
from northing.actions.confirmations import chasers as chasers_action
from northing.confirmations.models import Chaser, ChaserRule
from northing.core.problems import Refused
from northing.masterdata.models import Party
from northing.messaging import mail
from northing.messaging.models import Message
from northing.web.common.back import way_back
from northing.web.common.forms import act_of
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, open_page
from northing.web.confirmations.forms.chasers import RuleForm


@open_page
def chasers(request):
    """What is due now, what went before, and the rules."""
    mine, today = companies_of(request.user), timezone.localdate()
    sent = Chaser.objects.filter(lines__instalment__line__order__company__in=mine).distinct()
    page = page_of_rows(sent.select_related("supplier", "message", "made_by").order_by("-id"), request.GET)
    failed = Message.objects.filter(state="failed", company__in=mine).select_related("supplier")
    context = {
        "planned": chasers_action.plan(mine, today),
        "sent": page.rows,
        "page": page,
        "failed": failed[:50],
        "rules": ChaserRule.objects.select_related("supplier"),
        "form": RuleForm(),
        "key": uuid.uuid4().hex,
        "history": history_for(request, "rule", 0),
    }
    return render(request, "confirmations/chasers.html", context)


@acts_for("chase")
@require_POST
def chase(request, supplier_id: int):
    """Send to one supplier what is due, or everything unanswered; or a trial copy to its sender."""
    supplier = get_object_or_404(Party, pk=supplier_id, kind="supplier")
    trial, everything = request.POST.get("how") == "trial", request.POST.get("how") == "unanswered"
    act = act_of(request, request.POST.get("key", ""))
    try:
        chasers_action.chase(act, chasers_action.ChaseRequest(supplier.pk, trial, everything))
        whom = request.user.email if trial else supplier.email
        messages.success(request, f"{'A trial copy' if trial else 'The chaser'} goes to {whom}.")
    except Refused as refused:
        _say(request, refused)
    return way_back(request, "chasers")


@acts_for("chase")
@require_POST
def save_rule(request):
    """A rule, new or in place of one for the same supplier, mode and kind."""
    form = RuleForm(request.POST)
    if form.is_valid():
        try:
            chaser_rules.keep_rule(act_of(request, request.POST.get("key", "")), form.asked())
            messages.success(request, "The rule holds from now on.")
        except Refused as refused:
            _say(request, refused)
    else:
        messages.error(request, " ".join(str(error) for errors in form.errors.values() for error in errors))
    return redirect("chasers")


@acts_for("chase")
@require_POST
def send_again(request, message_id: int):
    """Try a letter that failed once more."""
    letter = get_object_or_404(Message, pk=message_id, state="failed", company__in=companies_of(request.user))
    mail.again(letter)
    messages.success(request, "It is tried again.")
    return way_back(request, "chasers")


def _say(request, refused: Refused) -> None:
    for problem in refused.problems:
        messages.error(request, str(problem))
