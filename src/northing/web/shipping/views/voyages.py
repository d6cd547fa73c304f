"""A voyage: its calls, what sails with it, and what happens to it. Everything is shown before it is done."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any
from urllib.parse import quote
from uuid import uuid4

from django.contrib import messages
from django.db.models import Count
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.actions.shipping import carrier_events, milestones, reroute, retract
from northing.actions.shipping.ripple import foresee
from northing.core.problems import Refused
from northing.reports.dealings import visible_events
from northing.shipping.models import CarrierEvent, DateStatement, Leg, Shipment, Voyage
from northing.shipping.queries import visible_shipments
from northing.web.common.forms import ActionForm, act_of
from northing.web.common.history import history_for
from northing.web.common.permissions import form_for, open_page
from northing.web.shipping.forms import reroute as forms
from northing.web.shipping.forms.carrier_events import TieForm
from northing.web.shipping.queries.date_history import said_of_voyage
from northing.web.shipping.views.shipments import SHOWN, back_of


@dataclass(frozen=True)
class Happening:
    """Something that happens: how it is called, its form, its action, what is said when it is done.

    One that asks nothing shows at once what it would do.
    """

    title: str
    form: Callable[..., ActionForm]
    action: Callable[..., Any]
    button: str
    done: str
    asks: bool = True


TO_VOYAGES = {
    "say": Happening("A date", forms.SayForm, milestones.say_date, "Record it", "Recorded; everything aboard follows."),
    "roll": Happening("Roll to another voyage", forms.RollForm, reroute.roll, "Roll", "Rolled."),
    "swap": Happening("Another vessel", forms.SwapForm, reroute.swap_vessel, "Swap", "The vessel is swapped."),
    "omit": Happening("A port is omitted", forms.OmitForm, reroute.omit_port, "Omit it", "The port is omitted."),
    "blank": Happening(
        "The sailing is called off", forms.BlankForm, reroute.blank_sailing, "Call it off", "It is called off."
    ),
}
TAKE_BACK = Happening(
    "Take back what was said",
    forms.TakeBackForm,
    retract.take_back,
    "Take it back",
    "It is taken back; everything aboard follows.",
    asks=False,
)
TIE = Happening("What an event is about", TieForm, carrier_events.tie, "Tie it", "It is tied and heard; dates follow.")
TO_SHIPMENTS = {
    "split": Happening("Split containers off", forms.SplitForm, reroute.split_off, "Split off", "Split off."),
    "land": Happening("Land elsewhere", forms.LandForm, reroute.land_elsewhere, "Land there", "Redirected."),
}


@open_page
def voyage(request, voyage_id: int):
    """A voyage with its calls and the shipments that sail with it."""
    found = get_object_or_404(Voyage.objects.select_related("carrier"), pk=voyage_id)
    legs = Leg.objects.filter(load_call__voyage=found, shipment__in=visible_shipments(request.user))
    legs = legs.select_related("shipment", "load_call", "discharge_call").order_by("shipment", "number")
    context = {
        "voyage": found,
        "calls": found.calls.select_related("port").annotate(loads_here=Count("loads")).order_by("number"),
        "legs": legs,
        "said": said_of_voyage(found),
        "happenings": TO_VOYAGES.items(),
        "book": _book(str(found)),
        "history": history_for(request, "voyage", found.pk),
    }
    return render(request, "shipping/voyage.html", context)


def _book(name: str) -> str:
    """The address of the lines aboard in the line book."""
    return f"/orders/lines/?where={quote(f'aboard {name}')}"


@form_for("pack", "say_dates")
def voyage_happens(request, voyage_id: int, name: str):
    """Something happens to a voyage: first what it would do, then, confirmed, the action."""
    found = get_object_or_404(Voyage, pk=voyage_id)
    return _happens(request, found, TO_VOYAGES[name], reverse("voyage", args=[found.pk]))


@form_for("pack")
def shipment_happens(request, shipment_id: int, name: str):
    """Something happens to a shipment."""
    found = get_object_or_404(visible_shipments(request.user).select_related("voyage"), pk=shipment_id)
    return _happens(request, found, TO_SHIPMENTS[name], reverse("shipment", args=[found.pk]))


@form_for("say_dates")
def take_back(request, statement_id: int):
    """Take back a statement about a date; its effect is shown first."""
    found = DateStatement.objects.select_related("call__voyage", "leg", "container")
    said = get_object_or_404(found, pk=statement_id)
    shipment = said.container.shipment_id if said.container else said.leg.shipment_id if said.leg else None
    if shipment and not visible_shipments(request.user).filter(pk=shipment).exists():
        raise Http404
    there = reverse("shipment", args=[shipment]) if shipment else reverse("voyage", args=[said.call.voyage_id])
    return _happens(request, said, TAKE_BACK, back_of(request) or there)


@form_for("say_dates")
def tie_event(request, event_id: int):
    """An event that waits is tied to what it is about: first what that would do."""
    found = get_object_or_404(
        visible_events(request.user).filter(state=CarrierEvent.State.WAITS, retracts=""), pk=event_id
    )
    tied = replace(TIE, form=partial(TieForm, person=request.user))
    return _happens(request, found, tied, reverse("events"))


def _happens(request, subject, one: Happening, back: str):
    posted = request.method == "POST"
    form = one.form(request.POST or (None if one.asks else {"key": uuid4().hex}), subject=subject)
    context = {"subject": subject, "one": one, "form": form, "back": back, "shown": SHOWN}
    if isinstance(subject, (Voyage, Shipment)):
        context["book"] = _book(str(subject))
    if posted and request.POST.get("confirmed"):
        if form.do(request, one.action, form.asked) is not None:
            messages.success(request, one.done)
            return redirect(back)
    elif form.is_bound and form.is_valid():
        try:
            context["ripple"] = _ripple(request, one, form)
        except Refused as refused:
            form.take(refused)
    return render(request, "shipping/reroute.html", context, status=422 if form.errors else 200)


def _ripple(request, one: Happening, form) -> milestones.Ripple:
    asked, mine = form.asked(form.cleaned_data), companies_of(request.user)
    if isinstance(asked, milestones.DateRequest):
        return milestones.preview(asked, timezone.localdate(), mine)
    return foresee(act_of(request), one.action, asked, mine)
