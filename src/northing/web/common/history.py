"""The story of a record as a page asks for it."""

from northing.access.rights import companies_of
from northing.activity.queries import Story, story_of


def told(request, kind: str, record: int) -> Story:
    """What is told of the record to this person; `?said=` filters it with a word."""
    return story_of(kind, record, companies_of(request.user), request.GET.get("said", ""))
