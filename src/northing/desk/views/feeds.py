"""Calendars of arrivals: made and ended by people, read by whatever shows calendars."""

from django.conf import settings
from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.core.problems import Refused
from northing.deeds.house import feeds
from northing.desk.callers import caller_of
from northing.desk.forms.base import act_of
from northing.directory.models import Site
from northing.directory.queries import scoped
from northing.formats.icalendar import calendar
from northing.reports import arrivals as report


@login_not_required
def arrivals(request, token: str):
    """What arrives at a site, for who has the address."""
    try:
        feed = feeds.opened(token, timezone.now(), caller_of(request))
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


@require_POST
def make(request, site_id: int):
    """Make a calendar; its address is shown once."""
    site = get_object_or_404(scoped(Site.objects.all(), request.user), pk=site_id)
    link = feeds.make_feed(act_of(request), feeds.FeedRequest(site.pk))
    answer = render(request, "desk/feed.html", {"site": site, "link": link})
    answer["Cache-Control"] = "no-store"
    return answer


@require_POST
def end(request, site_id: int):
    """End all calendars of a site."""
    site = get_object_or_404(scoped(Site.objects.all(), request.user), pk=site_id)
    ended = feeds.end_feeds(act_of(request, request.POST.get("key", "")), feeds.FeedRequest(site.pk))
    messages.success(request, f"{ended} calendars of {site} have ended.")
    return redirect("record", "site", site.pk)
