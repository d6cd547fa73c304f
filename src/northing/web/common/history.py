"""The story of a record as a page asks for it."""

from collections import defaultdict
from collections.abc import Iterable, Sequence

from northing.access.permissions import companies_of
from northing.activity.models import HistoryEntry, HistoryLink
from northing.activity.queries import History, history_of
from northing.orders.models import OrderLine

# An entry about more lines than these is about the whole.
FEW_LINES = 3


def history_for(request, kind: str, record: int) -> History:
    """The record's history as this person may see it; `?said=` filters it with a word. Entries name their lines."""
    companies = companies_of(request.user)
    found = history_of(kind, record, companies, request.GET.get("said", ""))
    if kind != "line":
        whole = OrderLine.objects.filter(order=record).count() if kind == "order" else FEW_LINES + 1
        _name_lines(found.entries, companies, whole)
    return found


def _name_lines(entries: Sequence[HistoryEntry], companies: Iterable[int], whole: int) -> None:
    """Each entry gets `lines`: the few order lines of the companies (ids) that it is about, or none for the whole."""
    links = HistoryLink.objects.filter(entry__in=[entry.pk for entry in entries], kind="line")
    of_entry: dict[int, set[int]] = defaultdict(set)
    for entry, line in links.values_list("entry", "record"):
        of_entry[entry].add(line)
    few = {entry: lines for entry, lines in of_entry.items() if len(lines) <= FEW_LINES and len(lines) < whole}
    seen = OrderLine.objects.filter(order__company__in=companies).select_related("order", "item")
    lines = seen.in_bulk(set().union(*few.values()))
    for entry in entries:
        entry.lines = [lines[key] for key in sorted(few.get(entry.pk, ())) if key in lines]
