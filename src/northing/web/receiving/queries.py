"""What comes to a dock beside what its own companies ordered."""

from django.db.models import F, OuterRef, Subquery
from django.db.models.functions import Lower

from northing.access.models import Person
from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.masterdata.models import Company, Site
from northing.shipping.models import Container, Leg, Stowage


def sent_here(person: Person) -> list[Container]:
    """Containers on their way to one of the person's sites (by its name or code) with goods of other companies alone,
    such as were landed at another port than theirs; each with where it goes to, and whose it is.
    """
    mine = companies_of(person)
    sites = scoped(Site.objects.all(), person).values_list("name", "code")
    places = {name.lower() for site in sites for name in site}
    last = Leg.objects.filter(shipment=OuterRef("shipment")).order_by("-number").values("destination")[:1]
    still = Stowage.objects.filter(settled__lt=F("quantity"))
    own = still.filter(instalment__line__order__company__in=mine).values("container__shipment")
    boxes = Container.objects.filter(pk__in=still.values("container")).exclude(shipment__in=own)
    boxes = boxes.annotate(goes_to=Subquery(last)).annotate(place=Lower("goes_to")).filter(place__in=places)
    found = list(boxes.filter(shipment__expected_dock__isnull=False).select_related("shipment"))
    owners: dict[int, set[int]] = {}
    rows = still.filter(container__in=found).values_list("container", "instalment__line__order__company").distinct()
    for box, company in rows:
        owners.setdefault(box, set()).add(company)
    names = dict(Company.objects.values_list("pk", "name"))
    for box in found:
        box.whose = ", ".join(sorted(names[key] for key in owners.get(box.pk, ())))
    return sorted(found, key=lambda box: (box.expected_dock, box.number))
