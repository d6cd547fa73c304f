"""A program with a token."""

import json

import pytest
from django.test import Client

from northing.access.models import SCOPES
from northing.actions.access.tokens import TokenRequest, make_token


class Program:
    """Calls of the API with a token."""

    def __init__(self, world, who="expediter", scopes=SCOPES):
        self.token = make_token(world.act(who), TokenRequest("test", tuple(scopes), 30))
        self.client = Client(headers={"authorization": f"Bearer {self.token}"}, raise_request_exception=True)

    def get(self, path, **query):
        return self.client.get(f"/api/v1{path}", query)

    def send(self, method, path, body=None, **headers):
        how = getattr(self.client, method)
        headers = {name.replace("_", "-"): value for name, value in headers.items()}
        return how(f"/api/v1{path}", json.dumps(body or {}), content_type="application/json", headers=headers)


@pytest.fixture
def program(world):
    """A program of the expediter's that may do everything they may."""
    world.program = Program(world)
    return world.program
