"""How the launcher speaks: what it is doing, and what stops it."""

import subprocess
import sys
from collections.abc import Mapping, Sequence
from pathlib import Path


class Stop(Exception):
    """What is missing, and the way to get it."""


def say(text: str) -> None:
    """One line about what is being done."""
    print(f"northing: {text}", file=sys.stderr, flush=True)


def run(
    command: Sequence[str | Path], doing: str, env: Mapping[str, str] | None = None, cwd: Path | None = None
) -> str:
    """Run quietly; on failure raise Stop with what the command said."""
    done = subprocess.run(
        [str(part) for part in command], env=env, cwd=cwd, text=True, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
    )
    if done.returncode:
        raise Stop(f"{doing} failed:\n{done.stdout.strip()[-3000:]}")
    return done.stdout
