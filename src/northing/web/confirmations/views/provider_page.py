"""The page of a forwarder, carrier, broker or haulier: opened by a link, without an account."""

import uuid
from datetime import date

from django.contrib import messages
from django.shortcuts import redirect, render

from northing.actions.costing.announce import AnnounceRequest, announce_bill
from northing.actions.shipping.milestones import DateRequest, say_date
from northing.core.money.exact import read_exact
from northing.core.problems import NotAllowed, Problem, Refused
from northing.web.confirmations.queries.provider_page import carried_by, expected_of
from northing.web.confirmations.words import words

WORDS = words()


def provider_page(request, link, token: str):
    """Show the shipments that it carries, with the days it can say, and the bills that we expect."""
    context = {
        "w": WORDS,
        "provider": link.supplier,
        "token": token,
        "key": uuid.uuid4().hex,
        "carried": carried_by(link.supplier),
        "expected": expected_of(link.supplier),
    }
    return render(request, "confirmations/provider_page.html", context)


def say(request, link, token: str, act):
    """A day of a leg, as it is expected now."""

    def said():
        theirs = {str(end.leg): end.leg for one in carried_by(link.supplier) for end in one.ends}
        leg = theirs.get(_text(request, "leg"))
        if leg is None:
            raise Refused(Problem(WORDS["nothing"]))
        say_date(act, DateRequest(leg, _text(request, "milestone"), "estimated", _day(request)))

    return _done(request, token, said, "done_date")


def bill(request, link, token: str, act, charge_id: int):
    """The bill that will come for an expected charge."""

    def said():
        if charge_id not in {charge.pk for charge in expected_of(link.supplier)}:
            raise Refused(Problem(WORDS["nothing"]))
        announce_bill(act, AnnounceRequest(charge_id, _text(request, "number"), _amount(request)))

    return _done(request, token, said, "done_bill")


def _text(request, name: str) -> str:
    return request.POST.get(name, "").replace("\x00", "").strip()[:60]


def _day(request) -> date:
    try:
        return date.fromisoformat(_text(request, "value"))
    except ValueError:
        raise Refused(Problem("This is not a day.", "value", "Write it as 2026-11-24.")) from None


def _amount(request):
    try:
        return read_exact(_text(request, "amount").replace(",", "").replace(" ", ""))
    except ValueError:
        raise Refused(Problem("The amount is not a number.", "amount", "Write it as 1200 or 18.40.")) from None


def _done(request, token: str, action, word: str):
    try:
        action()
        messages.success(request, WORDS[word])
    except (Refused, NotAllowed) as refused:
        for problem in refused.problems:
            messages.error(request, str(problem))
    return redirect("supplier", token)
