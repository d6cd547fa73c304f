"""Writes of movements and positions, set-based; and of matters."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from django.db import connection

from northing.core.moves import Move
from northing.core.places import COLUMNS, PLACES, SOURCES
from northing.papers.models import StoryEntry
from northing.standing.models import Matter, Movement, Position

PLACE_COLUMNS = {name: name for name in PLACES}


@dataclass(frozen=True, slots=True)
class MoveDraft:
    """Units of an instalment going from one place to another."""

    instalment: int
    source: str
    target: str
    quantity: Decimal
    stowage: int | None = None


def open_positions(instalments: Iterable[int]) -> None:
    """Empty positions of instalments that just became supply."""
    Position.objects.bulk_create([Position(instalment_id=pk) for pk in instalments], ignore_conflicts=True)


def locked_positions(instalments: Iterable[int]) -> dict[int, Position]:
    """The positions, locked in key order, so that two deeds on the same units come one after the other."""
    found = Position.objects.select_for_update().filter(instalment__in=list(instalments)).order_by("pk")
    return {position.pk: position for position in found}


def move(story: StoryEntry, drafts: Sequence[MoveDraft]) -> None:
    """Write the movements and bring the positions along, in two statements.

    The table's own constraints refuse a place below zero and a broken identity.
    """
    drafts = [draft for draft in drafts if draft.quantity]
    if not drafts:
        return
    _write_movements(story, drafts)
    _add_to_positions(_differences(drafts))


MOVE_ALL = """
with units as materialized ({units}), told as (
  insert into standing_movement (instalment_id, stowage_id, quantity, source, target, story_id)
  select instalment, stowage, quantity, %s, %s, %s from units
)
update standing_position p
   set {source} = p.{source} - d.quantity, {target} = p.{target} + d.quantity
  from (select instalment, sum(quantity) as quantity from units group by instalment) d
 where p.instalment_id = d.instalment
"""


def move_all(story: StoryEntry, source: str, target: str, units: str, values: Sequence[object]) -> None:
    """Move whatever the query `units` (instalment, stowage, quantity) finds from one place to another.

    For the many units of a vessel: nothing of them leaves the database. Rows are locked as the update comes
    upon them, so that two of these may meet crosswise; `papers.operations.once` then lets one begin again.
    """
    statement = MOVE_ALL.format(units=units, source=PLACE_COLUMNS[source], target=PLACE_COLUMNS[target])
    with connection.cursor() as cursor:
        cursor.execute(statement, [*values, source, target, story.pk])


def _write_movements(story: StoryEntry, drafts: Sequence[MoveDraft]) -> None:
    table = Movement._meta.db_table
    with connection.cursor() as cursor:
        cursor.execute(
            f"insert into {table} (instalment_id, source, target, quantity, stowage_id, story_id)"
            " select *, %s from unnest(%s::bigint[], %s::text[], %s::text[], %s::numeric[], %s::bigint[])",
            [
                story.pk,
                [draft.instalment for draft in drafts],
                [draft.source for draft in drafts],
                [draft.target for draft in drafts],
                [draft.quantity for draft in drafts],
                [draft.stowage for draft in drafts],
            ],
        )


def _differences(drafts: Sequence[MoveDraft]) -> dict[int, dict[str, Decimal]]:
    found: dict[int, dict[str, Decimal]] = {}
    for draft in drafts:
        of_instalment = found.setdefault(draft.instalment, {})
        leaves = draft.quantity if draft.source in SOURCES else -draft.quantity
        comes = -draft.quantity if draft.target in SOURCES else draft.quantity
        of_instalment[draft.source] = of_instalment.get(draft.source, Decimal(0)) + leaves
        of_instalment[draft.target] = of_instalment.get(draft.target, Decimal(0)) + comes
    return found


def _add_to_positions(differences: dict[int, dict[str, Decimal]]) -> None:
    touched = [name for name in COLUMNS if any(name in columns for columns in differences.values())]
    sets = ", ".join(f"{name} = p.{name} + d.{name}" for name in touched)
    arrays = ", ".join("%s::numeric[]" for _ in touched)
    values = [[columns.get(name, Decimal(0)) for columns in differences.values()] for name in touched]
    with connection.cursor() as cursor:
        cursor.execute(
            f"select 1 from {Position._meta.db_table} where instalment_id = any(%s) order by instalment_id for update",
            [list(differences)],
        )
        cursor.execute(
            f"update {Position._meta.db_table} p set {sets}"
            f" from unnest(%s::bigint[], {arrays}) as d(id, {', '.join(touched)}) where p.instalment_id = d.id",
            [list(differences), *values],
        )
        if cursor.rowcount != len(differences):
            raise LookupError("an instalment has no position")


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
    subject: str = ""
    url: str = ""
    at_stake: Decimal = Decimal(0)
    per_day: Decimal = Decimal(0)
    person: int | None = None


SETTLE = """
insert into standing_matter as m
  (kind, record, company_id, party, reason, since, due, subject, url, at_stake, per_day, person_id, changed_at)
select *, now() from unnest(%s::text[], %s::bigint[], %s::bigint[], %s::text[], %s::text[], %s::date[], %s::date[],
  %s::text[], %s::text[], %s::numeric[], %s::numeric[], %s::bigint[])
on conflict (kind, record, company_id) do update
   set party = excluded.party, reason = excluded.reason, since = excluded.since, due = excluded.due,
       subject = excluded.subject, url = excluded.url, at_stake = excluded.at_stake, per_day = excluded.per_day,
       person_id = excluded.person_id,
       changed_at = case when (m.party, m.reason) = (excluded.party, excluded.reason) then m.changed_at
                         else excluded.changed_at end
"""


def settle_matters(drafts: Sequence[MatterDraft]) -> None:
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
            draft.subject[:160],
            draft.url,
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
