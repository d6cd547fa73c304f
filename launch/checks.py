"""`./northing test`: linters, types, import contracts, built assets, then every test."""

import os
import subprocess
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor

from launch import assets
from launch.cluster import Cluster
from launch.places import ROOT, VENV, python
from launch.say import say
from launch.setup import prepare
from launch.world import surroundings

# The longest first.
CHECKS: list[tuple[str, list[str]]] = [
    ("mypy", ["mypy"]),
    ("import contracts", ["lint-imports"]),
    ("templates", ["djlint", "src", "--lint", "--quiet"]),
    ("ruff", ["ruff", "check", "."]),
    ("ruff format", ["ruff", "format", "--check", "--quiet", "."]),
]
# What every worker of the tests copies.
TEMPLATE = "import django; django.setup(); from tests.database import ensure_template; ensure_template()"
# No migration is edited after its release.
FROZEN = "from northing.database.frozen import faults; raise SystemExit('\\n'.join(faults()) or 0)"


def test(words: list[str]) -> int:
    """All checks, then pytest with `words`; the last line printed is pytest's own."""
    prepare(tests=True)
    scratch = Cluster("scratch")
    started = scratch.ensure()
    env = surroundings(scratch.url("northing_test"))
    env["PYTHONPATH"] += f"{os.pathsep}{ROOT}"
    env["DJANGO_SETTINGS_MODULE"] = "northing.settings.testing"
    django = [python(), "-m", "django", "makemigrations", "--check", "--dry-run", "-v", "1"]
    frozen = [python(), "-c", FROZEN]
    checks = [("database of the tests", [python(), "-c", TEMPLATE]), *CHECKS, ("migrations", django)]
    checks.append(("frozen migrations", frozen))
    try:
        # Side by side: each keeps one core busy.
        with ThreadPoolExecutor(os.cpu_count()) as pool:
            passed = list(pool.map(lambda check: _passes(check[0], check[1], env), checks))
        failed = [name for (name, _), fine in zip(checks, passed, strict=True) if not fine]
        if not assets.current():
            failed.append("built assets")
        if failed:
            say(f"failed before the tests: {', '.join(failed)}")
        tests = subprocess.run([python(), "-m", "pytest", "--durations=15", *words], env=env, cwd=ROOT).returncode
        return tests or int(bool(failed))
    finally:
        if started:
            scratch.stop()


def _passes(name: str, command: Sequence[str], env: dict[str, str]) -> bool:
    program = command[0] if command[0].startswith("/") else str(VENV / "bin" / command[0])
    done = subprocess.run(
        [program, *command[1:]], env=env, cwd=ROOT, text=True, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
    )
    say(f"{name}: {'fine' if done.returncode == 0 else 'FAILED'}")
    if done.returncode:
        print(done.stdout, flush=True)
    return done.returncode == 0
