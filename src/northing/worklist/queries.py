"""Reads of open matters."""

from django.db.models import QuerySet

from northing.worklist.models import Matter


def open_matters(kind: str) -> QuerySet:
    """The records (ids) of a kind of which something is open, as a subquery."""
    return Matter.objects.filter(kind=kind).values("record")
