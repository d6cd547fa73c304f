"""Worlds at a stage: built once by each worker, in a database of its own; each test begins there and is undone.

`lived_in = staged("lived_in", live_in)` is a fixture: the small world after `live_in(world)`. What the builder hangs on
the world (`world.cargo = …`) hangs there in each test, read anew.
"""

from collections.abc import Callable

import pytest
from django.db import models

from tests.database import copy_template, use
from tests.worlds import World, small_world

Build = Callable[[World], object]
STAGES: dict[str, Build] = {}
# Of each stage that is set: what its builder hung on the world.
_MADE: dict[str, dict[str, object]] = {}


def staged(name: str, build: Build):
    """A fixture of this name: the small world, built on."""
    assert name not in STAGES, f"there is a stage {name} already"
    STAGES[name] = build

    def on_stage(world):
        for key, record in _MADE[name].items():
            anew = type(record).objects.get(pk=record.pk) if isinstance(record, models.Model) else record
            setattr(world, key, anew)
        return world

    on_stage.stage = name
    return pytest.fixture(name=name)(on_stage)


def stage_of(item: pytest.Item) -> str | None:
    """The stage that a test asks for. Another fixture may have the name of a stage: it is the function that counts."""
    fixtures = item._fixtureinfo.name2fixturedefs.values()
    return next((found[-1].func.stage for found in fixtures if hasattr(found[-1].func, "stage")), None)


def set_stage(database: str, name: str) -> None:
    """Point at the stage's database, which is made at the first time."""
    stage = f"{database}_{name}"
    if name in _MADE:
        use(stage)
        return
    copy_template(stage)
    world = small_world()
    before = dict(vars(world))
    STAGES[name](world)
    _MADE[name] = {key: value for key, value in vars(world).items() if key not in before}
