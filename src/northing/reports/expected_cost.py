"""What goods are expected to cost landed: price, rate cards, tariff, at today's rates; bills and estimates come first.

Cards are those of the day on which goods leave, the tariff is that of the day on which they land.

Kind by kind: of what goods a charge names (an estimate or bills) no card is asked. Goods that travel or are ordered
together share the cards, as they would share the bills.
"""

from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from fractions import Fraction
from functools import cached_property

from northing.core.costing import charges as spreading
from northing.core.costing import landed_cost
from northing.core.costing.customs import Customs
from northing.core.costing.rate_cards import (
    VALUE,
    Box,
    Card,
    Consignment,
    Estimate,
    Lane,
    estimates,
    included,
    room_of,
)
from northing.core.money.exact import divide
from northing.core.money.money import converted, minor_units
from northing.core.planning.loading import LOOSE
from northing.customs.lines import customs_line
from northing.masterdata.models import Company, Item
from northing.masterdata.queries import Rates, route_legs
from northing.masterdata.rate_cards import cards_from, usual_bases
from northing.masterdata.tariffs import Tariff, customs_of
from northing.orders.models import OrderLine, PurchaseOrder
from northing.shipping.models import Container, Shipment

ZERO = Decimal(0)
USUAL_BOX = "42G1"
AIR = "air"
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


@dataclass
class Expected:
    """Pieces with their costs, place by place, and the cards that count."""

    pieces: Sequence[Piece]
    costs: list[PieceCost]
    cards: list[CardCost]
    # Currencies that have no rate, by company.
    missing: set[tuple[str, str]]

    def unit(self, place: int) -> Decimal | None:
        """Landed cost of one unit of a piece, 4 decimals."""
        landed = self.costs[place].landed
        return None if landed is None else landed_cost.unit_price_of(landed, self.pieces[place].quantity)


class Expectations:
    """What costs are expected to be, seen from a day; cards, rates, routes and tariffs are read once."""

    def __init__(self, day: date):
        self.day = day
        self.cards = cards_from(day)
        self.rates = Rates(day)
        self.customs_rates = Rates(day, "customs", self.rates)
        self._tariffs: dict[int, Tariff] = {}
        self._customs: dict[str, tuple[Customs, tuple[str, ...]]] = {}

    @cached_property
    def _bases(self) -> dict[str, str]:
        return usual_bases()

    @cached_property
    def _usual_boxes(self) -> dict[tuple[str, str], str]:
        """By ports of loading and discharge, the container that goods usually go in."""
        found: dict[tuple[str, str], str] = {}
        for legs in route_legs().values():
            size = next((leg.size_type for leg in legs if leg.size_type), "")
            carried = [leg for leg in legs if leg.mode in ("sea", AIR, "rail")]
            if size and carried:
                found.setdefault((carried[0].origin, carried[-1].destination), size)
        return found

    def of(self, pieces: Sequence[Piece]) -> Expected:
        """The costs of pieces. Those of a shipment, and those of an order that are not packed, go together."""
        for piece in pieces:
            piece.goods = self._goods(piece)
        costs = [PieceCost(piece.goods, dict(piece.known)) for piece in pieces]
        together: dict[tuple[str, int | None], list[int]] = {}
        for place, piece in enumerate(pieces):
            boxed = piece.shipment is not None
            group = ("shipment", piece.shipment.pk) if boxed else ("order", piece.order.pk)
            together.setdefault(group, []).append(place)
        cards: list[CardCost] = []
        for places in together.values():
            cards += self._by_cards(pieces, places)
        for one in cards:
            for place, share in zip(one.places, one.shares or (), strict=False):
                costs[place].cards[one.kind] = costs[place].cards.get(one.kind, ZERO) + share
        self._duties(pieces, costs, together.values())
        missing = {
            (piece.company.code, currency)
            for piece in pieces
            for currency in {piece.order.currency, *(one.estimate.card.currency for one in cards)}
            if self.rates.known(piece.company, currency) is None
        }
        return Expected(pieces, costs, cards, missing)

    def _goods(self, piece: Piece) -> Decimal | None:
        if piece.goods is not None:
            return piece.goods
        rate = self.rates.known(piece.company, piece.order.currency)
        return None if rate is None else converted(piece.amount, rate, piece.company.currency)

    def _by_cards(self, pieces: Sequence[Piece], places: Sequence[int]) -> list[CardCost]:
        """What the cards say for pieces that go together, kind by kind, for those whose cost no charge says."""
        by_lane: dict[Lane, list[int]] = {}
        for place in places:
            by_lane.setdefault(self._lane(pieces[place]), []).append(place)
        kinds = dict.fromkeys(card.kind for card in self.cards)
        found: list[CardCost] = []
        whole = [pieces[place] for place in places]
        for lane, all_of in by_lane.items():
            fit = [card for card in self.cards if lane.fits(card)]
            for kind in kinds:
                some = [card for card in fit if card.kind == kind]
                open_places = [place for place in all_of if self._asks(pieces[place], kind)]
                for leaving in self._by_day(some, pieces, open_places):
                    found += self._of_kind(some, lane, pieces, leaving, whole)
        return found

    def _by_day(self, cards: Sequence[Card], pieces: Sequence[Piece], places: Sequence[int]) -> list[list[int]]:
        """Places by which of the cards are valid when the goods leave: what leaves under others is carried by those."""
        found: dict[tuple[int, ...], list[int]] = {}
        if not cards:
            return []
        if all(card.until is None and card.since <= self.day for card in cards):
            return [list(places)] if places else []
        for place in places:
            day = self._leaves(pieces[place])
            found.setdefault(tuple(card.key for card in cards if card.is_valid(day)), []).append(place)
        return list(found.values())

    def _leaves(self, piece: Piece) -> date:
        """The day of the cards: not before today, even of what should have left."""
        return max(piece.leaves or self.day, self.day)

    @staticmethod
    def _asks(piece: Piece, kind: str) -> bool:
        return kind not in piece.known and not included(kind, piece.order.incoterm)

    def _of_kind(
        self, cards: Sequence[Card], lane: Lane, pieces: Sequence[Piece], places: Sequence[int], whole: Sequence[Piece]
    ) -> list[CardCost]:
        some = [pieces[place] for place in places]
        goods = self._consignment(lane, some, whole, {card.currency for card in cards})
        shipment = some[0].shipment
        payees = [shipment.forwarder_id] if shipment and shipment.forwarder_id else []
        found = []
        day = min(map(self._leaves, some))
        for one in estimates(cards, goods, day, payees):
            if not one.amount:
                continue
            bearing = [place for place in places if self._bears(one.card, pieces[place])]
            found.append(self._shared(one, pieces, bearing or list(places)))
        return found

    @staticmethod
    def _bears(card: Card, piece: Piece) -> bool:
        """A card for a container type is borne by what is in containers of it."""
        return not card.size_type or piece.container is None or piece.container.size_type == card.size_type

    def _consignment(
        self, lane: Lane, some: Sequence[Piece], whole: Sequence[Piece], currencies: Iterable[str]
    ) -> Consignment:
        boxes: dict[int | None, list[Piece]] = {}
        for piece in some:
            boxes.setdefault(piece.container.pk if piece.container else None, []).append(piece)
        found = [self._box(lane, inside) for inside in boxes.values()]
        loaded = sum((box.count for box in found if box.size_type != LOOSE), Fraction(0))
        own = [piece for piece in whole if piece.company.pk == some[0].company.pk]
        of_shipment, of_entry = _part(some, whole), _part(some, own)
        if some[0].container is None and loaded:
            # An order that fills a part of a container has that part of its shipment.
            of_shipment = of_entry = min(Fraction(1), loaded)
        orders = len({piece.order.pk or id(piece.order) for piece in some})
        return Consignment(lane, found, orders, of_shipment, of_entry, self._values(some, currencies))

    def _box(self, lane: Lane, inside: Sequence[Piece]) -> Box:
        volume = sum((piece.volume for piece in inside), ZERO)
        weight = sum((piece.weight for piece in inside), ZERO)
        container = inside[0].container
        if container is not None:
            return Box(container.size_type, Fraction(1), volume, weight)
        size = LOOSE if lane.mode == AIR else self.usual_box(lane)
        return Box(size, Fraction(1) if size == LOOSE else room_of(volume, weight, size), volume, weight)

    def usual_box(self, lane: Lane) -> str:
        """The container that goods usually go in on a lane: by its route, else a dry 40 foot."""
        ends = ((first, last) for first in lane.origin for last in lane.destination)
        return next((self._usual_boxes[end] for end in ends if end in self._usual_boxes), USUAL_BOX)

    def _values(self, some: Sequence[Piece], currencies: Iterable[str]) -> dict[str, Decimal]:
        """The value of goods in currencies, as far as their rates are known."""
        if not any(card.per == VALUE for card in self.cards):
            return {}
        found = {}
        for currency in currencies:
            total = ZERO
            for piece in some:
                rate = self.rates.known(piece.company, currency)
                if piece.goods is None or not rate:
                    break
                total += divide(piece.goods, rate, minor_units(currency))
            else:
                found[currency] = total
        return found

    @staticmethod
    def _lane(piece: Piece) -> Lane:
        order, shipment = piece.order, piece.shipment
        supplier, site = order.supplier, order.site
        loads, lands = supplier.port_id or "", site.port_id or ""
        if shipment is not None:
            carried = [leg for leg in shipment.legs.all() if leg.mode in ("sea", AIR, "rail")]
            loads = carried[0].origin if carried else loads
            lands = shipment.discharge_port_id or lands
        country = loads[:2] if len(loads) == 5 else supplier.country
        here = lands[:2] if len(lands) == 5 else order.company.country
        origin = tuple(name for name in (loads, country) if name)
        destination = tuple(name for name in (site.code, lands, here) if name)
        return Lane(origin, destination, shipment.mode if shipment else order.mode)

    def _shared(self, one: Estimate, pieces: Sequence[Piece], places: Sequence[int]) -> CardCost:
        card, some = one.card, [pieces[place] for place in places]
        rates = {}
        for piece in some:
            rate = self.rates.known(piece.company, card.currency)
            if rate is None or piece.goods is None:
                return CardCost(one, tuple(places), "", None)
            rates[piece.company.pk] = spreading.CompanyRate(piece.company.currency, rate)
        bearers = self._bearers(some)
        for basis in dict.fromkeys((self._bases.get(card.kind, "value"), "value", "equal")):
            try:
                weights = spreading.weights_of(bearers, basis, rates)
                break
            except spreading.NothingToSpreadOver:
                continue
        between = spreading.between_companies(one.amount, card.currency, bearers, weights, rates)
        bases = {company: base for company, (_, base) in between.items()}
        shares = spreading.within_companies(bases, bearers, weights, rates)
        return CardCost(one, tuple(places), basis, tuple(shares[index] for index in range(len(some))))

    @staticmethod
    def _bearers(some: Sequence[Piece]) -> list[spreading.Bearer]:
        of_line: dict[int, Decimal] = {}
        for piece in some:
            of_line[id(piece.line)] = of_line.get(id(piece.line), ZERO) + piece.quantity
        boxes = [piece.container.pk if piece.container else None for piece in some]
        sizes = [(piece.volume, piece.weight) for piece in some]
        filled = spreading.parts_of_containers([(box, *size) for box, size in zip(boxes, sizes, strict=True)])
        return [
            spreading.Bearer(
                piece.company.pk,
                piece.goods or ZERO,
                weight,
                volume,
                piece.quantity,
                Fraction(piece.quantity) / Fraction(of_line[id(piece.line)]),
                part,
            )
            for piece, (volume, weight), part in zip(some, sizes, filled, strict=True)
        ]

    def tariff(self, company: Company) -> Tariff:
        """The tariff of a company's country; without a rate a specific duty cannot be expected yet."""
        if company.pk not in self._tariffs:
            self._tariffs[company.pk] = Tariff(
                company.country, self.day, lambda currency: self.customs_rates.known(company, currency) or ZERO
            )
        return self._tariffs[company.pk]

    def _duties(self, pieces: Sequence[Piece], costs: Sequence[PieceCost], together: Iterable[Sequence[int]]) -> None:
        """Put the duty, and import tax that is not reclaimed, into the costs of what is not declared yet."""
        for places in together:
            by_company: dict[int, list[int]] = {}
            for place in places:
                piece = pieces[place]
                if not piece.declared and self.customs_rates.known(piece.company, piece.order.currency) is not None:
                    by_company.setdefault(piece.company.pk, []).append(place)
            for own in by_company.values():
                self._declare([pieces[place] for place in own], [costs[place] for place in own])

    def _declare(self, some: Sequence[Piece], costs: Sequence[PieceCost]) -> None:
        company = some[0].company
        if company.country not in self._customs:
            self._customs[company.country] = customs_of(company.country)
        how, kinds = self._customs[company.country]
        tax = landed_cost.ImportTax(
            company.import_tax_rate, tuple(company.import_tax_base), company.import_tax_reclaimed
        )
        lines = [self._core_line(place, piece, company) for place, piece in enumerate(some)]
        # Where the price alone counts and tax comes back in full, no other cost moves what customs asks.
        alone = how.basis == "price" and company.import_tax_reclaimed == 1
        charges = [] if alone else _core_charges(costs, kinds)
        try:
            sheet = landed_cost.cost_sheet(lines, charges, tax, company.currency, how)
        except landed_cost.ValueBelowZero:
            return
        for cost, line in zip(costs, sheet.lines, strict=True):
            cost.duty, cost.tax = line.duty, line.import_tax

    def _core_line(self, place: int, piece: Piece, company: Company) -> landed_cost.Line:
        tariff = self.tariff(company)
        proofs = piece.proofs() if tariff.asks_proof else ()
        found = tariff.of(piece.item, piece.order.supplier_id, proofs, max(piece.lands or self.day, self.day))
        rate = self.customs_rates.of(company, piece.order.currency)
        return customs_line(str(place), piece.line, piece.quantity, piece.amount, rate, found)


def _part(some: Sequence[Piece], whole: Sequence[Piece]) -> Fraction:
    """The part of some pieces in the whole, by volume; where that is not known by their number."""
    volume = sum((piece.volume for piece in whole), ZERO)
    if not volume:
        return Fraction(len(some), len(whole))
    return Fraction(sum((piece.volume for piece in some), ZERO)) / Fraction(volume)


def _core_charges(costs: Sequence[PieceCost], kinds: Iterable[str]) -> list[landed_cost.Charge]:
    """What is expected beside the goods, kind by kind, as the core weighs it for customs."""
    in_value = set(kinds)
    names = dict.fromkeys(kind for cost in costs for kind in (*cost.known, *cost.cards))
    found = []
    for kind in names:
        shares = [cost.known.get(kind, ZERO) + cost.cards.get(kind, ZERO) for cost in costs]
        if any(shares) and kind in landed_cost.KINDS:
            found.append(
                landed_cost.Charge(
                    id=kind,
                    kind=kind,
                    amount=sum(shares, ZERO),
                    book_rate=Decimal(1),
                    scope=range(len(costs)),
                    by_hand=[abs(share) for share in shares],
                    in_customs_value=True if kind in in_value else None,
                )
            )
    return found
