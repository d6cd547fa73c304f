"""Reads of the story."""

from django.db.models import Q

from northing.papers.models import StoryEntry, StoryLink


def story_of(kind: str, record: int, companies: set[int], limit: int = 100) -> list[StoryEntry]:
    """Entries about a record, newest last; what is of other companies only stays out."""
    seen = Q(company__isnull=True) | Q(company__in=companies)
    links = StoryLink.objects.filter(seen, kind=kind, record=record).values("entry")
    entries = (
        StoryEntry.objects.filter(pk__in=links)
        .select_related("actor")
        .prefetch_related("entries")
        .order_by("-at", "-id")
    )
    return list(entries[:limit])[::-1]
