"""Writes of open matters."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal

from django.db import connection

from northing.access.models import Person
from northing.core.worklist.moves import Move
from northing.worklist.models import ExpectedDelivery, LineSummary, Matter, SavedView, Visit


def _remove_matters(closed: Sequence[tuple[str, int, int]]) -> None:
    if not closed:
        return
    with connection.cursor() as cursor:
        cursor.execute(
            f"delete from {Matter._meta.db_table} m using unnest(%s::text[], %s::bigint[], %s::bigint[])"
            " as c(kind, record, company_id)"
            " where m.kind = c.kind and m.record = c.record and m.company_id = c.company_id",
            [list(column) for column in zip(*closed, strict=True)],
        )


@dataclass(frozen=True, slots=True)
class MatterDraft:
    """An open matter, or (move None) one that is settled."""

    kind: str
    record: int
    company: int
    move: Move | None
    at_stake: Decimal = Decimal(0)
    per_day: Decimal = Decimal(0)
    person: int | None = None


def write_matters(drafts: Sequence[MatterDraft]) -> None:
    """Write the matters that are open and remove those that are not; a matter that is the same keeps its age."""
    _remove_matters([(draft.kind, draft.record, draft.company) for draft in drafts if draft.move is None])
    rows = [
        (
            draft.kind,
            draft.record,
            draft.company,
            draft.move.party,
            draft.move.reason,
            draft.move.since,
            draft.move.due,
            draft.at_stake,
            draft.per_day,
            draft.person,
        )
        for draft in drafts
        if draft.move is not None
    ]
    if rows:
        with connection.cursor() as cursor:
            cursor.execute(SETTLE, [list(column) for column in zip(*rows, strict=True)])


SETTLE = """
insert into worklist_matter as m
  (kind, record, company_id, party, reason, since, due, at_stake, per_day, person_id, changed_at)
select *, now() from unnest(%s::text[], %s::bigint[], %s::bigint[], %s::text[], %s::text[], %s::date[], %s::date[],
  %s::numeric[], %s::numeric[], %s::bigint[])
on conflict (kind, record, company_id) do update
   set party = excluded.party, reason = excluded.reason, since = excluded.since, due = excluded.due,
       at_stake = excluded.at_stake, per_day = excluded.per_day,
       person_id = excluded.person_id,
       changed_at = case when (m.party, m.reason) = (excluded.party, excluded.reason) then m.changed_at
                         else excluded.changed_at end
"""


def forget_unsent(orders: Iterable[int] | None = None) -> None:
    """Summaries of orders (ids; without them of all) that are no supply: drafts, and those taken back."""
    unsent = LineSummary.objects.filter(order__sent_at=None)
    (unsent if orders is None else unsent.filter(order__in=list(orders))).delete()
    expected = ExpectedDelivery.objects.filter(order__sent_at=None, order__isnull=False)
    (expected if orders is None else expected.filter(order__in=list(orders))).delete()


def save_view(owner: Person, name: str, query: str, shared: bool) -> None:
    """A view of the line book under a name."""
    SavedView.objects.update_or_create(owner=owner, name=name, defaults={"query": query, "shared": shared})


def forget_view(view: SavedView) -> None:
    """A view that its owner does not want any more."""
    view.delete()


def note_visit(person: Person, now: datetime, apart: timedelta) -> Visit:
    """This visit of the Watch, and the one before; within `apart` it is the same one."""
    visit, _ = Visit.objects.get_or_create(person=person, defaults={"at": now, "before": now})
    if now - visit.at > apart:
        visit.before = visit.at
    visit.at = now
    visit.save()
    return visit
