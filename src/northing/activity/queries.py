"""Reads of the story and of documents."""

from dataclasses import dataclass

from django.db.models import Q

from northing.activity.models import Document, HistoryEntry, HistoryLink

LIMIT = 100


REMARKABLE = (
    "case",
    *("order", "line", "shipment", "container", "charge", "item", "party", "voyage", "receipt"),
    *("bill", "kept", "payment"),
)


@dataclass(frozen=True)
class History:
    """The history of a record, newest last, and its documents; `word` filters, `more` is how much is older."""

    kind: str
    record: int
    entries: list[HistoryEntry]
    documents: list[Document]
    word: str = ""
    more: bool = False

    @property
    def remarkable(self) -> bool:
        """Whether people may remark on records of this kind."""
        return self.kind in REMARKABLE

    @property
    def shareable(self) -> bool:
        """Whether a supplier may be told."""
        return self.kind in ("order", "line", "case")


def history_of(kind: str, record: int, companies: set[int], word: str = "", limit: int = LIMIT) -> History:
    """The story of a record; what is of other companies only stays out.

    A word is looked for in what was done, in what changed, and in who did it.
    """
    seen = Q(company__isnull=True) | Q(company__in=companies)
    links = HistoryLink.objects.filter(seen, kind=kind, record=record).values("entry")
    entries = HistoryEntry.objects.filter(pk__in=links)
    word = word.replace("\x00", "").strip()[:60]
    if word:
        said = Q(text__icontains=word) | Q(changes__icontains=word) | Q(channel__iexact=word)
        who = Q(actor__first_name__icontains=word) | Q(actor__last_name__icontains=word)
        entries = entries.filter(said | who | Q(actor__username__iexact=word))
    entries = entries.select_related("actor").prefetch_related("entries").order_by("-at", "-id")
    found = list(entries[: limit + 1])
    documents = Document.objects.filter(seen, kind=kind, record=record).select_related("added_by")
    return History(kind, record, found[:limit][::-1], list(documents), word, len(found) > limit)
