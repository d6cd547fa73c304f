"""The first steps of a house: what is there, what is missing, and the way to add it."""

from django.contrib import messages
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from northing.access.permissions import HOUSE, companies_of
from northing.actions.messaging.test_letter import TestLetterRequest, send_test_letter
from northing.core.problems import Refused
from northing.messaging.mail_server import outgoing
from northing.reports.first_steps import first_steps
from northing.web.common.forms import act_of
from northing.web.common.permissions import acts_for, form_for

# Where a step is done that adds no record of the house.
ELSEWHERE = {"people": "people", "rates": "rates", "mail": "mail-server", "order": "new-order"}


@form_for("keep_house")
def steps(request):
    """Each step with what is missing; a file is the other way for every kind of record."""
    rows = first_steps(companies_of(request.user))
    for number, step in enumerate(rows, 1):
        kind = step.adds not in ELSEWHERE
        pages = [("Add", reverse("new-record", args=[step.adds])), ("From a file", _file(step.adds))] if kind else []
        if step.adds in ELSEWHERE:
            pages = [("Go there", reverse(ELSEWHERE[step.adds]))]
        rows[number - 1] = (number, step, pages)
    context = {"rows": rows, "done": sum(step.done for _, step, _ in rows), "server": outgoing().address}
    return render(request, "masterdata/steps.html", context)


def _file(kind: str) -> str:
    return reverse("records-file", args=[kind])


@acts_for(HOUSE)
@require_POST
def test_letter(request):
    """Send the person a test letter and show the mail server's answer."""
    try:
        messages.success(request, send_test_letter(act_of(request), TestLetterRequest()))
    except Refused as refused:
        for problem in refused.problems:
            messages.error(request, str(problem))
    return redirect("first-steps")
