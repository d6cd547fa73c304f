"""Databases of released versions are upgraded and work; those that do not fit are refused in words, unchanged."""

import io
import os
import subprocess
from pathlib import Path

import pytest
from django.conf import settings
from django.core.management import CommandError, call_command
from django.db import connection
from django.test import Client
from django.urls import get_resolver, reverse
from launch.places import POSTGRES_BIN, ROOT

from northing import __version__
from northing.access.models import Person
from northing.actions.worklist.deliveries import delivery_faults
from northing.api.main import api
from northing.database import frozen, releases
from northing.database.releases import CURRENT, EMPTY, FORWARD, REFUSED, fit
from northing.inventory.queries import stock_faults
from northing.reports.book_proof import book_faults
from northing.reports.proofs import position_faults
from tests.database import _server, use
from tests.lived_in import all_patterns

REAL_CLOCK = True
DUMPS = sorted((Path(__file__).parent.parent / "files" / "releases").glob("*.dump"))


@pytest.fixture(scope="module", params=DUMPS, ids=lambda path: path.stem)
def released(request, django_db_setup, django_db_blocker):
    """A database of a released version, upgraded."""
    name = f"northing_released_{os.getpid()}"
    own = settings.DATABASES["default"]["NAME"]
    with django_db_blocker.unblock():
        with _server() as server:
            server.execute(f"drop database if exists {name} with (force)")
            server.execute(f"create database {name}")
        restore(name, request.param)
        use(name)
        try:
            call_command("upgrade", stdout=io.StringIO())
            yield request.param.stem
        finally:
            use(own)
        with _server() as server:
            server.execute(f"drop database if exists {name} with (force)")


def restore(name, dump):
    known = settings.DATABASES["default"]
    where = ["-h", known["HOST"], "-p", str(known["PORT"]), "-U", known["USER"], "-d", name]
    command = [POSTGRES_BIN / "pg_restore", "--no-owner", "--exit-on-error", *where, dump]
    subprocess.run(command, check=True, env=os.environ | {"PGPASSWORD": known["PASSWORD"]}, capture_output=True)


def test_a_released_database_is_upgraded_and_its_proofs_hold(released):
    assert fit().how == CURRENT
    assert position_faults() == book_faults() == stock_faults() == delivery_faults() == []


def test_the_first_page_of_every_list_opens_on_it(released):
    client, opened = Client(), []
    client.force_login(Person.objects.filter(is_active=True, grants__role="administrator").first())
    for pattern in all_patterns(get_resolver("northing.web.urls")):
        if not pattern.pattern.converters:
            answer = client.get(reverse(pattern.name))
            assert answer.status_code in (200, 302, 403, 404, 405, 503), f"{pattern.name}: {answer.status_code}"
            opened.append(answer.status_code)
    assert opened.count(200) > 50


def refused():
    """Why the database is refused."""
    found = fit()
    assert found.how == REFUSED
    with pytest.raises(CommandError) as error:
        call_command("upgrade")
    assert str(error.value) == found.words
    return found.words


def test_this_code_fits_the_database_it_makes(db):
    assert (fit().how, fit().version) == (CURRENT, __version__)


def test_a_database_of_before_the_first_release_is_refused(db):
    """The same names of migrations, another schema."""
    with connection.cursor() as cursor:
        cursor.execute("alter table masterdata_item drop column duty_unit")
    assert "masterdata_item differ from it: it was made before 1.0.0, or changed by hand" in refused()


@pytest.mark.parametrize(
    "change",
    [
        "drop trigger balanced on ledger_posting",
        "alter table ledger_posting disable trigger balanced",
        "alter table positions_position drop constraint {check}",
        "create or replace function northing_append_only() returns trigger language plpgsql as 'begin return new; end'",
        "create table stray (id bigint)",
        "alter table access_role alter column code drop not null",
    ],
)
def test_a_changed_schema_is_refused(db, change):
    with connection.cursor() as cursor:
        cursor.execute(
            "select conname from pg_constraint"
            " where conrelid = 'positions_position'::regclass and contype = 'c' limit 1"
        )
        cursor.execute(change.format(check=cursor.fetchone()[0]))
    assert "made before 1.0.0, or changed by hand" in refused()


def test_a_newer_database_is_refused(db):
    with connection.cursor() as cursor:
        cursor.execute("insert into django_migrations (app, name, applied) values ('orders', '0999_more', now())")
    assert f"newer version than {__version__}: it has orders.0999_more" in refused()


def test_an_unknown_older_state_is_refused(db):
    with connection.cursor() as cursor:
        cursor.execute("delete from django_migrations where app = 'orders'")
    assert "before 1.0.0, or an upgrade of it broke off: it lacks orders.0001_initial" in refused()


def test_an_older_state_only_has_to_go_forward(db, monkeypatch):
    wants = releases.migrations_of_code()
    monkeypatch.setattr(releases, "migrations_of_code", lambda: wants | {"orders.0999_more"})
    found = fit()
    assert (found.how, found.words) == (
        FORWARD,
        f"The database is of version {__version__}; it has to be upgraded: orders.0999_more.",
    )


def test_an_empty_database_is_to_be_filled(db):
    with connection.cursor() as cursor:
        cursor.execute("drop schema public cascade; create schema public")
    assert fit().how == EMPTY


def test_an_edited_migration_is_seen(tmp_path, monkeypatch):
    assert frozen.faults() == []
    listed = frozen.LIST.read_text().splitlines()
    name = listed[0].split("  ")[1]
    kept = tmp_path / "list"
    kept.write_text("\n".join([f"{'0' * 64}  {name}", f"{'1' * 64}  orders/migrations/0000_gone.py", *listed[2:]]))
    monkeypatch.setattr(frozen, "LIST", kept)
    new = listed[1].split("  ")[1]
    assert [fault.split(".")[0] + "." + fault.split(".")[1] for fault in frozen.faults()] == [
        f"{name} was edited after its release",
        "orders/migrations/0000_gone.py is gone",
        f"{new} is new and not in the list",
    ]


def test_the_version_stands_in_one_place_and_is_shown(world, client):
    first = next(line for line in (ROOT / "CHANGELOG.md").read_text().splitlines() if line.startswith("## "))
    assert first.startswith(f"## {__version__}: ")
    assert api.get_openapi_schema()["info"]["version"] == __version__
    client.force_login(world.people["viewer"])
    assert f"Northing {__version__}</footer>" in client.get("/").content.decode()
