"""Playing one file in a database that is left as it was."""

import json
from decimal import Decimal
from typing import Any

from django.db import transaction

from northing.scenarios.expect import differences
from northing.scenarios.play import Player
from northing.scenarios.result import result
from northing.scenarios.shapes import NotScenario, Scenario, read_scenario

LARGEST = 5_000_000


def read(content: bytes) -> Scenario:
    """The scenario that a file says. Raises NotScenario."""
    if len(content) > LARGEST:
        raise NotScenario("file: larger than 5 MB")
    try:
        return read_scenario(json.loads(content.decode(), parse_float=Decimal))
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise NotScenario(f"file: no JSON ({error})") from None


def play(content: bytes) -> tuple[dict[str, Any], list[str]]:
    """The outcome of the file, and its differences from `expect`. Raises NotScenario."""
    scenario = read(content)
    with transaction.atomic():
        try:
            player = Player(scenario)
            found = {"actions": player.play()} | result(player)
        finally:
            transaction.set_rollback(True)
    return found, list(differences(scenario.expect, found))
