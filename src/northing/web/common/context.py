"""The contents of every page's frame."""

from django.utils import timezone

from northing import __version__
from northing.access.permissions import HOUSE, WORDS, may_somewhere
from northing.actions.activity.remarks import SPEAKERS

RAIL = [
    ("watch", "Watch", ("watch",)),
    ("lines", "Orders", ("orders", "confirmations")),
    ("passage", "Passage", ("shipping",)),
    ("costs", "Costs", ("costing", "customs")),
    ("dock", "Dock", ("receiving", *(f"inventory/{one}" for one in ("putaway", "bins", "moves", "transfers")))),
    ("quality", "Quality", ("quality", "claims")),
    ("bills", "Bills", ("billing", "payments")),
    ("look-back", "Look back", ("reports", "inventory")),
]


def _place(path: str) -> str:
    """The place of the rail that a page is of, by the first words of its address: more words before fewer."""
    words = path.strip("/").split("/")
    asked = ("/".join(words[:2]), words[0] or "watch")
    return next((name for said in asked for name, _, paths in RAIL if said in paths), "")


def frame(request):
    """Rail, today's date, and what the person may do somewhere."""
    here = _place(request.path)
    rail = [{"name": name, "label": label, "here": name == here} for name, label, _ in RAIL]
    person = getattr(request, "user", None)
    signed_in = person is not None and person.is_authenticated
    may = {permission: may_somewhere(person, permission) for permission in (*WORDS, HOUSE)} if signed_in else {}
    # Who only looks is offered no field to write in.
    speaks = {"acts": any(may.values()), "to_suppliers": any(may.get(permission) for permission in SPEAKERS)}
    frame = {"rail": rail if signed_in else [], "today": timezone.localdate(), "now": timezone.now()}
    frame["version"] = __version__
    return frame | {"may": may, "speaks": speaks}
