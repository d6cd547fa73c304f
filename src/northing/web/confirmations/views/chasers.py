"""Chasers: what would go to whom now, trial copies, rules; suppliers' links; letters that failed."""

import uuid
from datetime import date

from django.contrib import messages
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.actions.confirmations import chaser_rules
from northing.actions.confirmations import chasers as chasers_action
from northing.confirmations.models import Chaser, ChaserRule
from northing.core.problems import Refused
from northing.masterdata.models import Party
from northing.messaging import mail
from northing.messaging.models import Message
from northing.orders.models import OrderLine
from northing.web.common.back import way_back
from northing.web.common.forms import act_of
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, open_page
from northing.web.confirmations.forms.chasers import RuleForm

# Letters are planned for so many suppliers at a time.
LETTERS = 10


@open_page
def chasers(request):
    """What is due now, what went before, and the rules."""
    mine, today = companies_of(request.user), timezone.localdate()
    sent = Chaser.objects.filter(lines__instalment__line__order__company__in=mine).distinct()
    page = page_of_rows(sent.select_related("supplier", "message", "made_by").order_by("-id"), request.GET)
    failed = Message.objects.filter(state="failed", company__in=mine).select_related("supplier")
    planned, further = _planned(request, mine, today)
    context = {
        "planned": planned,
        "further": further,
        "letter": request.GET.get("letter", ""),
        "sent": page.rows,
        "page": page,
        "failed": failed[:50],
        "rules": ChaserRule.objects.select_related("supplier"),
        "form": RuleForm(),
        "key": uuid.uuid4().hex,
        "history": history_for(request, "rule", 0),
    }
    return render(request, "confirmations/chasers.html", context)


def _planned(request, mine: set[int], today: date) -> tuple[list[chasers_action.Planned], int]:
    """The letters to some of the suppliers who may owe something, by name, and at which the next page begins."""
    candidates = chasers_action.may_be_due(mine, today)
    suppliers = list(Party.objects.filter(pk__in=candidates).order_by("name", "pk").values_list("pk", flat=True))
    start = request.GET.get("from", "")
    at, found = int(start) if start.isascii() and start.isdigit() and len(start) < 9 else 0, []
    while at < len(suppliers) and len(found) < LETTERS:
        found += chasers_action.plan(mine, today, suppliers[at : at + LETTERS], candidates)
        at += LETTERS
    return found, at if at < len(suppliers) else 0


@acts_for("chase")
@require_POST
def chase(request, supplier_id: int):
    """Send to one supplier what is due, everything unanswered, or what is open of an order or a line;
    or a trial copy to its sender.
    """
    supplier = get_object_or_404(Party, pk=supplier_id, kind="supplier")
    trial, everything = request.POST.get("how") == "trial", request.POST.get("how") == "unanswered"
    act, lines = act_of(request, request.POST.get("key", "")), _lines(request, supplier)
    try:
        chasers_action.chase(act, chasers_action.ChaseRequest(supplier.pk, trial, everything, lines))
        whom = request.user.email if trial else supplier.email
        messages.success(request, f"{'A trial copy' if trial else 'The chaser'} goes to {whom}.")
    except Refused as refused:
        _say(request, refused)
    return way_back(request, "chasers")


def _lines(request, supplier: Party) -> tuple[int, ...]:
    """The order lines (ids) that are named: one, or all of an order."""
    named = {name: request.POST.get(name, "") for name in ("order", "line")}
    keys = {name: int(text) for name, text in named.items() if text.isascii() and text.isdigit() and len(text) < 15}
    if not keys:
        return ()
    seen = scoped(OrderLine.objects.filter(order__supplier=supplier), request.user, "order__company")
    found = seen.filter(**{"order" if name == "order" else "pk": key for name, key in keys.items()})
    lines = tuple(found.values_list("pk", flat=True))
    if not lines:
        raise Http404
    return lines


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
