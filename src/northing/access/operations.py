"""Writes of people, roles and tokens."""

from collections.abc import Iterable
from datetime import datetime

from allauth.mfa.models import Authenticator
from allauth.usersessions.models import UserSession
from axes.models import AccessAttempt, AccessFailureLog
from axes.utils import reset

from northing.access.models import ApiToken, Grant, Knock, Person, Role, SupplierPerson
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


def keep_role(code: str, permissions: Iterable[str], company: int | None) -> None:
    """Set the permissions of a role, of the house or of one company (id), from now on."""
    Role.objects.update_or_create(code=code, company_id=company, defaults={"permissions": sorted(permissions)})


def drop_role(code: str, company: int) -> None:
    """Drop a company's own role: the house's of that code counts there again."""
    Role.objects.filter(code=code, company=company).delete()


def give_house(person: Person, keeps: bool) -> None:
    """Give a person the right to keep the house, or take it."""
    person.keeps_house = keeps
    person.save(update_fields=["keeps_house"])


def write_token(token: ApiToken) -> ApiToken:
    """A new token, of which only the hash is kept."""
    token.save(force_insert=True)
    return token


def end_token(token: ApiToken, at: datetime) -> None:
    """A token ends."""
    token.revoked_at = at
    token.save(update_fields=["revoked_at"])


def let_in(person: Person, password: str, at: datetime) -> None:
    """Set a password, which ends the sessions of the old one; remove second factors, and end tokens and locks."""
    person.set_password(password)
    person.save(update_fields=["password"])
    Authenticator.objects.filter(user=person).delete()
    end_tokens_of(person, at)
    lift_lock(person)


def end_tokens_of(person: Person, at: datetime) -> int:
    """End every live token of a person. Returns how many there were."""
    return ApiToken.objects.filter(person=person, revoked_at=None).update(revoked_at=at)


def lift_lock(person: Person) -> None:
    """Forget the wrong tries of a person's name."""
    reset(username=person.username)
    AccessFailureLog.objects.filter(username=person.username).delete()


def forget_ended_tries(now: datetime) -> None:
    """Forget wrong tries whose own end has passed."""
    AccessAttempt.objects.filter(expiration__expires_at__lte=now).delete()


def purge_tries(before: datetime) -> int:
    """Remove the log of wrong tries before a time. Returns how many there were."""
    return AccessFailureLog.objects.filter(attempt_time__lt=before).delete()[0]


def purge_knocks(before: datetime) -> int:
    """Remove counts of knocks before a time. Returns how many there were."""
    return Knock.objects.filter(minute__lt=before).delete()[0]


def close_person(person: Person, at: datetime) -> None:
    """Close an account: no password, no session, no passkey, no token and no role opens anything any more."""
    person.is_active = person.keeps_house = False
    person.set_unusable_password()
    person.save(update_fields=["is_active", "keeps_house", "password"])
    for session in UserSession.objects.filter(user=person):
        session.end()
    Authenticator.objects.filter(user=person).delete()
    Grant.objects.filter(person=person).delete()
    end_tokens_of(person, at)


def use_token(token: ApiToken, at: datetime) -> None:
    """Note when a token was used last."""
    ApiToken.objects.filter(pk=token.pk).update(used_at=at)


def add_supplier_person(supplier: Party) -> SupplierPerson:
    """The person of a supplier's name, who cannot sign in."""
    person = Person(username=f"supplier:{supplier.code}"[:150], first_name=supplier.name[:150], is_active=False)
    person.set_unusable_password()
    person.save()
    return SupplierPerson.objects.create(person=person, supplier=supplier)
