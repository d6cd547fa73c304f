"""Which rows and which people a person may see."""

from django.db.models import Q, QuerySet

from northing.access.models import Person
from northing.access.rights import companies_of, roles_with


def scoped(queryset, person, path: str = "company"):
    """The rows of the person's companies; the one place where rights limit what is seen."""
    return queryset.filter(**{f"{path}__in": companies_of(person)})


def people_who(right: str, person) -> QuerySet[Person]:
    """Those who have the right in one of the person's companies."""
    mine = Q(grants__company__in=companies_of(person), grants__role__in=roles_with(right))
    return Person.objects.filter(mine, is_active=True).distinct()
