"""Fixtures of the tests against PostgreSQL, and how the random tests choose."""

import os

import pytest
import time_machine
from django.db import connection
from hypothesis import settings

from northing.reports.book_proof import book_faults
from northing.reports.proofs import position_faults
from tests.database import copy_template
from tests.worlds import NOW, small_world

# The same cases every time, so that a change is judged by what it changed. With NORTHING_EXAMPLES=200 they search anew.
settings.register_profile("same", derandomize="NORTHING_EXAMPLES" not in os.environ, database=None)
settings.load_profile("same")


@pytest.fixture(scope="session")
def django_db_setup(django_test_environment, django_db_blocker):
    """Each worker has a copy of the migrated template, so that a run does not migrate again."""
    worker = os.environ.get("PYTEST_XDIST_WORKER", "alone")
    with django_db_blocker.unblock():
        copy_template(f"test_northing_{worker}")
    yield
    connection.close()


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
    """The small world. Whatever a test did, positions and books must hold at its end."""
    yield small_world()
    assert position_faults() == []
    assert book_faults() == []
