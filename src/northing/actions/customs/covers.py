"""The goods that a customs entry covers, all of one company; each is declared once."""

from dataclasses import dataclass
from hashlib import sha256

from django.db.models import Q

from northing.core.problems import Problem, Refused
from northing.customs.models import CustomsLine
from northing.customs.queries import is_declared
from northing.masterdata.models import Company
from northing.orders import operations as orders
from northing.receiving.models import ReceiptLine
from northing.shipping import operations as shipping
from northing.shipping.models import ShipmentLine
from northing.shipping.queries import with_goods


@dataclass(frozen=True)
class Covers:
    """All of a company in shipments, in containers, and of receipts that came unpacked (ids).

    Goods on another entry are left out. None of the three: the goods of the entry to be corrected.
    """

    shipments: tuple[int, ...] = ()
    containers: tuple[int, ...] = ()
    receipts: tuple[int, ...] = ()

    def goods(self, corrects: int | None) -> Q:
        """The shipment lines."""
        if not (self.shipments or self.containers or self.receipts):
            return Q(pk__in=CustomsLine.objects.filter(entry=corrects).values("shipment_line"))
        found = Q(pk__in=())
        if self.shipments:
            found |= Q(container__shipment__in=self.shipments)
        if self.containers:
            found |= Q(container__in=self.containers)
        if self.receipts:
            unpacked = ReceiptLine.objects.filter(receipt__in=self.receipts, shipment_line__container=None)
            found |= Q(pk__in=unpacked.values("shipment_line"))
        return found


def covered(covers: Covers, company: Company, corrects: int | None = None) -> list[ShipmentLine]:
    """The goods of an entry, as they would be declared. Raises Refused where there are none."""
    named = ShipmentLine.objects.filter(covers.goods(corrects), quantity__gt=0)
    own = named.filter(instalment__line__order__company=company)
    parts = with_goods(own.filter(~is_declared(corrects)))
    if not parts and own.exists():
        where = "this shipment" if covers.shipments else "these goods"
        what = f"{company} has a customs entry for {where} already."
        raise Refused(Problem(what, "number", "Reload the page; a correction takes its place."))
    if not parts:
        where = "in this shipment" if covers.shipments else "here"
        raise Refused(Problem(f"{company} has no goods {where}.", "company"))
    return parts


def lock_covered(covers: Covers, company: Company, corrects: int | None = None) -> list[ShipmentLine]:
    """The same, their shipments locked and, of what came unpacked, their orders. Raises Refused."""
    found = covered(covers, company, corrects)
    shipping.lock(shipments_of(found))
    orders.lock({part.instalment.line.order_id for part in found if not part.container})
    return covered(covers, company, corrects)


def shipments_of(parts: list[ShipmentLine]) -> list[int]:
    """The shipments (ids) that goods are in."""
    return sorted({part.container.shipment_id for part in parts if part.container})


def mark_of(parts: list[ShipmentLine]) -> str:
    """A short mark that is another one as soon as the goods or their quantities are."""
    said = ";".join(f"{part.pk}:{part.quantity:f}" for part in sorted(parts, key=lambda part: part.pk))
    return sha256(said.encode()).hexdigest()[:16]
