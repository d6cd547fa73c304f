"""Pages ask the clock; here it stands at the day of the small world."""

import pytest
import time_machine

from tests.factories import NOW


@pytest.fixture(autouse=True)
def on_the_day():
    """Every page is asked on the same day."""
    with time_machine.travel(NOW, tick=True):
        yield
