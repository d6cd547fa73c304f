"""Pages of a PDF as pictures, so that a paper can be read beside a form.

Papers come from outside. They are drawn by a program of their own, which may use little memory and time and is given
nothing else; whatever it does, the server goes on.
"""

import subprocess
from collections.abc import Sequence
from pathlib import Path

# Dots per inch, and the longest side in dots: a page of A4 is read well, and one of a plan stays small.
DOTS, LONGEST = 110, 1_400
# Pages shown beside a form; the rest are read in the document itself.
MOST = 5
SECONDS, MEMORY = 10, 1 << 30
# The limits are set by a program too: the server has threads, and may run no code of its own between fork and exec.
BOUNDED = ("prlimit", f"--as={MEMORY}", f"--cpu={SECONDS}", "--fsize=0")


def page_count(path: Path) -> int:
    """How many pages are shown: at most `MOST`; 0 where the file cannot be read as a PDF."""
    for line in _run(["pdfinfo", str(path)]).decode("utf-8", "replace").splitlines():
        name, _, value = line.partition(":")
        if name == "Pages" and value.strip().isdecimal():
            return min(int(value), MOST)
    return 0


def picture_of(path: Path, page: int) -> bytes:
    """A page (from 1) as PNG; empty where it cannot be drawn."""
    if not 1 <= page <= MOST:
        return b""
    size = ["-r", str(DOTS), "-scale-to", str(LONGEST)]
    made = _run(["pdftoppm", "-png", *size, "-f", str(page), "-l", str(page), "-singlefile", str(path)])
    return made if made.startswith(b"\x89PNG") else b""


def _run(command: Sequence[str]) -> bytes:
    """What the program writes; nothing where it fails or takes too much."""
    try:
        done = subprocess.run([*BOUNDED, *command], capture_output=True, timeout=SECONDS, env={"PATH": "/usr/bin"})
    except (OSError, subprocess.SubprocessError):
        return b""
    return done.stdout if done.returncode == 0 else b""
