"""After a change of the tariff the worker finds the open lines whose expected landed cost it moves."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from uuid import uuid4

from django.core import serializers
from django.db import transaction
from django.db.models import Model
from django.urls import reverse
from django.utils import timezone

from northing.access.acts import Act
from northing.customs import operations
from northing.customs.models import TariffChange
from northing.jobs import jobs
from northing.jobs.jobs import Run
from northing.masterdata.models import CountryGroup, TariffRule, Territory
from northing.reports.tariff_changes import earlier_of, lines_moved

# By the kind of record, and what a new one is known by to what came before.
KINDS: Mapping[str, tuple[type[Model], str]] = {
    "tariff": (TariffRule, "pk"),
    "origins": (CountryGroup, "pk"),
    "territory": (Territory, "code"),
}


def as_it_was(kind: str, changed: Sequence[int]) -> str:
    """Records (ids) of a kind before they are changed."""
    model, _ = KINDS[kind]
    return serializers.serialize("json", model._default_manager.filter(pk__in=changed).order_by("pk"))


def begin_reckoning(act: Act, kind: str, words: str, was: str, new: Sequence[Model]) -> None:
    """Have the worker reckon what a change of records does."""
    key = KINDS[kind][1]
    before = {"was": was, "made": {kind: [getattr(one, key) for one in new]}}
    change = TariffChange(words=words[:200], before=before)
    # Each change is reckoned by itself: its job has a key of its own.
    own = replace(act, key=f"tariff {uuid4().hex}")
    back = reverse("tariff-moves")
    change.job = jobs.begin(own, "tariff_change", f"Expected costs anew: {words}", {"words": change.words}, 0, back)
    operations.write_tariff_change(change)


def reckon(run: Run) -> None:
    """Find the lines, and keep what they cost before and after."""
    change = TariffChange.objects.get(job=run.job)
    found = lines_moved(earlier_of(change), timezone.localdate(run.job.made_at), run.far)
    with transaction.atomic():
        operations.write_tariff_moves(change, found)
    many = "1 open line costs" if len(found) == 1 else f"{len(found):,} open lines cost"
    run.job.said = f"{many} otherwise." if found else "No open line costs otherwise."
