"""People and roles: who has which role where, and what a role may do. All of it is told."""

from dataclasses import dataclass
from decimal import Decimal

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from northing.access import operations
from northing.access.acts import Act
from northing.access.models import Grant, Person
from northing.access.permissions import (
    HOUSE,
    OF_LINKS,
    WORDS,
    grants_with,
    may_somewhere,
    permissions_of_roles,
    require_house,
    require_somewhere,
)
from northing.activity.operations import add_history, once
from northing.core.orders.orders import LARGEST_AMOUNT
from northing.core.problems import Problem, Refused, refuse_if
from northing.drawings.figures import count
from northing.masterdata.models import Company, Site


@dataclass(frozen=True)
class GrantRequest:
    """A role for a person in a company; with a site, at that site only; with a limit, up to that amount."""

    person: int
    company: int
    role: str
    site: int | None = None
    limit: Decimal | None = None


@dataclass(frozen=True)
class EndRequest:
    """A grant that ends."""

    grant: int


@dataclass(frozen=True)
class RoleRequest:
    """The permissions of a role of the house, or of one company (id); an unknown code makes a new role.

    Without permissions (None) a company's own role ends, and the house's counts there again.
    """

    code: str
    permissions: tuple[str, ...] | None
    company: int | None = None


@dataclass(frozen=True)
class PersonRequest:
    """A new person who signs in, with a first role in a company (id). Who keeps the house may leave the role out."""

    username: str
    first_name: str
    last_name: str
    email: str
    password: str
    company: int | None = None
    role: str = ""


@dataclass(frozen=True)
class HouseRequest:
    """A person (id) who keeps the house from now on, or does so no more."""

    person: int
    keeps: bool


@dataclass(frozen=True)
class LockRequest:
    """A person (id) whose name is locked."""

    person: int


@dataclass(frozen=True)
class LetInRequest:
    """A person who lost the password or the second factor, and a new first password for them."""

    person: int
    password: str


@once
def grant(act: Act, request: GrantRequest) -> int:
    """Give a person a role."""
    company = Company.objects.get(pk=request.company)
    act.require("keep_people", company.pk)
    person = _person(request.person)
    site = Site.objects.filter(pk=request.site, company=company).first() if request.site else None
    problems = []
    problems += _role_problems(request.role, company.pk)
    if not person.grants.exists():
        # Else another company's administrator could still set the password of a person who gets a way in here.
        require_house(act.person)
    if request.site and site is None:
        problems.append(Problem(f"This is no site of {company}.", "site"))
    if request.limit is not None and not 0 <= request.limit <= LARGEST_AMOUNT:
        problems.append(Problem("A limit is an amount from 0 on.", "limit"))
    refuse_if(problems)
    made, new = operations.give_role(person, company, request.role, site, request.limit)
    at = f" at {site}" if site else ""
    limit = f", up to {company.currency} {count(request.limit)}" if request.limit is not None else ""
    words = f"{'Gave' if new else 'Changed for'} {person} the role {request.role} in {company}{at}{limit}"
    add_history(act, "grant", words, [("person", person.pk, company.pk)])
    return made.pk


@once
def end_grant(act: Act, request: EndRequest) -> int:
    """Take a role away; a person who may keep people stays in every company."""
    found = Grant.objects.select_related("person", "company", "site").filter(pk=request.grant).first()
    if found is None:
        raise Refused(Problem("This role was taken already.", mend="Look again."))
    act.require("keep_people", found.company_id)
    operations.take_role(found)
    if not _somebody_keeps(found.company_id):
        raise Refused(
            Problem(f"No one would be left who keeps people in {found.company}.", mend="Give it to another first.")
        )
    at = f" at {found.site}" if found.site else ""
    words = f"Took from {found.person} the role {found.role} in {found.company}{at}"
    add_history(act, "end_grant", words, [("person", found.person_id, found.company_id)])
    return found.person_id


def _somebody_keeps(company: int) -> bool:
    # Locked, so that two who take it from each other at once do not both succeed.
    Company.objects.select_for_update().get(pk=company)
    return grants_with("keep_people", [company]).filter(person__is_active=True).exists()


def _role_problems(role: str, company: int) -> list[Problem]:
    if role in permissions_of_roles(company) and role not in OF_LINKS:
        return []
    return [Problem("There is no such role to give.", "role")]


@once
def set_role(act: Act, request: RoleRequest) -> str:
    """Say what a role may do, from now on and for everybody who has it: in one company, or in the house."""
    company = _company_of_role(act, request)
    code, known = request.code.strip().lower(), permissions_of_roles(request.company)
    problems = []
    if not code.isidentifier() or len(code) > 16:
        problems.append(Problem("A role is called by one word of at most 16 letters.", "code"))
    if code in OF_LINKS:
        problems.append(Problem("This role belongs to the links of suppliers and providers.", "code"))
    if not set(request.permissions or ()) <= set(WORDS):
        problems.append(Problem("There is no such right.", "permissions"))
    refuse_if(problems)
    before = known.get(code, set())
    if code in known and request.permissions is not None and before == set(request.permissions):
        return code
    if request.permissions is not None:
        operations.keep_role(code, request.permissions, request.company)
    elif company is not None:
        operations.drop_role(code, company.pk)
    after = permissions_of_roles(request.company).get(code, set())
    for one in [company] if company else Company.objects.all():
        if not _somebody_keeps(one.pk):
            raise Refused(Problem(f"No one would be left who keeps people in {one}.", "permissions"))
    changes = [{"field": WORDS[permission], "old": "no", "new": "yes"} for permission in sorted(after - before)]
    changes += [{"field": WORDS[permission], "old": "yes", "new": "no"} for permission in sorted(before - after)]
    words = f"Changed what the role {code} may do{f' in {company}' if company else ''}"
    add_history(act, "set_role", words, [("role", 0, request.company)], changes=changes)
    return code


def _company_of_role(act: Act, request: RoleRequest) -> Company | None:
    """The company whose role it is; None: the house's. Raises NotAllowed."""
    if request.company is None:
        require_house(act.person)
        if request.permissions is None:
            raise Refused(Problem("A role of the house does not end.", "code", "Take its rights away."))
        return None
    act.require("keep_people", request.company)
    return Company.objects.get(pk=request.company)


@once
def keep_house(act: Act, request: HouseRequest) -> int:
    """Give a person the right to keep the house, or take it. One person keeps it at least."""
    require_house(act.person)
    person = _person(request.person)
    # Locked, so that two who take it from each other at once do not both succeed.
    keepers = list(Person.objects.select_for_update().filter(keeps_house=True, is_active=True).order_by("pk"))
    if not request.keeps and keepers == [person]:
        raise Refused(Problem("No one would be left who keeps the house.", mend="Give it to another first."))
    if person.keeps_house != request.keeps:
        operations.give_house(person, request.keeps)
        words = f"{'Gave' if request.keeps else 'Took from'} {person} the right to keep the house"
        add_history(act, "keep_house", words, [("person", person.pk, None)])
    return person.pk


@once
def add_person(act: Act, request: PersonRequest) -> int:
    """Add a person, with a first role in a company whose people one keeps; or, who keeps the house, without a role."""
    if request.company is None:
        if may_somewhere(act.person, "keep_people") and not may_somewhere(act.person, HOUSE):
            problem = Problem("Choose the company and the first role of a new person.", "role")
            raise Refused(problem)
        require_house(act.person)
        person = write_person(request)
    else:
        act.require("keep_people", request.company)
        refuse_if(_role_problems(request.role, request.company))
        person = write_person(request)
        company = Company.objects.get(pk=request.company)
        operations.give_role(person, company, request.role, None, None)
    role = f" with the role {request.role} in {company}" if request.company else ""
    words = f"Added {person} as {person.username}{role}"
    add_history(act, "add_person", words, [("person", person.pk, request.company)])
    return person.pk


@once
def let_in(act: Act, request: LetInRequest) -> int:
    """Give a person a new first password; their second factors go, and their sessions end.

    It takes the right to keep people in every company where the person has a role: the password is a way in. A person
    without a role, and one who keeps the house, are let in by who keeps the house.
    """
    person = _person(request.person)
    require_somewhere(act.person, "keep_people")
    if person.keeps_house or not person.grants.exists():
        require_house(act.person)
    if person.pk == act.person.pk:
        raise Refused(Problem("Your own password is changed on your account page.", "person"))
    act.require("keep_people", *person.grants.values_list("company", flat=True).distinct())
    refuse_if(_password_problems(request.password, person))
    operations.let_in(person, request.password, act.at)
    words = f"Gave {person} a new first password; the second factors and tokens ended"
    add_history(act, "let_in", words, [("person", person.pk, None)])
    return person.pk


@once
def lift_lock(act: Act, request: LockRequest) -> int:
    """Lift the lock that wrong tries put on a person's name."""
    person = _person(request.person)
    companies = person.grants.values_list("company", flat=True).distinct()
    if person.keeps_house or not companies:
        require_house(act.person)
    act.require("keep_people", *companies)
    operations.lift_lock(person)
    add_history(act, "lift_lock", f"Lifted the lock of {person}'s name", [("person", person.pk, None)])
    return person.pk


def _password_problems(password: str, person: Person) -> list[Problem]:
    try:
        validate_password(password, person)
    except ValidationError as error:
        return [Problem(words, "password") for words in error.messages]
    return []


def write_person(request: PersonRequest) -> Person:
    """Write a new person. Raises Refused."""
    problems = []
    name = request.username.strip().lower()
    if not name or not name.replace(".", "").replace("-", "").isalnum() or len(name) > 40:
        problems.append(Problem("A name to sign in by has letters, digits, dots and hyphens, at most 40.", "username"))
    if Person.objects.filter(username__iexact=name).exists():
        problems.append(Problem(f"{name} is taken.", "username"))
    known = Person(username=name, first_name=request.first_name, last_name=request.last_name, email=request.email)
    refuse_if(problems + _password_problems(request.password, known))
    return Person.objects.create_user(
        name, request.email, request.password, first_name=request.first_name, last_name=request.last_name
    )


def _person(key: int) -> Person:
    person = Person.objects.filter(pk=key, supplier_person=None).first()
    if person is None:
        raise Refused(Problem("There is no such person.", "person"))
    return person
