"""Uploaded files, read from a file that is gone afterwards."""

import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from northing.core.problems import Problem, Refused

T = TypeVar("T")
LARGEST = 20_000_000


def read_upload(upload, read: Callable[[Path], T]) -> T:
    """The contents of an uploaded file, as `read` reads them from a path. Raises Refused."""
    if upload.size > LARGEST:
        raise Refused(Problem(f"The file is larger than {LARGEST // 1_000_000} MB.", "file", "Split it."))
    with tempfile.NamedTemporaryFile() as kept:
        for chunk in upload.chunks():
            kept.write(chunk)
        kept.flush()
        return read(Path(kept.name))
