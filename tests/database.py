"""The database of a test worker: a copy of a template that is made once for each set of migrations.

The small world stands in it, so that no test writes it again.
"""

import hashlib
from pathlib import Path

import psycopg
import time_machine
from django.conf import settings
from django.core.management import call_command
from django.db import connection

from tests.worlds import NOW, make_small_world

PACKAGE = Path(__file__).resolve().parent.parent / "src" / "northing"
LOCKED = PACKAGE.parent.parent / "requirements" / "base.txt"
# Any number: workers that start side by side make the template one after the other.
LOCK = 78_100_421


def template_name() -> str:
    """The template's name: it changes with every migration of ours and with the packages that bring their own."""
    total = hashlib.sha256(LOCKED.read_bytes())
    worlds = Path(__file__).with_name("worlds.py")
    for path in sorted([*PACKAGE.glob("*/migrations/*.py"), *PACKAGE.glob("database/*.py"), worlds]):
        total.update(path.name.encode() + path.read_bytes())
    return f"northing_tests_{total.hexdigest()[:12]}"


def copy_template(name: str) -> None:
    """Make the database `name` anew as a copy of the template, and point Django's connection at it."""
    template = template_name()
    with _server() as server:
        _ensure(server, template)
        server.execute(f"drop database if exists {name} with (force)")
        server.execute(f"create database {name} template {template}")
    use(name)


def ensure_template() -> None:
    """Make the template where it is not there yet."""
    with _server() as server:
        _ensure(server, template_name())


def _ensure(server: psycopg.Connection, template: str) -> None:
    server.execute("select pg_advisory_lock(%s)", [LOCK])
    if not server.execute("select 1 from pg_database where datname = %s", [template]).fetchone():
        _make_template(server, template)


def _server() -> psycopg.Connection:
    known = settings.DATABASES["default"]
    return psycopg.connect(
        host=known["HOST"],
        port=known["PORT"],
        user=known["USER"],
        password=known["PASSWORD"],
        dbname="postgres",
        autocommit=True,
    )


def _make_template(server: psycopg.Connection, template: str) -> None:
    for (old,) in server.execute(r"select datname from pg_database where datname like 'northing\_tests\_%'").fetchall():
        server.execute(f"drop database {old} with (force)")
    making = f"{template}_making"
    server.execute(f"create database {making}")
    use(making)
    call_command("migrate", verbosity=0, interactive=False)
    with time_machine.travel(NOW, tick=True):
        make_small_world()
    connection.close()
    server.execute(f"alter database {making} rename to {template}")


def address() -> str:
    """The address of the test's database, for a process of its own."""
    known = connection.settings_dict
    who = f"{known['USER']}:{known['PASSWORD']}@" if known["USER"] else ""
    return f"postgres://{who}{known['HOST'].replace('/', '%2f')}:{known['PORT']}/{known['NAME']}"


def empty() -> None:
    """Empty every table, within the transaction of the test."""
    tables = ", ".join(f'"{table}"' for table in connection.introspection.django_table_names(only_existing=True))
    with connection.cursor() as cursor:
        cursor.execute(f"truncate {tables} restart identity cascade")


def worker_gave_sign(at) -> None:
    """A worker gave a sign of life, and no other did."""
    with connection.cursor() as cursor:
        cursor.execute("delete from procrastinate_workers")
        cursor.execute("insert into procrastinate_workers (last_heartbeat) values (%s)", [at])


def use(name: str) -> None:
    """Point Django's connection at a database."""
    connection.close()
    settings.DATABASES["default"]["NAME"] = connection.settings_dict["NAME"] = name
