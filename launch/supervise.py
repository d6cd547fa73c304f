"""Processes that run together under supervisord: one that dies is started again, later while it does not stay up."""

import contextlib
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from launch.places import HOME, ROOT, python
from launch.say import Stop

# As often as it takes: a database that is repaired tonight finds its worker tomorrow.
TRIES = 100_000
# Seconds for one program to end, and for all of them, one after the other.
PATIENCE, ALTOGETHER = 20.0, 90.0


@dataclass(frozen=True)
class Program:
    """A process that is to be there: its command, and what differs from the others."""

    name: str
    command: Sequence[str | Path]
    user: str = ""
    folder: Path = ROOT
    # What starts first is stopped last.
    rank: int = 10
    # The signal that ends it without loss.
    stop: str = "TERM"
    # Where it writes what it says; else where the supervisor does.
    log: Path | None = None


def configuration(name: str, programs: Sequence[Program]) -> str:
    """The text of supervisord's file for what is called `name`."""
    head = [
        "[supervisord]",
        "nodaemon=true",
        f"pidfile={HOME / f'{name}.supervisor.pid'}",
        f"logfile={HOME / f'{name}.supervisor.log'}",
        "logfile_maxbytes=1MB",
        "loglevel=warn",
        f"childlogdir={HOME}",
        "strip_ansi=false",
    ]
    if os.getuid() == 0:
        head.append("user=root")
    return "\n".join([*head, *(_section(program) for program in programs), ""]).replace("%", "%%")


def _section(program: Program) -> str:
    rows = [
        f"\n[program:{program.name}]",
        f"command={' '.join(_quoted(str(word)) for word in program.command)}",
        f"directory={program.folder}",
        f"priority={program.rank}",
        f"startretries={TRIES}",
        "autorestart=true",
        "startsecs=2",
        f"stopsignal={program.stop}",
        f"stopwaitsecs={PATIENCE:.0f}",
        *(_log(stream, number, program.log) for number, stream in ((1, "stdout"), (2, "stderr"))),
    ]
    if program.user:
        rows.append(f"user={program.user}")
    return "\n".join(rows)


def _log(stream: str, number: int, file: Path | None) -> str:
    if file is None:
        return f"{stream}_logfile=/dev/fd/{number}\n{stream}_logfile_maxbytes=0"
    return f"{stream}_logfile={file.with_suffix(f'.{stream}')}\n{stream}_logfile_maxbytes=5MB"


def _quoted(word: str) -> str:
    return f'"{word}"' if " " in word else word


def start(name: str, programs: Sequence[Program], env: Mapping[str, str]) -> subprocess.Popen[bytes]:
    """Start the programs under a supervisor of their own, in a session of its own."""
    file = HOME / f"{name}.supervisor.conf"
    file.write_text(configuration(name, programs))
    file.chmod(0o600)
    command = [python(), "-m", "supervisor.supervisord", "-c", str(file)]
    return subprocess.Popen(command, env=dict(env), cwd=ROOT, start_new_session=True, stdout=sys.stderr)


def stop(session: int) -> None:
    """End a supervisor and all that it started, also where it was killed and left them behind."""
    _signal([session], signal.SIGTERM)
    _wait(lambda: session not in members(session), ALTOGETHER)
    for which in (signal.SIGTERM, signal.SIGKILL):
        _signal(members(session), which)
        _wait(lambda: not members(session), PATIENCE)
    if members(session):
        raise Stop(f"these processes do not end: {members(session)}")


def members(session: int) -> list[int]:
    """The processes (ids) of a session that still run."""
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            with contextlib.suppress(OSError, ValueError, IndexError):
                state, _, _, of_session = (entry / "stat").read_text().rpartition(")")[2].split()[:4]
                if int(of_session) == session and state not in "ZX":
                    found.append(int(entry.name))
    return found


def _wait(is_so: Callable[[], bool], seconds: float) -> None:
    until = time.monotonic() + seconds
    while not is_so() and time.monotonic() < until:
        time.sleep(0.1)


def _signal(processes: Sequence[int], which: signal.Signals) -> None:
    for process in processes:
        with contextlib.suppress(ProcessLookupError):
            os.kill(process, which)
