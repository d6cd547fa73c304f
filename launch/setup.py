"""Set-up on a fresh machine: Debian's packages, the private environment."""

import hashlib
import importlib.util
import os
import shutil
import subprocess
import sys
from pathlib import Path

from launch.places import HOME, POSTGRES_BIN, REQUIREMENTS, VENV, python
from launch.say import Stop, run, say


def prepare(*, tests: bool = False) -> None:
    """Everything a command needs before it can run; quick when it is there already."""
    wanted = _missing_packages(tests)
    if wanted:
        _install(wanted)
    still = _missing_packages(tests)
    if still:
        raise Stop(f"these Debian packages are missing: {' '.join(still)}\n  apt-get install {' '.join(still)}")
    HOME.mkdir(exist_ok=True)
    environment(["base.txt", "dev.txt"] if tests else ["base.txt"])


def _missing_packages(tests: bool) -> list[str]:
    missing = []
    if importlib.util.find_spec("ensurepip") is None:
        missing.append("python3-venv")
    if not (POSTGRES_BIN / "initdb").exists():
        missing.append("postgresql-15")
    if os.getuid() == 0 and shutil.which("runuser") is None:
        missing.append("util-linux")
    # What draws PDF papers links these; each file is asked for, since no program of theirs is.
    libraries = {
        "libpango-1.0-0": "libpango-1.0.so.0",
        "libpangoft2-1.0-0": "libpangoft2-1.0.so.0",
        # Without it the maker of PDF papers warns on every letter.
        "libharfbuzz-subset0": "libharfbuzz-subset.so.0",
    }
    missing += [name for name, file in libraries.items() if not any(Path("/usr/lib").glob(f"*/{file}"))]
    # Draws the pages of PDF papers beside a form.
    if shutil.which("pdftoppm") is None:
        missing.append("poppler-utils")
    if tests and not Path("/usr/bin/chromium").exists():
        missing.append("chromium")
    return missing


def _install(packages: list[str]) -> None:
    if shutil.which("apt-get") is None:
        return
    prefix = [] if os.getuid() == 0 else ["sudo", "-n"]
    if prefix and (
        shutil.which("sudo") is None or subprocess.run(["sudo", "-n", "true"], capture_output=True).returncode
    ):
        return
    say(f"installing from Debian's packages: {' '.join(packages)}")
    run([*prefix, "apt-get", "update", "-qq"], "apt-get update")
    quiet = ["env", "DEBIAN_FRONTEND=noninteractive", "apt-get", "install", "-y", "-qq", "--no-install-recommends"]
    run([*prefix, *quiet, *packages], "apt-get install")


def environment(files: list[str]) -> None:
    """A venv that holds exactly the locked requirements, each checked against its hash."""
    stamp = VENV / ".northing-stamp"
    wanted = {name: hashlib.sha256((REQUIREMENTS / name).read_bytes()).hexdigest() for name in files}
    have = dict(line.split() for line in stamp.read_text().splitlines()) if stamp.exists() else {}
    if all(have.get(name) == mark for name, mark in wanted.items()):
        return
    if not (VENV / "bin" / "python").exists():
        say("making the private Python environment")
        run([sys.executable, "-m", "venv", "--clear", VENV], "python -m venv")
    for name in (name for name in files if have.get(name) != wanted[name]):
        say(f"installing the locked requirements of {name}")
        pip = [python(), "-m", "pip", "install", "--quiet", "--disable-pip-version-check"]
        locked = ["--no-deps", "--require-hashes", "--only-binary", ":all:", "-r", str(REQUIREMENTS / name)]
        run([*pip, *locked], f"pip install of {name}")
        have[name] = wanted[name]
        stamp.write_text("".join(f"{key} {mark}\n" for key, mark in have.items()))
