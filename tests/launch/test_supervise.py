"""What runs together: what dies starts again, and stopping leaves nothing behind, whoever was killed."""

import os
import signal
import sys
import time

import pytest
from launch import supervise
from launch.supervise import Program, configuration, members

SLEEP = [sys.executable, "-c", "import time; time.sleep(600)"]


@pytest.fixture
def running(tmp_path, monkeypatch):
    """A supervisor with a program that sleeps."""
    monkeypatch.setattr(supervise, "HOME", tmp_path)
    programs = [Program("sleeper", SLEEP, folder=tmp_path, log=tmp_path / "said.log")]
    process = supervise.start("test", programs, dict(os.environ))
    yield process
    supervise.stop(process.pid)
    process.wait()


def sleeper(session, other_than=0):
    """The program's process."""
    until = time.monotonic() + 20
    while time.monotonic() < until:
        found = [one for one in members(session) if one not in (session, other_than)]
        if found:
            return found[0]
        time.sleep(0.05)
    raise AssertionError("it does not run")


def test_what_is_killed_starts_again_and_stop_ends_all(running):
    first = sleeper(running.pid)
    os.kill(first, signal.SIGKILL)
    assert sleeper(running.pid, first) != first
    supervise.stop(running.pid)
    assert members(running.pid) == []


def test_a_killed_supervisor_leaves_nothing_after_stop(running):
    sleeper(running.pid)
    running.kill()
    running.wait()
    assert members(running.pid), "what it started goes on"
    supervise.stop(running.pid)
    assert members(running.pid) == []


def test_the_file_of_a_program_with_blanks_and_percent(tmp_path):
    text = configuration("x", [Program("web", [tmp_path / "my folder" / "run", "100%"], user="postgres", rank=1)])
    assert f'command="{tmp_path}/my folder/run" 100%%' in text
    assert "user=postgres" in text and "priority=1" in text and "autorestart=true" in text
