"""Which deliveries a dock is asked about: of the person's sites, by words, a window, a last day, or as picked."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from django.db.models import Count, Q, QuerySet

from northing.access.models import Person
from northing.access.queries import scoped
from northing.masterdata.models import Site
from northing.reports.dock_day import expected, windows
from northing.web.common.keys import keys_of
from northing.web.receiving.found import deliveries_found, words_of
from northing.worklist.models import ExpectedDelivery

# A scanned label is longer than any words.
LONGEST = 200
# Deliveries that are picked by hand.
MOST_PICKS = 500
WINDOWS = {"overdue": "Overdue", "today": "Today", "week": "Next 7 days", "later": "Later", "unplanned": "Not planned"}


@dataclass(frozen=True)
class Deliveries:
    """What is asked for: a site (by code, else all), words, a window, the last day, and deliveries (ids)."""

    site: str = ""
    words: str = ""
    when: str = ""
    until: date | None = None
    picks: Sequence[int] = ()

    def of(self, sites: Sequence[Site], today: date) -> QuerySet[ExpectedDelivery]:
        """The deliveries to those sites. Picked ones are meant alone."""
        found = self.named(sites)
        if self.picks:
            return found.filter(pk__in=self.picks)
        if self.when in WINDOWS:
            found = found.filter(windows(today)[self.when])
        return found.filter(expected_on__lte=self.until) if self.until else found

    def named(self, sites: Sequence[Site]) -> QuerySet[ExpectedDelivery]:
        """Those that the words mean, whatever their day."""
        found = expected([site.pk for site in sites if self.site in ("", site.code)])
        words = words_of(self.words)
        return deliveries_found(found, words) if words else found

    def title(self, today: date) -> str:
        """The choice, in words."""
        parts = [self.site or "All sites", WINDOWS.get(self.when, "all days").lower()]
        parts += [f"up to {self.until:%-d %b %Y}"] if self.until else []
        parts = [self.site or "All sites", f"{len(self.picks)} picked"] if self.picks else parts
        return f"{', '.join(parts)}, as of {today:%-d %b %Y}" + (f", “{self.words}”" if self.words else "")

    def as_request(self) -> dict[str, object]:
        """As a job keeps it."""
        until = self.until.isoformat() if self.until else ""
        return {"site": self.site, "words": self.words, "when": self.when, "until": until, "picks": list(self.picks)}


def of_request(kept: dict) -> Deliveries:
    """The deliveries that a job was asked for."""
    until = date.fromisoformat(kept["until"]) if kept["until"] else None
    return Deliveries(kept["site"], kept["words"], kept["when"], until, kept["picks"])


def of_form(data, site: Site | None) -> Deliveries:
    """The deliveries that a form asks for; nonsense is left out."""
    return Deliveries(
        site.code if site else "",
        data.get("q", "").replace("\x00", "").strip()[:LONGEST],
        data.get("when", "")[:20],
        _day(data.get("until", "")),
        keys_of(data.getlist("pick")[:MOST_PICKS]),
    )


def _day(said: str) -> date | None:
    try:
        return date.fromisoformat(said)
    except ValueError:
        return None


def sites_of(person: Person) -> list[Site]:
    """The sites whose dock the person sees, each with how many receipts of its warehouse wait (`told`)."""
    waiting = Count("told_receipts", filter=Q(told_receipts__state="shown"))
    return list(scoped(Site.objects.annotate(told=waiting), person))
