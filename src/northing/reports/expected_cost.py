"""What goods are expected to cost landed: price, rate cards, tariff, at today's rates; bills and estimates come first.

Cards are those of the day on which goods leave, the tariff is that of the day on which they land.

Kind by kind: of what goods a charge names (an estimate or bills) no card is asked. Goods that travel or are ordered
together share the cards, as they would share the bills.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from fractions import Fraction
from functools import cached_property

from northing.core.costing import charges as spreading
from northing.core.costing import landed_cost
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
from northing.masterdata.queries import Rates, route_legs
from northing.masterdata.rate_cards import cards_from, usual_bases
from northing.reports.expected_duty import Duties
from northing.reports.expected_pieces import ZERO, CardCost, Piece, PieceCost

USUAL_BOX = "42G1"
AIR = "air"


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
        self.duties = Duties(day, self.rates)

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
        together = together_of(pieces)
        cards: list[CardCost] = []
        for places in together:
            cards += self._by_cards(pieces, places)
        for one in cards:
            for place, share in zip(one.places, one.shares or (), strict=False):
                costs[place].cards[one.kind] = costs[place].cards.get(one.kind, ZERO) + share
        self.duties.put(pieces, costs, together)
        return Expected(pieces, costs, cards, self._missing(pieces, cards))

    def _missing(self, pieces: Sequence[Piece], cards: Sequence[CardCost]) -> set[tuple[str, str]]:
        """By company, the currencies of orders and cards that have no rate."""
        of_cards = {one.estimate.card.currency for one in cards}
        companies = {piece.company.pk: piece.company for piece in pieces}
        asked = {(piece.company.pk, piece.order.currency) for piece in pieces}
        asked |= {(company, currency) for company in companies for currency in of_cards}
        return {
            (companies[company].code, currency)
            for company, currency in asked
            if self.rates.known(companies[company], currency) is None
        }

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
        if not cards or not places:
            return []
        if all(card.until is None and card.since <= self.day for card in cards):
            return [list(places)]
        found: dict[tuple[int, ...], list[int]] = {}
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
        bearers = spreading.bearers_of([_measured(piece) for piece in some])
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


def together_of(pieces: Sequence[Piece]) -> list[list[int]]:
    """The places of pieces that share their costs: those of a shipment, and of an order what is not packed."""
    found: dict[tuple[str, int | None], list[int]] = {}
    for place, piece in enumerate(pieces):
        group = ("shipment", piece.shipment.pk) if piece.shipment else ("order", piece.order.pk)
        found.setdefault(group, []).append(place)
    return list(found.values())


def _part(some: Sequence[Piece], whole: Sequence[Piece]) -> Fraction:
    """The part of some pieces in the whole, by volume; where that is not known by their number."""
    volume = sum((piece.volume for piece in whole), ZERO)
    if not volume:
        return Fraction(len(some), len(whole))
    return Fraction(sum((piece.volume for piece in some), ZERO)) / Fraction(volume)


def _measured(piece: Piece) -> spreading.Measured:
    """A piece as charges measure it; lines that are not saved yet are told apart as objects."""
    box = piece.container.pk if piece.container else None
    goods = piece.goods or ZERO
    return spreading.Measured(piece.company.pk, id(piece.line), box, goods, piece.weight, piece.volume, piece.quantity)
