"""Which companies use what companies share: the parties that they deal with, the items that they order or keep, and
the carriers' events about their goods.
"""

from collections.abc import Iterable

from django.db.models import Exists, OuterRef, Q, QuerySet

from northing.access.models import Person
from northing.access.permissions import HOUSE, companies_of, may_somewhere
from northing.billing.models import Bill
from northing.costing.models import Charge
from northing.ledger.models import CostLayer
from northing.masterdata.models import Company, Party
from northing.orders.models import OrderLine, PurchaseOrder
from northing.shipping.models import CarrierEvent, ShipmentLine


def companies_of_parties(parties: Iterable[int]) -> dict[int, set[int]]:
    """Return for each party (id) the companies (ids) that deal with it: that have orders, charges or bills of it, or
    goods in a shipment that it forwards or carries. Drafts count.
    """
    keys, company = list(parties), "instalment__line__order__company"
    forwarder, carrier = "container__shipment__forwarder", "container__shipment__legs__load_call__voyage__carrier"
    aboard = ShipmentLine.objects.order_by()
    rows = (
        aboard.filter(**{f"{forwarder}__in": keys}).values_list(forwarder, company),
        aboard.filter(**{f"{carrier}__in": keys}).values_list(carrier, company),
        PurchaseOrder.objects.filter(supplier__any_of=keys).values_list("supplier", "company"),
        Charge.objects.filter(payee__any_of=keys).values_list("payee", "company"),
        Bill.objects.filter(party__any_of=keys).values_list("party", "company"),
    )
    return _gathered(keys, rows)


def companies_of_items(items: Iterable[int]) -> dict[int, set[int]]:
    """Return for each item (id) the companies (ids) that order it or have had it in stock; drafts count."""
    keys = list(items)
    rows = (
        OrderLine.objects.filter(item__any_of=keys).values_list("item", "order__company"),
        CostLayer.objects.filter(item__any_of=keys).values_list("item", "company"),
    )
    return _gathered(keys, rows)


def _gathered(keys: list[int], rows: Iterable) -> dict[int, set[int]]:
    found: dict[int, set[int]] = {key: set() for key in keys}
    for pairs in rows:
        for key, company in pairs.order_by().distinct():
            found[key].add(company)
    return found


def visible_events(person: Person) -> QuerySet[CarrierEvent]:
    """Return the carriers' events about goods that the person may see.

    An event that fits no one's goods is seen by the companies that use its carrier, and by the person who brought
    it in. Who keeps the house, and who sees every company, sees all.
    """
    mine = companies_of(person)
    if may_somewhere(person, HOUSE) or not Company.objects.exclude(pk__in=mine).exists():
        return CarrierEvent.objects.all()
    tied = Q(container__statements__event=OuterRef("pk"))
    tied |= Q(container__shipment__legs__statements__event=OuterRef("pk"))
    named = Q(container__number=OuterRef("container"))
    sails = Q(
        container__shipment__legs__load_call__voyage__imo=OuterRef("imo"),
        container__shipment__legs__load_call__voyage__number=OuterRef("voyage"),
    )
    aboard = ShipmentLine.objects.order_by()
    own = aboard.filter(instalment__line__order__company__in=mine)
    by_number, by_voyage = ~Q(container=""), Q(container="") & ~Q(imo="")
    theirs = (
        Exists(own.filter(tied)) | (by_number & Exists(own.filter(named))) | (by_voyage & Exists(own.filter(sails)))
    )
    known = Exists(aboard.filter(tied)) | (by_number & Exists(aboard.filter(named)))
    known |= by_voyage & Exists(aboard.filter(sails))
    unknown = ~known & (Q(source__in=_carriers_of(mine)) | Q(heard_by=person))
    return CarrierEvent.objects.filter(theirs | unknown)


def _carriers_of(companies: set[int]) -> set[str]:
    """The names and codes of the carriers that the companies (ids) pay, or whose voyages bring their goods."""
    used = (
        Charge.objects.filter(company__in=companies).values("payee"),
        Bill.objects.filter(company__in=companies).values("party"),
        ShipmentLine.objects.filter(instalment__line__order__company__in=companies).values(
            "container__shipment__legs__load_call__voyage__carrier"
        ),
    )
    parties = Party.objects.filter(kind=Party.Kind.PROVIDER).filter(
        Q(pk__in=used[0]) | Q(pk__in=used[1]) | Q(pk__in=used[2])
    )
    return {word for pair in parties.values_list("name", "code") for word in pair}
