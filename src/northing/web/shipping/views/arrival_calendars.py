"""Calendars of arrivals: made and ended by people, read by whatever shows calendars."""

from django.conf import settings
from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.queries import scoped
from northing.actions.shipping import arrival_calendars
from northing.core.problems import Refused
from northing.formats.icalendar import calendar
from northing.masterdata.models import Site
from northing.reports import arrivals as report
from northing.web.common.callers import caller_of
from northing.web.common.forms import act_of
from northing.web.common.permissions import EVERY, acts_for, open_page


@open_page
@login_not_required
def arrivals(request, token: str):
    """The arrivals at a site, for who has the address."""
    try:
        feed = arrival_calendars.opened(token, timezone.now(), caller_of(request))
    except Refused:
        return HttpResponse("Wait a minute.", status=429, content_type="text/plain")
    if feed is None:
        return HttpResponse("There is no such calendar.", status=404, content_type="text/plain")
    events = report.arrivals(feed.site_id, timezone.localdate(), settings.PUBLIC_URL)
    text = calendar(f"Arrivals at {feed.site}", events, timezone.now())
    answer = HttpResponse(text, content_type="text/calendar; charset=utf-8")
    answer["Cache-Control"] = "private, max-age=900"
    answer["Referrer-Policy"] = "no-referrer"
    return answer


@acts_for(*EVERY)
@require_POST
def make(request, site_id: int):
    """Make a calendar; its address is shown once."""
    site = get_object_or_404(scoped(Site.objects.all(), request.user), pk=site_id)
    link = arrival_calendars.make_feed(act_of(request), arrival_calendars.FeedRequest(site.pk))
    answer = render(request, "shipping/arrival_calendar.html", {"site": site, "link": link})
    answer["Cache-Control"] = "no-store"
    return answer


@acts_for(*EVERY)
@require_POST
def end(request, site_id: int):
    """End all calendars of a site."""
    site = get_object_or_404(scoped(Site.objects.all(), request.user), pk=site_id)
    ended = arrival_calendars.end_feeds(
        act_of(request, request.POST.get("key", "")), arrival_calendars.FeedRequest(site.pk)
    )
    messages.success(request, f"{ended} calendars of {site} have ended.")
    return redirect("record", "site", site.pk)
