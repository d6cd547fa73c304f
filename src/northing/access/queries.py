"""Which rows and which people a person may see."""

from allauth.mfa.models import Authenticator
from django.db.models import QuerySet

from northing.access.models import Person
from northing.access.permissions import companies_of, grants_with


def scoped(queryset, person, path: str = "company"):
    """The rows of the person's companies; the one place where permissions limit what is seen."""
    return queryset.filter(**{f"{path}__in": companies_of(person)})


def people_who(permission: str, person) -> QuerySet[Person]:
    """Those who have the permission in one of the person's companies."""
    grants = grants_with(permission, companies_of(person))
    return Person.objects.filter(grants__in=grants, is_active=True).distinct()


def has_factor(person) -> bool:
    """Whether the person signs in with an authenticator app or a passkey."""
    kinds = (Authenticator.Type.TOTP, Authenticator.Type.WEBAUTHN)
    return Authenticator.objects.filter(user=person, type__in=kinds).exists()
