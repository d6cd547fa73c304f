"""The hash of each migration that was released: a frozen migration is never edited, every change is a new one."""

import hashlib
from pathlib import Path

PACKAGE = Path(__file__).resolve().parent.parent
LIST = Path(__file__).with_name("migrations.sha256")
MEND = "Put it back as it was and write a new migration."


def faults() -> list[str]:
    """Return what differs from the committed list, a sentence each: edited, gone, new."""
    kept, present = _kept(), _present()
    edited = [
        f"{name} was edited after its release. {MEND}" for name in kept if present.get(name, kept[name]) != kept[name]
    ]
    gone = [f"{name} is gone. {MEND}" for name in kept if name not in present]
    new = [f"{name} is new and not in the list. Freeze it: ./northing freeze" for name in present if name not in kept]
    return edited + gone + new


def freeze() -> None:
    """Add the new migrations to the list; what stands in it stays."""
    rows = {**_present(), **_kept()}
    LIST.write_text("".join(f"{mark}  {name}\n" for name, mark in sorted(rows.items())))


def _kept() -> dict[str, str]:
    lines = LIST.read_text().splitlines() if LIST.exists() else []
    return {name: mark for mark, name in (line.split("  ", 1) for line in lines)}


def _present() -> dict[str, str]:
    """The hash (SHA-256, hex) of each migration, and of the guards that migrations write into the database."""
    paths = [*PACKAGE.glob("*/migrations/0*.py"), Path(__file__).with_name("guards.py")]
    return {str(path.relative_to(PACKAGE)): hashlib.sha256(path.read_bytes()).hexdigest() for path in sorted(paths)}
