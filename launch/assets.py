"""Built assets: remade with Node, checked without it by the digest of what they were made from."""

import hashlib
import shutil
import subprocess
from collections.abc import Iterable
from pathlib import Path

from launch.land import make_land
from launch.places import ROOT
from launch.say import Stop, run, say
from northing.core.sea.waters import DATA

BUILT = ROOT / "src" / "northing" / "static" / "built"
STAMP = BUILT / "made-from.txt"
FONTS = ["archivo-latin-wdth-normal.woff2", "archivo-latin-ext-wdth-normal.woff2"]


def _sources() -> Iterable[Path]:
    """Return what the stylesheet and the land depend on: their sources, the lock file, and whatever names a class."""
    yield from sorted(path for path in (ROOT / "assets").rglob("*") if path.suffix in (".css", ".mjs"))
    yield ROOT / "launch" / "land.py"
    yield from (ROOT / "src" / "northing" / "core" / "sea" / name for name in ("globe.py", "turns.py", "waters.py"))
    yield ROOT / "package-lock.json"
    package = ROOT / "src" / "northing"
    yield from sorted(
        path for path in package.rglob("*") if path.suffix in (".html", ".js") and BUILT not in path.parents
    )
    yield from sorted((package / "drawings").rglob("*.py"))


def _digest(paths: Iterable[Path]) -> str:
    total = hashlib.sha256()
    for path in paths:
        total.update(str(path.relative_to(ROOT)).encode() + b"\0" + path.read_bytes() + b"\0")
    return total.hexdigest()


def _stamp() -> str:
    outputs = [DATA, *sorted(path for path in BUILT.rglob("*") if path.is_file() and path != STAMP)]
    return f"sources {_digest(_sources())}\noutputs {_digest(outputs)}\n"


def _take_decoder() -> None:
    """The decoder of the camera's pictures, without the name of a map that is not shipped."""
    library = ROOT / "node_modules" / "@zxing" / "library"
    code = (library / "umd" / "index.min.js").read_text()
    (BUILT / "zxing.min.js").write_text(code.partition("//# sourceMappingURL")[0].rstrip() + "\n")
    shutil.copyfile(library / "LICENSE", BUILT / "zxing.LICENSE")


def current() -> bool:
    """Whether the committed files are what the sources would make."""
    if STAMP.exists() and STAMP.read_text() == _stamp():
        say("built assets: fine")
        return True
    say("built assets: NOT CURRENT; run ./northing build and commit src/northing/static/built")
    return False


def build(words: list[str]) -> int:
    """Remake src/northing/static/built, and the sea that lanes are found on."""
    if shutil.which("npm") is None:
        raise Stop("Node is missing; it is needed only to remake the assets: apt-get install nodejs npm")
    if not (ROOT / "node_modules").exists():
        say("installing the locked build tools")
        run(["npm", "ci", "--no-fund", "--no-audit"], "npm ci", cwd=ROOT)
    (BUILT / "fonts").mkdir(parents=True, exist_ok=True)
    fonts = ROOT / "node_modules" / "@fontsource-variable" / "archivo"
    for name in FONTS:
        shutil.copyfile(fonts / "files" / name, BUILT / "fonts" / name)
    shutil.copyfile(fonts / "LICENSE", BUILT / "fonts" / "LICENSE")
    _take_decoder()
    make_land(BUILT / "land.svg")
    status = subprocess.run(["npm", "run", "--silent", "build"], cwd=ROOT).returncode
    if status == 0:
        STAMP.write_text(_stamp())
        say("built")
    return status
