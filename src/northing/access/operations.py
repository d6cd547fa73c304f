"""Writes of people, roles, tokens and sign-ins."""

from collections.abc import Iterable
from datetime import datetime

from django.contrib.sessions.models import Session

from northing.access.models import ApiToken, Grant, Person, Refusal, Role, SignIn, SupplierPerson
from northing.masterdata.models import Company, Party


def give_role(person: Person, company: Company, role: str, site, limit) -> tuple[Grant, bool]:
    """A role in a company, perhaps at one of its sites and up to a limit; and whether it is new."""
    return Grant.objects.update_or_create(
        person=person, company=company, role=role, site=site, defaults={"limit": limit}
    )


def give_roles(grants: Iterable[Grant]) -> None:
    """Roles of which some may be there already."""
    Grant.objects.bulk_create(grants, ignore_conflicts=True)


def take_role(grant: Grant) -> None:
    """Take a role away."""
    Grant.objects.filter(pk=grant.pk).delete()


def keep_role(code: str, permissions: Iterable[str]) -> None:
    """The permissions of a role, from now on."""
    Role.objects.update_or_create(code=code, defaults={"permissions": sorted(permissions)})


def write_token(token: ApiToken) -> ApiToken:
    """A new token, of which only the hash is kept."""
    token.save(force_insert=True)
    return token


def end_token(token: ApiToken, at: datetime) -> None:
    """A token ends."""
    token.revoked_at = at
    token.save(update_fields=["revoked_at"])


def use_token(token: ApiToken, at: datetime) -> None:
    """Note when a token was used last."""
    ApiToken.objects.filter(pk=token.pk).update(used_at=at)


def add_supplier_person(supplier: Party) -> SupplierPerson:
    """The person of a supplier's name, who cannot sign in."""
    person = Person(username=f"supplier:{supplier.code}"[:150], first_name=supplier.name[:150], is_active=False)
    person.set_unusable_password()
    person.save()
    return SupplierPerson.objects.create(person=person, supplier=supplier)


def note_refusals(channels: Iterable[str], at: datetime) -> None:
    """Sign-ins that failed."""
    Refusal.objects.bulk_create(Refusal(channel=channel, at=at) for channel in channels)


def use_step(person: Person, step: int) -> bool:
    """Use up a code of the second factor; False where another sign-in was first."""
    return bool(Person.objects.filter(pk=person.pk, factor_step__lt=step).update(factor_step=step))


def set_factor(person: Person, secret: str, step: int) -> None:
    """Set the second factor up, or (without a secret) take it away."""
    Person.objects.filter(pk=person.pk).update(factor_secret=secret, factor_step=step)


def note_sign_in(session: str, person: Person, at: datetime, caller: str, agent: str) -> None:
    """Remember a session, so that its owner can see and end it."""
    facts = {"person": person, "at": at, "caller": caller, "agent": agent}
    SignIn.objects.update_or_create(session=session, defaults=facts)


def end_sign_in(sign_in: SignIn) -> None:
    """End a session."""
    Session.objects.filter(session_key=sign_in.session).delete()
    sign_in.delete()
