"""The contents of every page's frame."""

from django.utils import timezone

from northing.access.permissions import WORDS, may_somewhere
from northing.actions.activity.remarks import SPEAKERS

RAIL = [
    ("watch", "Watch", ("watch",)),
    ("lines", "Orders", ("orders", "confirmations")),
    ("passage", "Passage", ("shipping",)),
    ("costs", "Costs", ("costing", "customs")),
    ("dock", "Dock", ("receiving",)),
    ("quality", "Quality", ("quality", "claims")),
    ("bills", "Bills", ("billing",)),
    ("look-back", "Look back", ("reports", "inventory")),
]


def frame(request):
    """Rail, today's date, and what the person may do somewhere."""
    here = request.path.strip("/").split("/")[0] or "watch"
    rail = [{"name": name, "label": label, "here": here in paths} for name, label, paths in RAIL]
    person = getattr(request, "user", None)
    signed_in = person is not None and person.is_authenticated
    may = {permission: may_somewhere(person, permission) for permission in WORDS} if signed_in else {}
    # Who only looks is offered no field to write in.
    speaks = {"acts": any(may.values()), "to_suppliers": any(may.get(permission) for permission in SPEAKERS)}
    frame = {"rail": rail if signed_in else [], "today": timezone.localdate(), "now": timezone.now()}
    return frame | {"may": may, "speaks": speaks}
