"""The commands that work on the demo world: demo, stop, manage, psql, bench, shots."""

import argparse
import os
import shutil
import signal
import subprocess
import time
import urllib.error
import urllib.request
from pathlib import Path

from launch.cluster import Cluster, free_port
from launch.places import HOME, ROOT, python
from launch.say import Stop, run, say
from launch.setup import prepare

DATA = Cluster("data")
DATABASE = "northing"
RUNNING = HOME / "server.running"


def surroundings(database_url: str) -> dict[str, str]:
    """Environment of every Django process the launcher starts."""
    secret = HOME / "secret.key"
    if not secret.exists():
        secret.write_text(os.urandom(32).hex())
        secret.chmod(0o600)
    return os.environ | {
        "PYTHONPATH": str(ROOT / "src"),
        "DJANGO_SETTINGS_MODULE": "northing.settings",
        "DATABASE_URL": database_url,
        "SECRET_KEY": secret.read_text(),
        "PYTHONUNBUFFERED": "1",
    }


def ready(*, reset: bool = False) -> tuple[dict[str, str], bool]:
    """Cluster up, database migrated, demo world in it. Returns the environment, and whether it started the cluster."""
    started = DATA.ensure()
    if reset and DATA.has_database(DATABASE):
        say("removing the demo database")
        DATA.sql(f"drop database {DATABASE} with (force)")
    fresh = not DATA.has_database(DATABASE)
    if fresh:
        DATA.sql(f"create database {DATABASE}")
    env = surroundings(DATA.url(DATABASE))
    say("migrating the database")
    _manage(["migrate", "--no-input", "-v", "0"], env)
    if DATA.sql("select count(*) from directory_company", DATABASE) == "0":
        say("laying out the demo world around today")
        _manage(["demo_world"], env)
    return env, started


def _manage(words: list[str], env: dict[str, str]) -> None:
    run([python(), "-m", "django", *words], f"manage {words[0]}", env=env, cwd=ROOT)


def demo(words: list[str]) -> int:
    """Start the application with demo data; Ctrl-C stops all that this started."""
    parser = argparse.ArgumentParser(prog="./northing demo")
    parser.add_argument("--port", type=int, default=0)
    parser.add_argument("--reset", action="store_true", help="throw the demo data away and lay it out anew")
    options = parser.parse_args(words)
    running = _running()
    if running:
        raise Stop(f"it is running already: http://127.0.0.1:{running[1]}/; ./northing stop stops it")
    prepare()
    signal.signal(signal.SIGTERM, _interrupt)
    env, started = ready(reset=options.reset)
    if options.port:
        port = options.port
        if free_port(port) != port:
            raise Stop(f"port {port} is taken; name another with --port")
    else:
        port = free_port(8000)
    server = _server(port, env)
    RUNNING.write_text(f"{server.pid} {port}")
    try:
        _wait_for(port, server)
        subprocess.run(
            [python(), "-m", "django", "demo_people", "--address", f"http://127.0.0.1:{port}/"],
            env=env,
            cwd=ROOT,
            check=True,
        )
        say("Ctrl-C stops it")
        return server.wait()
    finally:
        say("stopping")
        server.terminate()
        server.wait()
        RUNNING.unlink(missing_ok=True)
        if started:
            DATA.stop()


def _running() -> tuple[int, int] | None:
    """Process and port of the demo of this checkout; None when it does not run."""
    try:
        pid, port = map(int, RUNNING.read_text().split())
        os.kill(pid, 0)
        command = Path(f"/proc/{pid}/cmdline").read_bytes()
    except (OSError, ValueError):
        return None
    return (pid, port) if b"gunicorn" in command else None


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def _server(port: int, env: dict[str, str]) -> subprocess.Popen[bytes]:
    # Loopback over plain HTTP: the browser would not send a cookie marked for HTTPS only.
    env = env | {"COOKIES_OVER_HTTPS": "0", "ALLOWED_HOSTS": "127.0.0.1,localhost"}
    command = [
        python(),
        "-m",
        "gunicorn",
        "northing.wsgi",
        "--bind",
        f"127.0.0.1:{port}",
        "--workers",
        "2",
        "--threads",
        "4",
    ]
    command += ["--worker-class", "gthread", "--log-level", "warning", "--no-control-socket"]
    return subprocess.Popen(command, env=env, cwd=ROOT, start_new_session=True)


def _wait_for(port: int, server: subprocess.Popen[bytes]) -> None:
    for _ in range(150):
        if server.poll() is not None:
            raise Stop("the application does not start; what it said is above")
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/healthz", timeout=2):
                return
        except (urllib.error.URLError, OSError):
            time.sleep(0.1)
    raise Stop("the application does not answer on /healthz")


def stop(words: list[str]) -> int:
    """Stop the application and the clusters of this checkout."""
    running = _running()
    if running:
        os.kill(running[0], signal.SIGTERM)
        _wait_until_gone(running[0])
        say("stopped the application")
    RUNNING.unlink(missing_ok=True)
    for cluster in (DATA, Cluster("scratch")):
        if (cluster.folder / "PG_VERSION").exists() and cluster.stop():
            say(f"stopped the cluster {cluster.name}")
    return 0


def _wait_until_gone(pid: int) -> None:
    for _ in range(100):
        if not Path(f"/proc/{pid}").exists():
            return
        time.sleep(0.1)


def manage(words: list[str]) -> int:
    """A management command of the application, on the demo database."""
    prepare()
    env, started = ready()
    try:
        return subprocess.run([python(), "-m", "django", *words], env=env, cwd=ROOT).returncode
    finally:
        if started:
            DATA.stop()


def psql(words: list[str]) -> int:
    """A psql session on the demo database."""
    prepare()
    _, started = ready()
    try:
        return subprocess.run(DATA.psql(DATABASE, *words), env=os.environ | {"PGPASSWORD": DATA.password}).returncode
    finally:
        if started:
            DATA.stop()


def bench(words: list[str]) -> int:
    """Measure on a scratch database of its own."""
    prepare(tests=True)
    started = DATA.ensure()
    name = "northing_bench"
    _drop(name, f"{name}_small")
    DATA.sql(f"create database {name}")
    env = surroundings(DATA.url(name))
    env["PYTHONPATH"] += f":{ROOT}"
    try:
        _manage(["migrate", "--no-input", "-v", "0"], env)
        return subprocess.run([python(), "-m", "tests.bench", *words], env=env, cwd=ROOT).returncode
    finally:
        _drop(name, f"{name}_small")
        if started:
            DATA.stop()


def _drop(*databases: str) -> None:
    for name in databases:
        DATA.sql(f"drop database if exists {name} with (force)")


def shots(words: list[str]) -> int:
    """Remake docs/screenshots from the demo data."""
    prepare(tests=True)
    if shutil.which("chromium") is None:
        raise Stop("Chromium is missing: apt-get install chromium")
    env, started = ready()
    port = free_port(8300)
    server = _server(port, env)
    try:
        _wait_for(port, server)
        env["PYTHONPATH"] += f":{ROOT}"
        script = [python(), "-m", "tests.shots", f"http://127.0.0.1:{port}", *words]
        return subprocess.run(script, env=env, cwd=ROOT).returncode
    finally:
        server.terminate()
        server.wait()
        if started:
            DATA.stop()
