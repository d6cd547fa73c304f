"""What a bill is likely to be of: the estimates of its payee, as rows that are checked, not typed."""

from django.db.models import Count, Q

from northing.access.permissions import companies_of
from northing.costing.models import Charge
from northing.drawings.figures import money
from northing.masterdata.models import Party
from northing.web.common.keys import key_of

MOST = 30


def expected_charges(person):
    """Estimates of the person's companies whose bills are to come."""
    return Charge.objects.filter(parts__company__in=companies_of(person), closed_on=None).distinct()


def waiting_payees(person) -> list[Party]:
    """Who is expected to bill, and how many estimates of each wait, the most first."""
    mine = companies_of(person)
    found = Party.objects.filter(charges__parts__company__in=mine, charges__closed_on=None)
    found = found.annotate(waiting=Count("charges", filter=Q(charges__closed_on=None), distinct=True))
    return list(found.order_by("-waiting", "name")[:12])


def proposed(request) -> dict:
    """What the form begins with where the address names a payee, and perhaps a shipment: its estimates, one a row."""
    payee = Party.objects.filter(pk=key_of(request.GET.get("payee", ""))).first()
    if payee is None:
        return {}
    found = expected_charges(request.user).filter(payee=payee)
    if shipment := key_of(request.GET.get("shipment", "")):
        found = found.filter(Q(shipments=shipment) | Q(containers__shipment=shipment))
    charges = list(found.order_by("pk")[:MOST])
    # A paper has one currency: that of most of its estimates.
    currencies = [charge.estimated_currency or charge.currency for charge in charges] or [payee.currency]
    currency = max(dict.fromkeys(currencies), key=currencies.count)
    rows = [charge for charge, own in zip(charges, currencies, strict=False) if own == currency]
    said = {"payee": payee, "currency": currency, "rows": len(rows)}
    if len({charge.company_id for charge in rows}) == 1:
        said["company"] = rows[0].company_id
    for place, charge in enumerate(rows):
        said |= {f"charge-line-{place}": str(charge.pk), f"amount-line-{place}": money(charge.rest, currency)}
    return said
