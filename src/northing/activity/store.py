"""Content on disk under its own digest: whole or not there, and proved when it is read."""

import contextlib
import hashlib
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO


@contextlib.contextmanager
def written_beside(folder: Path) -> Iterator[tuple[BinaryIO, Path]]:
    """A new file in the folder under a passing name; it is gone where the block fails."""
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=folder, prefix=".part-", delete=False) as file:
        path = Path(file.name)
        try:
            yield file, path
        except BaseException:
            path.unlink(missing_ok=True)
            raise


def settle(file: BinaryIO, path: Path, target: Path) -> None:
    """Put a file that is complete under its name: on disk before it is there, so that a power cut leaves no half."""
    file.flush()
    os.fsync(file.fileno())
    path.rename(target)
    folder = os.open(target.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def keep(target: Path, content: bytes) -> None:
    """Write the content under its name; what lies there torn is replaced."""
    with written_beside(target.parent) as (file, path):
        file.write(content)
        settle(file, path, target)


def is_whole(path: Path, digest: str) -> bool:
    """Whether a file is there and is what its digest (SHA-256, hex) says."""
    try:
        with path.open("rb") as file:
            found = hashlib.file_digest(file, "sha256")
    except FileNotFoundError:
        return False
    return found.hexdigest() == digest
