"""Fixtures of the tests against PostgreSQL, and how the random tests choose."""

import gc
import os
import re

import pytest
import time_machine
from django.core.cache import cache
from django.db import connection
from django.db.models import Max
from django.test import Client, TransactionTestCase
from hypothesis import settings
from pytest_django.plugin import blocking_manager_key

from northing.access.models import Person
from northing.actions.worklist.deliveries import delivery_faults
from northing.activity.models import HistoryEntry
from northing.inventory.queries import stock_faults
from northing.ledger.models import Entry
from northing.positions.models import Movement
from northing.reports.book_proof import book_faults
from northing.reports.proofs import position_faults
from tests.database import copy_template, empty, use
from tests.lived_in import live_in
from tests.stages import STAGES, set_stage, stage_of, staged
from tests.worlds import NOW, small_world

# The same cases every time, so that a change is judged by what it changed. With NORTHING_EXAMPLES=200 they search anew.
# No time limit for one case: a busy machine is no fault of the code.
settings.register_profile("same", derandomize="NORTHING_EXAMPLES" not in os.environ, database=None, deadline=None)
settings.load_profile("same")
LONG = ("tests/stories/", "tests/across/test_random", "tests/demo/")
NAME = f"test_northing_{os.environ.get('PYTEST_XDIST_WORKER', 'alone')}"


def _as_shown(send):
    """A browser shows any white space in a page as one blank; so do the pages that tests read."""

    def request(self, **asked):
        response = send(self, **asked)
        if not response.streaming and response.headers.get("Content-Type", "").startswith("text/html"):
            response.content = re.sub(rb"\s+", b" ", response.content)
        return response

    return request


Client.request = _as_shown(Client.request)


def pytest_collection_modifyitems(items):
    """Long tests begin first, so that no worker is left with one at the end."""
    items.sort(key=lambda item: not item.nodeid.startswith(LONG))


def pytest_collection_finish():
    """All that is imported by now stays: to look through it again and again for garbage takes a tenth of the time."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(100_000, 50, 100)


@pytest.fixture(scope="session")
def django_db_setup(django_test_environment, django_db_blocker):
    """Each worker has a copy of the migrated template, so that a run does not migrate again."""
    with django_db_blocker.unblock():
        copy_template(NAME)
    yield
    connection.close()


# Emptying every table after a test that commits is in vain: the next one begins with a new copy.
TransactionTestCase._fixture_teardown = lambda _self: None
EMPTIED = pytest.StashKey[bool]()


@pytest.hookimpl(tryfirst=True)
def pytest_runtest_setup(item):
    """A test that commits leaves its database empty: the next one begins with a new copy.

    Before any fixture: a mark of the test may open its transaction before ours are asked.
    """
    stash = item.config.stash
    if stash.get(EMPTIED, False):
        with stash[blocking_manager_key].unblock():
            copy_template(NAME)
    stash[EMPTIED] = bool({"transactional_db", "live_server"} & set(item.fixturenames)) or _commits(item)


def _commits(item) -> bool:
    mark = item.get_closest_marker("django_db")
    return bool(mark and mark.kwargs.get("transaction"))


@pytest.fixture(autouse=True)
def right_stage(request, on_the_day, django_db_setup, django_db_blocker):
    """A test that asks for a stage runs in its database."""
    name = stage_of(request.node)
    if name is None:
        yield
        return
    assert not _commits(request.node), "a stage is for tests that are undone"
    with django_db_blocker.unblock():
        set_stage(NAME, name)
    yield
    with django_db_blocker.unblock():
        use(NAME)


@pytest.fixture(autouse=True)
def no_tries_yet():
    """Wrong tries of the test before do not count."""
    cache.clear()


def _nothing_yet(db):
    """An empty database."""


STAGES["nothing_yet"] = lambda _world: empty()
_nothing_yet.stage = "nothing_yet"
nothing_yet = pytest.fixture(name="nothing_yet")(_nothing_yet)


@pytest.fixture(autouse=True)
def on_the_day(request):
    """Pages ask the clock: it stands at the day of the small world, unless a module says REAL_CLOCK."""
    if getattr(request.module, "REAL_CLOCK", False):
        yield
    else:
        with time_machine.travel(NOW, tick=True):
            yield


@pytest.fixture
def world(db):
    """The small world. At the end of every test in which something happened, positions and books must hold."""
    before = HistoryEntry.objects.aggregate(last=Max("pk"))
    yield small_world()
    if HistoryEntry.objects.aggregate(last=Max("pk")) == before:
        return
    if Movement.objects.exists():
        assert position_faults() == []
        assert delivery_faults() == []
    if Entry.objects.exists():
        assert book_faults() == []
        assert stock_faults() == []


@pytest.fixture
def signed_in(client):
    """The browser of a person."""

    def enter(who):
        client.force_login(Person.objects.get(username=who))
        return client

    return enter


lived_in = staged("lived_in", live_in)
