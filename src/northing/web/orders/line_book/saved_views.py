"""Views of the line book under a name: those that ship, and the first one of each role."""

from northing.access.permissions import roles_of

READY = {
    "our-move": ("Our move", "where=our+move&sort=since"),
    "late": ("Late against need-by", "where=late"),
    "not-agreed": ("Not agreed yet", "where=not+agreed&group=supplier"),
    "to-pack": ("Agreed, not packed", "where=agreed%2C+not+packed&sort=promise"),
    "coming": ("Expected next 14 days", "where=expected+next+14+days&sort=expected_on"),
    "due": (
        "To deliver and to bill",
        "where=open+or+not+billed&group=supplier&cols=line,item,strip,ordered,received,outstanding,unbilled,value,expected_on",
    ),
    "held": ("Held or rejected", "where=all%2C+units+held"),
    "unbilled": ("Ours, not billed", "where=all%2C+not+billed&cols=line,item,supplier,received,billed,unbilled,value"),
}
# What a person of a role opens the line book for; the first role that is named here decides.
FIRST = {
    "expediter": "our-move",
    "buyer": "not-agreed",
    "approver": "late",
    "shipping": "to-pack",
    "dock": "coming",
    "inspector": "held",
    "accounts": "unbilled",
    "costs": "unbilled",
}


def first_view(person) -> str:
    """The query string of the view that the person's role begins with; empty for all open lines."""
    held = roles_of(person)
    return next((READY[FIRST[role]][1] for role in FIRST if role in held), "")
