"""Estimate against actual: what was estimated of costs whose bills have come, by what one asks; and what came late.

Amounts are in the base currency of the company, its own rows only. Shares of estimates are as the bills were spread.
"""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import CharField, Count, F, OuterRef, Subquery, Sum, Value
from django.db.models.functions import Coalesce, Concat, NullIf

from northing.core.money.exact import divide
from northing.core.money.money import rounded
from northing.costing.models import Charge, ChargeShare
from northing.ledger.models import Account, Posting
from northing.shipping.models import Leg

ZERO = Decimal(0)
PART = "shipment_line__container__shipment"
# What is asked: the words, and where the answer stands.
BY = {
    "kind": "Kind",
    "provider": "Provider",
    "lane": "Lane",
    "shipment": "Shipment",
    "item": "Item",
}
# Acts by which costs reach goods that are received already, and where their part of goods that are gone is posted.
LATE = ("book_bill", "reverse_bill", "enter_estimate", "end_estimate", "respread", "follow_units", "change_basis")
LATE += ("book_customs_entry", "reverse_customs_entry")
WAYS = {
    Account.LATE_ISSUED: "issued",
    Account.RETURN_LOSS: "returned",
    Account.MISSING_LOSS: "missing",
    Account.SCRAP_LOSS: "scrapped",
    Account.COUNT_DIFFERENCE: "not found by a count",
}


@dataclass(frozen=True)
class Compared:
    """Costs of one company under a name: estimated, billed, the difference and its part of the estimate in per cent."""

    name: str
    # The record that it is about, or the kind.
    key: int | str | None
    company: str
    currency: str
    estimated: Decimal
    billed: Decimal

    @property
    def difference(self) -> Decimal:
        return self.billed - self.estimated

    @property
    def percent(self) -> Decimal | None:
        """Of what was estimated, one decimal."""
        return divide(self.difference * 100, self.estimated, 1) if self.estimated else None


@dataclass(frozen=True)
class LateCost:
    """Late cost of goods that were gone, by how they went."""

    company: str
    company_id: int
    currency: str
    account: str
    way: str
    amount: Decimal
    entries: int


def compared(
    companies: Collection[int], by: str, first: date | None, last: date, kind: str = "", provider: int = 0
) -> list[Compared]:
    """Costs whose last bill came in a period, the largest difference first; `by` is one of BY.

    Of a `kind` or a `provider` (id) only, where one is named.
    """
    found = ChargeShare.objects.filter(
        company__in=companies,
        charge__parts__company=F("company"),
        charge__parts__estimated_base__isnull=False,
        charge__billed__isnull=False,
        charge__closed_on__lte=last,
    )
    if first:
        found = found.filter(charge__closed_on__gte=first)
    found = found.filter(charge__kind=kind) if kind else found
    found = found.filter(charge__payee=provider) if provider else found
    part = "charge__parts__"
    share = F(f"{part}estimated_base") * F("amount") / NullIf(F(f"{part}base_amount"), ZERO)
    name, key = _named(by)
    rows = found.annotate(named=name, of=key).values("named", "of", "company__code", "company__currency")
    rows = rows.annotate(estimated=Sum(share), billed=Sum("amount")).order_by()
    words = dict(Charge.Kind.choices)
    made = [
        Compared(
            words.get(row["named"], row["named"]) or "goods that were not packed",
            row["of"],
            row["company__code"],
            row["company__currency"],
            rounded(row["estimated"] or ZERO, row["company__currency"]),
            row["billed"],
        )
        for row in rows
    ]
    return sorted(made, key=lambda one: (-abs(one.difference), one.name, one.company))


def _named(by: str):
    """The name of a row, and the record that it opens."""
    nothing = Value(None, output_field=CharField())
    if by == "provider":
        return F("charge__payee__name"), F("charge__payee")
    if by == "item":
        return F("order_line__item__code"), F("order_line__item")
    if by == "shipment":
        return Coalesce(F(f"{PART}__reference"), Value("")), F(PART)
    if by == "lane":
        legs = Leg.objects.filter(shipment=OuterRef(PART), main=True).order_by("number")
        return Coalesce(
            Subquery(legs.values(lane=Concat("origin", Value(" to "), "destination"))[:1]), Value("")
        ), nothing
    return F("charge__kind"), F("charge__kind")


def late_costs(companies: Collection[int], first: date | None, last: date) -> list[LateCost]:
    """What costs that came late added to goods that were gone, by how they went."""
    found = Posting.objects.filter(company__in=companies, account__in=list(WAYS), entry__action__in=LATE)
    found = found.filter(posted_on__lte=last, **({"posted_on__gte": first} if first else {}))
    rows = found.values("company__code", "company", "company__currency", "account")
    rows = rows.annotate(total=Sum("amount"), many=Count("pk"))
    return [
        LateCost(
            row["company__code"],
            row["company"],
            row["company__currency"],
            row["account"],
            WAYS[Account(row["account"])],
            row["total"],
            row["many"],
        )
        for row in rows.order_by("company__code", "account")
        if row["total"]
    ]
