"""Carriers' events: taken in, tied to what they are about, or waiting for a person."""

from dataclasses import dataclass
from urllib.parse import quote

from django.contrib import messages
from django.db.models import Count
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from northing.access.permissions import HOUSE, may_somewhere
from northing.actions.orders import import_file
from northing.actions.shipping import carrier_events, carrier_feeds, ripple_notices
from northing.core.problems import Refused
from northing.formats.dcsa import read_events
from northing.jobs import jobs
from northing.reports.dealings import visible_events
from northing.shipping.models import CarrierEvent, CarrierFeed, Ripple
from northing.web.common.forms import act_of
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, form_for, own_page
from northing.web.orders.forms.orders import WholeForm
from northing.web.shipping.forms.carrier_events import EventsForm, FeedForm

DEEDS = {"again": (carrier_events.try_again, "It is tied now."), "drop": (carrier_events.drop, "Dropped.")}
State = CarrierEvent.State
# What became of the events of a file, in the order in which it is said.
WORDS = {"new": "new", "known": "known before", "tied": "believed", "noted": "noted", "waits": "waiting"}
# Up to this size a file is taken in while one waits.
AT_ONCE_BYTES = 40_000


def _later(request, form: EventsForm):
    """A long file is the worker's."""
    entered = form.cleaned_data
    try:
        sha256 = import_file.keep(entered["file"].chunks())
        total = len(list(read_events((import_file.folder() / sha256).read_bytes())))
    except Refused as refused:
        form.take(refused)
        return render(request, "shipping/carrier_events.html", _context(request, form), status=422)
    asked = {"source": entered["source"], "sha256": sha256}
    act = act_of(request, entered["key"])
    job = jobs.begin(act, "hear_events", f"Events of {entered['source']}", asked, total, reverse("events"))
    return redirect("job", job.pk)


@form_for("say_dates", HOUSE)
def events(request):
    """Events, what waits first seen; a file of them taken in."""
    form = EventsForm(request.POST or None, request.FILES or None)
    if request.method == "POST":
        if form.is_valid() and form.cleaned_data["file"].size > AT_ONCE_BYTES:
            return _later(request, form)
        heard = form.do(request, carrier_events.hear, form.asked)
        if heard is not None:
            said = ", ".join(f"{heard[name]} {words}" for name, words in WORDS.items() if heard[name])
            messages.success(request, f"Heard: {said or 'nothing'}.")
            for wrong in heard["wrong"]:
                messages.error(request, wrong)
            return redirect("events")
    return render(request, "shipping/carrier_events.html", _context(request, form), status=422 if form.errors else 200)


def _context(request, form: EventsForm) -> dict:
    seen = visible_events(request.user)
    counts = dict(seen.values_list("state").annotate(Count("id")).order_by())
    shown = request.GET.get("state", State.WAITS)
    rows = seen.defer("raw").filter(state=shown if shown in State.values else State.WAITS)
    return {
        "form": form,
        "page": page_of_rows(rows.order_by("-pk"), request.GET),
        "feeds": _feeds(request.user),
        "feed_form": FeedForm(),
        "states": [(value, label, counts.get(value, 0)) for value, label in State.choices],
        "shown": shown,
        "history": history_for(request, "events", 0),
    }


def _feeds(person):
    """The carriers' feeds, for who keeps the house: their addresses are the house's."""
    found = CarrierFeed.objects.select_related("carrier").order_by("carrier__name")
    return found if may_somewhere(person, HOUSE) else found.none()


@acts_for(HOUSE)
@require_POST
def set_feed(request):
    """Set the feed of a carrier."""
    form = FeedForm(request.POST)
    if form.do(request, carrier_feeds.set_feed, form.asked):
        messages.success(request, "The feed is set; it is asked within a minute.")
        return redirect("events")
    context = _context(request, EventsForm()) | {"feed_form": form}
    return render(request, "shipping/carrier_events.html", context, status=422)


@acts_for("say_dates")
@require_POST
def event(request, event_id: int, what: str):
    """Try an event that waits again, or drop it."""
    record = get_object_or_404(visible_events(request.user), pk=event_id)
    action, done = DEEDS[what]
    form = WholeForm(request.POST)
    if form.do(request, action, lambda _: carrier_events.EventRequest(record.pk)):
        messages.success(request, done)
    for error in form.non_field_errors():
        messages.error(request, error)
    return redirect("events")


@own_page
def moved(request, ripple_id: int):
    """The effect of a machine's change on one's lines; sent, it has been seen."""
    found = get_object_or_404(Ripple.objects.filter(person=request.user), pk=ripple_id)
    if request.method == "POST":
        form = WholeForm(request.POST)
        if form.do(request, ripple_notices.see, lambda _: ripple_notices.SeenRequest(found.pk)):
            return redirect("watch")
        for error in form.non_field_errors():
            messages.error(request, error)
    lines = [MovedLine(*row) for row in found.lines]
    names = " or ".join(dict.fromkeys(line.name.rpartition("/")[0] for line in lines[:20]))
    context = {"ripple": found, "lines": lines, "book": f"/orders/lines/?where={quote(f'order {names}')}"}
    return render(request, "shipping/ripple_notice.html", context)


@dataclass(frozen=True)
class MovedLine:
    """A line as a ripple kept it; days as text."""

    line: int
    name: str
    item: str
    old: str | None
    new: str
    need_by: str

    @property
    def broken(self) -> bool:
        return self.new > self.need_by
