"""A second person proves to be there: by name and password, on the page of the first."""

from allauth.account.adapter import get_adapter
from allauth.mfa.utils import is_mfa_enabled
from django.core.exceptions import ValidationError

from northing.access.models import Person
from northing.access.permissions import ASK, WORDS, may
from northing.core.problems import Problem, Refused

# Longer is no name and no password.
LONGEST = 1000


def second_person(request, permission: str, company: int) -> Person:
    """The person whose name and password came as `approver` and `approver_password`. Raises Refused.

    It is another than the one who has signed in, and has the permission in the company (id). Wrong tries lock a name as
    they do at sign-in.
    """
    name, password = (request.POST.get(part, "")[:LONGEST] for part in ("approver", "approver_password"))
    try:
        person = get_adapter().authenticate(request, username=name, password=password) if name and password else None
    except ValidationError as locked:
        raise _refused(" ".join(locked.messages), "") from None
    if person is None:
        raise _refused("Name and password do not fit.", "Try again; several wrong tries lock the name for a while.")
    if person.pk == request.user.pk:
        raise _refused("A second person approves.", "Ask another person who may.")
    if not may(person, permission, company):
        raise _refused(f"{person} may not {WORDS[permission]}.", ASK)
    if is_mfa_enabled(person):
        what = f"{person} signs in with a second factor: a password alone does not do."
        raise _refused(what, "Hold what is over; it waits on their Watch.")
    return person


def _refused(what: str, mend: str) -> Refused:
    return Refused(Problem(what, "approver", mend))
