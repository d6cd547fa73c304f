"""Fixtures of the tests against PostgreSQL."""

import pytest

from northing.reports.proofs import book_faults, position_faults
from tests.factories import small_world


@pytest.fixture
def world(db):
    """The small world. Whatever a test did, positions and books must hold at its end."""
    yield small_world()
    assert position_faults() == []
    assert book_faults() == []
