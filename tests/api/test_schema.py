"""schemathesis sends what the OpenAPI document allows, and what it forbids: no 5xx, no breach of the document."""

import pytest
import schemathesis
from django.core.signals import request_finished, request_started
from django.db import close_old_connections
from hypothesis import HealthCheck, Phase, given, settings
from schemathesis import GenerationMode
from schemathesis.checks import CHECKS

from northing.wsgi import application
from tests.api.conftest import Program
from tests.stages import staged

SCHEMA = schemathesis.openapi.from_wsgi("/api/v1/openapi.json", application)
# A request of the right shape may still be refused for what it means (no such item); and what is changed in a query
# may be a parameter that no one knows, which is ignored as everywhere on the web.
JUDGED_OTHERWISE = CHECKS.get_by_names(["positive_data_acceptance", "negative_data_rejection"])
CALLS = [found.ok() for found in SCHEMA.get_all_operations()]


@pytest.fixture(autouse=True)
def one_transaction():
    """A server closes its connection after a request; here the test's transaction goes on."""
    for signal in (request_started, request_finished):
        signal.disconnect(close_old_connections)
    yield
    for signal in (request_started, request_finished):
        signal.connect(close_old_connections)


def be_called(world):
    """An order, and a program that calls."""
    world.sent_order({"A": 240})
    world.token = Program(world).token


called = staged("called", be_called)


@pytest.mark.parametrize("mode", list(GenerationMode), ids=lambda mode: mode.name.lower())
@pytest.mark.parametrize("call", CALLS, ids=lambda call: call.label)
def test_no_call_breaks_or_answers_otherwise_than_it_says(called, call, mode):
    headers = {"Authorization": f"Bearer {called.token}"}

    @settings(
        max_examples=10, deadline=None, database=None, suppress_health_check=list(HealthCheck), phases=[Phase.generate]
    )
    @given(case=call.as_strategy(generation_mode=mode))
    def sent(case):
        case.call_and_validate(headers=headers, excluded_checks=JUDGED_OTHERWISE)

    sent()
