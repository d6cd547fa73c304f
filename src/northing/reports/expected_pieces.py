"""Goods whose cost is expected, as pieces: their order line, container and days, and what their cost is made of."""

from collections.abc import Callable, Collection
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from northing.core.costing.rate_cards import Estimate
from northing.masterdata.models import Company, Item
from northing.orders.models import OrderLine, PurchaseOrder
from northing.shipping.models import Container, Shipment

ZERO = Decimal(0)
# By kind of cost, in base currency.
Shares = dict[str, Decimal]


@dataclass
class Piece:
    """Goods whose cost is expected: units of an order line, in a container or not packed yet.

    `amount` is what is paid for them, in the order's currency, and `goods` in base currency; where that is not said it
    is reckoned at the day's rate. `known` are the shares that charges say, by kind, in base currency; `proofs` the
    proofs of origin that count. With `declared` their duty is known.
    """

    line: OrderLine
    quantity: Decimal
    amount: Decimal
    container: Container | None = None
    goods: Decimal | None = None
    known: Shares = field(default_factory=dict)
    proofs: Callable[[], Collection[str]] = frozenset
    declared: bool = False
    leaves: date | None = None
    lands: date | None = None

    @property
    def order(self) -> PurchaseOrder:
        """The order that it is of."""
        return self.line.order

    @property
    def company(self) -> Company:
        """The company whose goods it is."""
        return self.order.company

    @property
    def item(self) -> Item:
        """What it is."""
        return self.line.item

    @property
    def volume(self) -> Decimal:
        """In m3."""
        return self.item.volume_m3 * self.quantity

    @property
    def weight(self) -> Decimal:
        """In kg."""
        return self.item.weight_kg * self.quantity

    @property
    def shipment(self) -> Shipment | None:
        """The shipment that it is in."""
        return self.container.shipment if self.container else None


@dataclass(frozen=True)
class CardCost:
    """A card's estimate over some pieces: their places, and the share of each in its company's base currency.

    Without `shares` a rate is missing.
    """

    estimate: Estimate
    places: tuple[int, ...]
    basis: str
    shares: tuple[Decimal, ...] | None

    @property
    def kind(self) -> str:
        """The kind of cost."""
        return self.estimate.card.kind


@dataclass
class PieceCost:
    """The cost of a piece in base currency. None stands for a rate that is missing.

    `cards` are expected by rate cards, `known` are the shares of charges, by kind; duty and tax are expected.
    """

    goods: Decimal | None
    known: Shares
    cards: Shares = field(default_factory=dict)
    duty: Decimal | None = None
    tax: Decimal = ZERO

    @property
    def landed(self) -> Decimal | None:
        """All of it; None where the goods have no rate."""
        if self.goods is None:
            return None
        parts = [*self.known.values(), *self.cards.values(), self.duty or ZERO, self.tax]
        return sum(parts, self.goods)
