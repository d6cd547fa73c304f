"""Writes of movements and positions, set-based; and of matters."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from django.db import connection

from northing.activity.models import HistoryEntry
from northing.core.positions.places import COLUMNS, PLACES, SOURCES
from northing.positions.models import Movement, Position

PLACE_COLUMNS = {name: name for name in PLACES}


@dataclass(frozen=True, slots=True)
class MoveDraft:
    """Units of an instalment going from one place to another."""

    instalment: int
    source: str
    target: str
    quantity: Decimal
    shipment_line: int | None = None


def open_positions(instalments: Iterable[int]) -> None:
    """Empty positions of instalments that just became supply."""
    Position.objects.bulk_create([Position(instalment_id=pk) for pk in instalments], ignore_conflicts=True)


SUPPLY = f"""
insert into {Position._meta.db_table} as p ({", ".join(["instalment_id", *COLUMNS])})
select instalment, {", ".join("quantity" if name in ("ordered", "with_supplier") else "0" for name in COLUMNS)}
  from unnest(%s::bigint[], %s::numeric[]) as u (instalment, quantity) order by instalment
    on conflict (instalment_id) do update
   set ordered = p.ordered + excluded.ordered, with_supplier = p.with_supplier + excluded.with_supplier
"""


def supply(history: HistoryEntry, units: Sequence[tuple[int, Decimal]]) -> None:
    """Instalments (ids) become supply: so many units are ordered, and with the supplier. In two statements."""
    with connection.cursor() as cursor:
        cursor.execute(SUPPLY, [[key for key, _ in units], [quantity for _, quantity in units]])
    _write_movements([(history, MoveDraft(key, "ordered", "with_supplier", quantity)) for key, quantity in units])


def locked_positions(instalments: Iterable[int]) -> dict[int, Position]:
    """The positions, locked in key order, so that two actions on the same units come one after the other."""
    found = Position.objects.select_for_update().filter(instalment__in=list(instalments)).order_by("pk")
    return {position.pk: position for position in found}


def move(history: HistoryEntry, drafts: Sequence[MoveDraft]) -> None:
    """Write the movements and bring the positions along, in two statements.

    The table's own constraints refuse a place below zero and a broken identity.
    """
    move_rows([(history, draft) for draft in drafts])


def move_rows(rows: Sequence[tuple[HistoryEntry, MoveDraft]]) -> None:
    """`move` for many stories at once, in two statements."""
    rows = [(history, draft) for history, draft in rows if draft.quantity]
    if not rows:
        return
    _write_movements(rows)
    _add_to_positions(_differences([draft for _, draft in rows]))


MOVE_ALL = """
with units as materialized ({units}), told as (
  insert into positions_movement (instalment_id, shipment_line_id, quantity, source, target, history_id)
  select instalment, shipment_line, quantity, %s, %s, %s from units
)
update positions_position p
   set {source} = p.{source} - d.quantity, {target} = p.{target} + d.quantity
  from (select instalment, sum(quantity) as quantity from units group by instalment) d
 where p.instalment_id = d.instalment
"""


def move_all(history: HistoryEntry, source: str, target: str, units: str, values: Sequence[object]) -> None:
    """Move whatever the query `units` (instalment, shipment_line, quantity) finds from one place to another.

    For the many units of a vessel: nothing of them leaves the database. Rows are locked as the update comes
    upon them, so that two of these may meet crosswise; `papers.operations.once` then lets one begin again.
    """
    statement = MOVE_ALL.format(units=units, source=PLACE_COLUMNS[source], target=PLACE_COLUMNS[target])
    with connection.cursor() as cursor:
        cursor.execute(statement, [*values, source, target, history.pk])


def _write_movements(rows: Sequence[tuple[HistoryEntry, MoveDraft]]) -> None:
    table = Movement._meta.db_table
    with connection.cursor() as cursor:
        cursor.execute(
            f"insert into {table} (instalment_id, source, target, quantity, shipment_line_id, history_id)"
            " select * from unnest(%s::bigint[], %s::text[], %s::text[], %s::numeric[], %s::bigint[], %s::bigint[])",
            [
                [draft.instalment for _, draft in rows],
                [draft.source for _, draft in rows],
                [draft.target for _, draft in rows],
                [draft.quantity for _, draft in rows],
                [draft.shipment_line for _, draft in rows],
                [history.pk for history, _ in rows],
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
