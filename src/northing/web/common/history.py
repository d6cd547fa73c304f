"""The story of a record as a page asks for it."""

from northing.access.permissions import companies_of
from northing.activity.queries import History, history_of


def history_for(request, kind: str, record: int) -> History:
    """The record's history as this person may see it; `?said=` filters it with a word."""
    return history_of(kind, record, companies_of(request.user), request.GET.get("said", ""))
