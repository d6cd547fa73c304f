"""Where things of this checkout live. Everything made at run time is below `.northing/`, ignored by git."""

import hashlib
import os
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
HOME = ROOT / ".northing"
VENV = HOME / "venv"
REQUIREMENTS = ROOT / "requirements"
POSTGRES_BIN = Path("/usr/lib/postgresql/15/bin")


def python() -> str:
    """The interpreter of the private environment."""
    return str(VENV / "bin" / "python")


def cluster_folder(name: str) -> Path:
    """Folder of a database cluster.

    PostgreSQL refuses to run as root, so as root it runs as `postgres`, who must be able to walk
    to the folder: a checkout below a private home keeps its cluster under /var/tmp instead.
    """
    if os.getuid() == 0 and not all(_walkable(folder) for folder in (ROOT, *ROOT.parents)):
        mark = hashlib.sha256(str(ROOT).encode()).hexdigest()[:12]
        return Path("/var/tmp") / f"northing-{mark}" / name
    return HOME / name


def _walkable(folder: Path) -> bool:
    return bool(folder.stat().st_mode & 0o001)
