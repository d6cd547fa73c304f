"""Reads of advances: what is open of an order's, and what goods have reserved."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import Q, Sum

from northing.ledger.models import Account, DocumentKind, OpenItem
from northing.payments.models import Reserve, ReserveUse

ZERO = Decimal(0)


@dataclass(frozen=True)
class Advance:
    """An advance that is open: in the order's currency, and in base."""

    amount: Decimal = ZERO
    base: Decimal = ZERO


def paid_in_advance(orders: Iterable[int]) -> dict[int, Advance]:
    """By order (id), what was paid in advance and is not set off yet; orders without any are left out."""
    rows = OpenItem.objects.filter(
        ~Q(amount=0) | ~Q(base=0),
        account=Account.ADVANCES,
        document_kind=DocumentKind.ORDER,
        document__any_of=list(orders),
    )
    sums = rows.values_list("document").order_by().annotate(a=Sum("amount"), b=Sum("base"))
    return {order: Advance(amount, base) for order, amount, base in sums}


def open_advances(orders: Iterable[int]) -> dict[int, Advance]:
    """By order (id), what was paid in advance, less what goods reserved; orders without any are left out."""
    paid = paid_in_advance(orders)
    if not paid:
        return {}
    kept = Reserve.objects.filter(order__in=paid).values_list("order").order_by()
    used = ReserveUse.objects.filter(reserve__order__in=paid).values_list("reserve__order").order_by()
    for sign, rows in ((-1, kept), (1, used)):
        for order, amount, base in rows.annotate(a=Sum("amount"), b=Sum("base")):
            left = paid[order]
            paid[order] = Advance(left.amount + sign * amount, left.base + sign * base)
    return {order: left for order, left in paid.items() if left.amount or left.base}


@dataclass(frozen=True)
class Reserved:
    """A reserve with what of it was used; units, in the order's currency, in base."""

    reserve: Reserve
    units: Decimal
    amount: Decimal
    base: Decimal

    @property
    def left(self) -> Decimal:
        """Units that it still stands for."""
        return self.reserve.units - self.units


def reserves_of(kind: str, documents: Iterable[int]) -> list[Reserved]:
    """The reserves of goods by the kind of their document and its ids, the oldest first."""
    rows = Reserve.objects.filter(**{f"{kind}__any_of": list(documents)}).order_by("pk")
    rows = rows.select_related("order__company").annotate(
        u=Sum("uses__units"), a=Sum("uses__amount"), b=Sum("uses__base")
    )
    found = [Reserved(one, one.u or ZERO, one.a or ZERO, one.b or ZERO) for one in rows]
    return [one for one in found if one.left > 0]
