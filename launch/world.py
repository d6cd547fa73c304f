"""The commands on a database: demo, serve, stop, manage, psql, play, backup, restore, bench, shots."""

import argparse
import contextlib
import hashlib
import os
import shutil
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from pathlib import Path

from launch import supervise
from launch.cluster import Cluster, free_port
from launch.keeping import backup_to, dump_of, restore_from
from launch.places import HOME, ROOT, python
from launch.say import Stop, run, say
from launch.setup import prepare
from launch.supervise import Program

DATA = Cluster("data")
DATABASE = "northing"
LIVE = "northing_live"
FILES = {DATABASE: HOME / "files", LIVE: HOME / "live-files"}
# Process and port of what runs, by its database.
RUNNING = {DATABASE: HOME / "server.running", LIVE: HOME / "live.running"}


def surroundings(database_url: str) -> dict[str, str]:
    """Environment of every Django process the launcher starts."""
    return os.environ | {
        "PYTHONPATH": str(ROOT / "src"),
        "DJANGO_SETTINGS_MODULE": "northing.settings",
        "DATABASE_URL": database_url,
        "SECRET_KEY": _secret("secret.key"),
        "HEALTH_TOKEN": _secret("health.token"),
        "PYTHONUNBUFFERED": "1",
    }


def _secret(name: str) -> str:
    """The secret that is kept in a file of this checkout, made when it is not there."""
    file = HOME / name
    if not file.exists():
        file.touch(0o600)
        file.write_text(os.urandom(32).hex())
    return file.read_text()


def ready(*, reset: bool = False) -> tuple[dict[str, str], bool]:
    """Cluster up, database migrated, demo world in it. Returns the environment, and whether it started the cluster."""
    started = DATA.ensure()
    if reset and DATA.has_database(DATABASE):
        say("removing the demo database")
        DATA.sql(f"drop database {DATABASE} with (force)")
    if not DATA.has_database(DATABASE):
        DATA.sql(f"create database {DATABASE}")
    # The stand-ins of carriers are on this machine.
    env = surroundings(DATA.url(DATABASE)) | {"PRIVATE_ADDRESSES": "1"}
    try:
        _bring_forward(DATABASE, env)
    except Stop as stop:
        raise Stop(f"{stop}\n./northing demo --reset lays the demo world out anew") from None
    if DATA.sql("select count(*) from masterdata_company", DATABASE) == "0":
        say("laying out the demo world around today")
        _manage(["demo_world"], env)
    return env, started


def _manage(words: list[str], env: dict[str, str]) -> str:
    return run([python(), "-m", "django", *words], f"manage {words[0]}", env=env, cwd=ROOT)


def _bring_forward(database: str, env: dict[str, str]) -> None:
    """Upgrade a database to this code, after a backup where it holds data. Raises Stop where it does not fit."""
    state, _, version = _manage(["upgrade", "--check"], env).strip().splitlines()[-1].partition(" ")
    if state == "current":
        return
    if state == "forward":
        folder = HOME / "backups"
        folder.mkdir(exist_ok=True)
        kept = folder / f"{database}-{version}-{time.strftime('%Y%m%d-%H%M%S')}.northing"
        backup_to(DATA, database, FILES[database], kept)
        say(f"upgrading the database from version {version}; its backup is {kept}")
    _manage(["upgrade"], env)


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
    smtp, page = free_port(8025), free_port(8090)
    env |= {"MAIL_URL": f"smtp://127.0.0.1:{smtp}", "PUBLIC_URL": f"http://127.0.0.1:{port}"}
    env |= {"SCANNER_STANDIN": "1"}
    programs = [
        _django("inbox", "--smtp", str(smtp), "--page", str(page)),
        _django("carrier", "--port", str(free_port(8070))),
        _django("bank", "--port", str(free_port(8060))),
        # The worker does jobs, sends letters, and wakes at set times.
        _django("work"),
    ]
    own = f"http://127.0.0.1:{port}/"
    people = [python(), "-m", "django", "demo_people", "--address", own]

    def told() -> None:
        subprocess.run(people, env=env, cwd=ROOT, check=True)
        say(f"mails to suppliers land in http://127.0.0.1:{page}/")
        say(f"a hand scanner to tap on stands in {own}receiving/scanner/")
        say("Ctrl-C stops it")

    return _watched(DATABASE, port, env | _plain(), programs, started, told)


def _watched(
    database: str, port: int, env: dict[str, str], programs: list[Program], started: bool, told: Callable[[], None]
) -> int:
    """Run the web server and programs beside it under a supervisor until it ends, or a person stops it."""
    if started:
        DATA.stop()  # from now on the supervisor starts it, again and again
    supervisor = supervise.start(database, [DATA.program(), _web(port), *programs], env)
    RUNNING[database].write_text(f"{supervisor.pid} {port}")
    try:
        _wait_for(port, supervisor)
        told()
        return supervisor.wait()
    finally:
        say("stopping")
        supervise.stop(supervisor.pid)
        supervisor.wait()
        RUNNING[database].unlink(missing_ok=True)


def serve(words: list[str]) -> int:
    """Start the application as it is used in earnest: its own database, production settings, the worker beside it."""
    parser = argparse.ArgumentParser(prog="./northing serve")
    parser.add_argument("--port", type=int, default=8000)
    parser.add_argument("--host", action="append", required=True, help="name that people reach it by; may be repeated")
    parser.add_argument("--mail", default="smtp://127.0.0.1:25", help="where letters go")
    options = parser.parse_args(words)
    if _running(LIVE):
        raise Stop("it is running already; ./northing stop stops it")
    prepare()
    signal.signal(signal.SIGTERM, _interrupt)
    started = DATA.ensure()
    env = live(options.host, options.mail)
    try:
        _manage(["check", "--deploy", "--fail-level", "WARNING"], env)
        _bring_forward(LIVE, env)
    except Stop:
        if started:
            DATA.stop()
        raise
    where = f"http://127.0.0.1:{options.port}/, for a proxy that speaks HTTPS as {', '.join(options.host)}"
    return _watched(LIVE, options.port, env, [_django("work")], started, lambda: say(where))


def live(hosts: list[str], mail: str) -> dict[str, str]:
    """Environment of the live application; the database is made when it is not there."""
    if not DATA.has_database(LIVE):
        DATA.sql(f"create database {LIVE}")
    return surroundings(DATA.url(LIVE)) | {
        "DJANGO_SETTINGS_MODULE": "northing.settings.production",
        "ALLOWED_HOSTS": ",".join([*hosts, "127.0.0.1"]),
        "TRUSTED_ORIGINS": ",".join(f"https://{host}" for host in hosts),
        "PUBLIC_URL": f"https://{hosts[0]}",
        "MAIL_URL": mail,
        "FILES": str(FILES[LIVE]),
        "REQUEST_LOG": str(HOME / "requests.log"),
    }


def backup(words: list[str]) -> int:
    """Database and documents into one file."""
    return _keep(words, "backup", backup_to, "kept in")


def restore(words: list[str]) -> int:
    """Database and documents back from such a file; one of an older version is upgraded, a newer one refused."""

    def checked(cluster: Cluster, database: str, files: Path, source: Path) -> None:
        restore_from(cluster, database, files, source, _upgrade)

    return _keep(words, "restore", checked, "restored from")


def _upgrade(database: str) -> None:
    """Upgrade a database that nothing uses yet. Raises Stop where it does not fit."""
    said = _manage(["upgrade"], surroundings(DATA.url(database))).strip()
    if said:
        say(said)


def freeze(words: list[str]) -> int:
    """Keep hashes of new migrations and the fingerprints of what they make; `--dump` keeps a small dump of it, too."""
    prepare()
    scratch = Cluster("scratch")
    started = scratch.ensure()
    name = "northing_freeze"
    scratch.sql(f"drop database if exists {name} with (force)")
    scratch.sql(f"create database {name}")
    env = surroundings(scratch.url(name))
    try:
        _manage(["migrate", "--no-input", "-v", "0"], env)
        say(_manage(["freeze"], env).strip())
        if words == ["--dump"]:
            _manage(["demo_world"], env)
            release = _manage(["shell", "-v", "0", "-c", "import northing; print(northing.__version__)"], env).strip()
            kept = ROOT / "tests" / "files" / "releases" / f"{release}.dump"
            dump_of(scratch, name, kept)
            say(f"kept the demo world of {release} in {kept.relative_to(ROOT)}")
        return 0
    finally:
        scratch.sql(f"drop database if exists {name} with (force)")
        if started:
            scratch.stop()


def _keep(words: list[str], name: str, work: Callable[[Cluster, str, Path, Path], None], done: str) -> int:
    parser = argparse.ArgumentParser(prog=f"./northing {name}")
    parser.add_argument("file", type=Path)
    parser.add_argument("--live", action="store_true", help="of `serve`, not of the demo")
    options = parser.parse_args(words)
    database = LIVE if options.live else DATABASE
    if name == "restore" and _running(database):
        raise Stop("the application is running; ./northing stop stops it")
    prepare()
    started = DATA.ensure()
    try:
        work(DATA, database, FILES[database], options.file)
        say(f"{done} {options.file}")
        return 0
    finally:
        if started:
            DATA.stop()


def _running(database: str = DATABASE) -> tuple[int, int] | None:
    """Process and port of what runs on the database; None when nothing does."""
    try:
        pid, port = map(int, RUNNING[database].read_text().split())
        os.kill(pid, 0)
        command = Path(f"/proc/{pid}/cmdline").read_bytes()
    except (OSError, ValueError):
        return None
    return (pid, port) if b"supervisord" in command else None


def _interrupt(*_: object) -> None:
    raise KeyboardInterrupt


def _plain() -> dict[str, str]:
    """Loopback over plain HTTP: the browser would not send a cookie marked for HTTPS only."""
    plain = {"COOKIES_OVER_HTTPS": "0", "ALLOWED_HOSTS": "127.0.0.1,localhost"}
    return plain | {"REQUEST_LOG": str(HOME / "requests.log")}


def _web(port: int) -> Program:
    command = [python(), "-m", "gunicorn", "northing.wsgi", "--bind", f"127.0.0.1:{port}"]
    command += ["--workers", "2", "--threads", "4", "--worker-class", "gthread", "--log-level", "warning"]
    return Program("web", [*command, "--no-control-socket"])


def _django(name: str, *words: str) -> Program:
    """A management command that runs beside the server."""
    return Program(name, [python(), "-m", "django", name, *words])


def _wait_for(port: int, server: subprocess.Popen[bytes], path: str = "healthz") -> None:
    said, token = "nothing", {"Authorization": f"Bearer {_secret('health.token')}"}
    ask = urllib.request.Request(f"http://127.0.0.1:{port}/{path}", headers=token)
    for _ in range(600):
        if server.poll() is not None:
            raise Stop("the application does not start; what it said is above")
        try:
            with urllib.request.urlopen(ask, timeout=5):
                return
        except urllib.error.HTTPError as error:
            said = error.read(2000).decode(errors="replace")
        except (urllib.error.URLError, OSError):
            pass
        time.sleep(0.1)
    raise Stop(f"the application does not come up; /{path} says: {said}")


def stop(words: list[str]) -> int:
    """Stop the application and the clusters of this checkout."""
    for database, note in RUNNING.items():
        if note.exists():
            # Also where the supervisor was killed, and left behind what it had started.
            session = int(note.read_text().split()[0])
            if _ours(session):
                supervise.stop(session)
                say(f"stopped the application on {database}")
            note.unlink(missing_ok=True)  # the launcher may have been quicker
    for cluster in (DATA, Cluster("scratch")):
        if (cluster.folder / "PG_VERSION").exists() and cluster.stop():
            say(f"stopped the cluster {cluster.name}")
    return 0


def _ours(session: int) -> bool:
    """Whether processes of the session are of this checkout: numbers are given anew."""
    for process in supervise.members(session):
        with contextlib.suppress(OSError):
            command = Path(f"/proc/{process}/cmdline").read_bytes().decode(errors="replace")
            if str(HOME) in command or str(DATA.folder) in command:
                return True
    return False


def manage(words: list[str]) -> int:
    """A management command of the application, on the demo database."""
    prepare()
    if words[:1] == ["--live"]:
        started = DATA.ensure()
        env, words = live(["localhost"], "smtp://127.0.0.1:25"), words[1:]
        _bring_forward(LIVE, env)
    else:
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


def _migrations() -> str:
    """A mark of all migrations: another version of the program plays in a database of its own."""
    total = hashlib.sha256()
    for path in sorted(Path("src/northing").glob("*/migrations/*.py")):
        total.update(path.name.encode() + path.read_bytes())
    return total.hexdigest()[:12]


def play(words: list[str]) -> int:
    """Play scenarios in an empty scratch database; nothing but their results on standard output."""
    with contextlib.redirect_stdout(sys.stderr):
        prepare()
        scratch = Cluster("scratch")
        started = scratch.ensure()
        name = f"northing_play_{_migrations()}"
        if not scratch.has_database(name):
            old = scratch.sql("select datname from pg_database where datname like 'northing_play%'").split()
            for other in old:
                scratch.sql(f"drop database if exists {other} with (force)")
            scratch.sql(f"create database {name}")
        env = surroundings(scratch.url(name))
        _manage(["migrate", "--no-input", "-v", "0"], env)
    try:
        return subprocess.run([python(), "-m", "django", "play", *words], env=env, cwd=Path.cwd()).returncode
    finally:
        if started:
            scratch.stop()


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
        return subprocess.run([python(), "-m", "bench", *words], env=env, cwd=ROOT).returncode
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
    server = subprocess.Popen(_web(port).command, env=env | _plain(), cwd=ROOT, start_new_session=True)
    try:
        _wait_for(port, server, "healthz?only=web")
        env["PYTHONPATH"] += f":{ROOT}"
        script = [python(), "-m", "bench.shots", f"http://127.0.0.1:{port}", *words]
        return subprocess.run(script, env=env, cwd=ROOT).returncode
    finally:
        server.terminate()
        server.wait()
        if started:
            DATA.stop()
