"""Which databases fit this code: each state that a release or a migration since then made, with its fingerprints."""

import json
from dataclasses import dataclass
from pathlib import Path

from django.db.migrations.loader import MigrationLoader

from northing import __version__
from northing.database.schema import applied, digest, schema

STATES = Path(__file__).with_name("states.json")
EMPTY, CURRENT, FORWARD, REFUSED = "empty", "current", "forward", "refused"
KEEP = "Nothing was changed."
OLD = "Go on with the version that made it; opening files bring its open orders, goods and stock into a new database."
MOST_NAMED = 5


@dataclass(frozen=True)
class Fit:
    """How a database fits the code: `empty`, `current`, `forward` (it only has to be upgraded) or `refused`."""

    how: str
    version: str
    words: str


def states() -> list[dict]:
    """Return the known states, oldest first: `version`, `migrations` (how many, and their mark) and `schema`."""
    return json.loads(STATES.read_text())


def mark(migrations: set[str]) -> str:
    """Return the mark of a set of migrations.

    >>> mark({"b.0001", "a.0001"}) == mark({"a.0001", "b.0001"})
    True
    """
    return digest("\n".join(sorted(migrations)))


def migrations_of_code() -> set[str]:
    """Return the migrations (`app.name`) that this code brings, its packages' included."""
    return {f"{app}.{name}" for app, name in MigrationLoader(None).disk_migrations}


def fit() -> Fit:
    """Compare the database with the code, by its applied migrations and by its fingerprints."""
    has, wants, tables = applied(), migrations_of_code(), schema()
    if not has and not tables:
        return Fit(EMPTY, "", "The database is empty.")
    newer = sorted(has - wants)
    if newer:
        words = f"The database is of a newer version than {__version__}: it has {_named(newer)}."
        return Fit(REFUSED, "", f"{words} Start it with that version. {KEEP}")
    known = next((state for state in states() if state["migrations"] == mark(has)), None)
    if known is None:
        words = (
            f"The database is of before 1.0.0, or an upgrade of it broke off: it lacks {_named(sorted(wants - has))}."
        )
        return Fit(REFUSED, "", f"{words} {OLD} {KEEP}")
    names = {*known["schema"], *tables}
    other = sorted(name for name in names if known["schema"].get(name) != tables.get(name))
    if other:
        words = f"The database says that it is of version {known['version']}, but {_named(other)} differ from it:"
        return Fit(REFUSED, "", f"{words} it was made before 1.0.0, or changed by hand. {OLD} {KEEP}")
    if has == wants:
        return Fit(CURRENT, known["version"], "The database fits.")
    words = f"The database is of version {known['version']}; it has to be upgraded: {_named(sorted(wants - has))}."
    return Fit(FORWARD, known["version"], words)


def _named(names: list[str]) -> str:
    more = f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else ""
    return ", ".join(names[:MOST_NAMED]) + more
