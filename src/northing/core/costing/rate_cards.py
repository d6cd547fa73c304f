"""Rate cards of providers: which card counts for goods on a lane, and what it comes to.

Of each kind one card counts, the narrowest that fits; of a kind that is charged per container, one for each
container type. An amount per container is for containers that may be a part of one, as goods are that are not packed
yet. Amounts are in the card's currency and rounded half up to its minor unit, once for each part that is named.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from fractions import Fraction

from northing.core.costing.customs import FREIGHT, INCLUDES, INSURANCE
from northing.core.money.exact import nearest_whole, plain, shifted
from northing.core.money.money import from_minor, minor_units
from northing.core.planning.loading import LOOSE, TYPES, chargeable_weight

ZERO = Decimal(0)
CONTAINER, REVENUE_TONNE, VOLUME, WEIGHT, CHARGEABLE = "container", "W/M", "m3", "kg", "chargeable kg"
ORDER, SHIPMENT, ENTRY, VALUE = "order", "shipment", "entry", "value"
PER = (CONTAINER, REVENUE_TONNE, VOLUME, WEIGHT, CHARGEABLE, ORDER, SHIPMENT, ENTRY, VALUE)
MEASURED = (REVENUE_TONNE, VOLUME, WEIGHT, CHARGEABLE)
# What the seller delivers to the place, beside freight and insurance.
TO_THE_PLACE = ("DAP", "DPU", "DDP")
HAULAGE = "haulage"


@dataclass(frozen=True, slots=True)
class Surcharge:
    """An addition by name: a part of the card's amount, or an amount (of a card per container, for each)."""

    name: str
    share: Decimal | None = None
    amount: Decimal | None = None


@dataclass(frozen=True, slots=True)
class Card:
    """What a provider asks for a kind of cost. `price` is per `per`; of `value` it is a fraction of 1.

    `origin` is a port (UN/LOCODE) or a country, `destination` a port, a site (its code) or a country; empty: any.
    """

    key: int
    code: str
    payee: int
    kind: str
    per: str
    price: Decimal
    currency: str
    since: date
    until: date | None = None
    origin: str = ""
    destination: str = ""
    mode: str = ""
    size_type: str = ""
    minimum: Decimal = ZERO
    surcharges: tuple[Surcharge, ...] = ()

    @property
    def same(self) -> tuple[object, ...]:
        """Cards with the same of these may not stand on the same day."""
        boxed = self.per == CONTAINER
        return (self.payee, self.kind, boxed, self.origin, self.destination, self.mode, self.size_type)

    def holds(self, size_type: str) -> bool:
        """Whether it is for containers of a type."""
        return self.size_type in ("", size_type)

    def is_valid(self, day: date) -> bool:
        """Whether it stands on a day."""
        return self.since <= day and (self.until is None or day <= self.until)


@dataclass(frozen=True, slots=True)
class Lane:
    """From where to where goods go, and by what. A place may have several names: port and country, or site as well."""

    origin: tuple[str, ...]
    destination: tuple[str, ...]
    mode: str

    def fits(self, card: Card) -> bool:
        """Whether a card is for it."""
        ends = ((card.origin, self.origin), (card.destination, self.destination), (card.mode, (self.mode,)))
        return all(not said or said in names for said, names in ends)

    def narrow(self, card: Card, payees: Sequence[int]) -> tuple[int, int, bool, bool, bool, date, int]:
        """How narrow a card is for it: the highest counts. Names of a place come narrowest first."""
        places = [
            len(names) - names.index(said) if said else 0
            for said, names in ((card.origin, self.origin), (card.destination, self.destination))
        ]
        mode, size, ours = bool(card.mode), bool(card.size_type), card.payee in payees
        return places[0], places[1], size, mode, ours, card.since, card.key


@dataclass(frozen=True, slots=True)
class Box:
    """Containers of a type, or loose packages (core.planning.loading.LOOSE), with the volume and weight in them.

    `count` may be a part of a container.
    """

    size_type: str
    count: Fraction
    volume: Decimal
    weight: Decimal


@dataclass(frozen=True, slots=True)
class Consignment:
    """What goes together. `values` is the value of the goods by currency; one whose rate is missing is left out.

    `of_shipment` is the part that these goods have in their shipment, `of_entry` that in their customs entry.
    """

    lane: Lane
    boxes: Sequence[Box]
    orders: int = 1
    of_shipment: Fraction = Fraction(1)
    of_entry: Fraction = Fraction(1)
    values: Mapping[str, Decimal] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Estimate:
    """A cost by a card: the amount and how it comes about, each part in words with its amount."""

    card: Card
    amount: Decimal
    parts: tuple[tuple[str, Decimal], ...]
    because: str


def room_of(volume: Decimal, weight: Decimal, size_type: str) -> Fraction:
    """How many containers of a type goods need by volume or by weight, not rounded up.

    >>> room_of(Decimal("14.50"), Decimal(900), "42G1")
    Fraction(1, 4)
    """
    kind = TYPES[size_type]
    return max(Fraction(volume) / Fraction(kind.volume), Fraction(weight) / Fraction(kind.payload))


def included(kind: str, incoterm: str) -> bool:
    """Whether the price includes a kind of cost by the Incoterms rule."""
    if kind == HAULAGE:
        return incoterm in TO_THE_PLACE
    return kind in (FREIGHT, INSURANCE) and kind in INCLUDES.get(incoterm, ())


def overlapping(cards: Iterable[Card]) -> list[tuple[Card, Card]]:
    """Pairs of cards for the same, by the same provider, that stand on the same day."""
    by_same: dict[tuple[object, ...], list[Card]] = {}
    for card in cards:
        by_same.setdefault(card.same, []).append(card)
    found = []
    for some in by_same.values():
        some.sort(key=lambda card: (card.since, card.key))
        for before, after in zip(some, some[1:], strict=False):
            if before.until is None or after.since <= before.until:
                found.append((before, after))
    return found


def estimates(
    cards: Iterable[Card], goods: Consignment, day: date, payees: Sequence[int] = (), without: Iterable[str] = ()
) -> list[Estimate]:
    """What the cards come to for goods, kind by kind; `without` are kinds that are known otherwise.

    Of cards that are as narrow, those of `payees` (who carries or forwards the goods) come first, then the newest.
    """
    out = set(without)
    fit = [card for card in cards if card.kind not in out and card.is_valid(day) and goods.lane.fits(card)]
    found: list[Estimate] = []
    for kind in dict.fromkeys(card.kind for card in sorted(fit, key=lambda card: card.key)):
        found += _of_kind([card for card in fit if card.kind == kind], goods, payees)
    return found


def _of_kind(cards: Sequence[Card], goods: Consignment, payees: Sequence[int]) -> list[Estimate]:
    def narrowest(some: Iterable[Card]) -> Card | None:
        return max(some, key=lambda card: goods.lane.narrow(card, payees), default=None)

    found, rest = [], []
    for box in _by_size(goods.boxes):
        card = narrowest(c for c in cards if c.per == CONTAINER and box.size_type != LOOSE and c.holds(box.size_type))
        if card:
            found.append(_estimate(card, box.count, goods, box.size_type))
        else:
            rest.append(box)
    card = narrowest(card for card in cards if card.per != CONTAINER)
    # What is asked once for all goods is not asked for the rest of them beside containers.
    if card and rest and (card.per in MEASURED or not found):
        found.append(_estimate(card, _count(card, goods, rest), goods))
    return found


def _by_size(boxes: Iterable[Box]) -> list[Box]:
    """Containers of the same type together."""
    found: dict[str, Box] = {}
    for box in boxes:
        one = found.get(box.size_type)
        if one:
            box = Box(box.size_type, one.count + box.count, one.volume + box.volume, one.weight + box.weight)
        found[box.size_type] = box
    return list(found.values())


def _count(card: Card, goods: Consignment, boxes: Iterable[Box]) -> Fraction:
    """How many of what the card is per."""
    if card.per == ORDER:
        return Fraction(goods.orders)
    if card.per == VALUE:
        return Fraction(goods.values.get(card.currency, ZERO))
    if card.per not in MEASURED:
        return goods.of_entry if card.per == ENTRY else goods.of_shipment
    volume = sum((box.volume for box in boxes), ZERO)
    weight = sum((box.weight for box in boxes), ZERO)
    if card.per == CHARGEABLE:
        return Fraction(chargeable_weight(volume, weight))
    tonnes = max(Fraction(volume), Fraction(weight) / 1000)
    return {VOLUME: Fraction(volume), WEIGHT: Fraction(weight), REVENUE_TONNE: tonnes}[card.per]


def _estimate(card: Card, count: Fraction, goods: Consignment, size: str = "") -> Estimate:
    amount = _whole(Fraction(card.price) * count, card.currency)
    parts = [(_words(card, count, size), amount)]
    # A part of a container bears its part of it only.
    least = _whole(Fraction(card.minimum) * min(count, Fraction(1)), card.currency)
    if card.per not in (CONTAINER, SHIPMENT, ENTRY):
        least = card.minimum
    if amount < least and count:
        parts.append((f"raised to the minimum {plain(least)}", least - amount))
        amount = least
    for extra in card.surcharges:
        if extra.share is not None:
            more = _whole(Fraction(amount) * Fraction(extra.share), card.currency)
            parts.append((f"{extra.name} {plain(shifted(extra.share, 2))} %", more))
        elif extra.amount is not None:
            times = count if card.per == CONTAINER else goods.of_shipment
            parts.append((extra.name, _whole(Fraction(extra.amount) * times, card.currency)))
    total = sum((part for _, part in parts), ZERO)
    return Estimate(card, total, tuple(parts), because(card))


def _whole(amount: Fraction, currency: str) -> Decimal:
    return from_minor(nearest_whole(amount.numerator * 10 ** minor_units(currency), amount.denominator), currency)


def _words(card: Card, count: Fraction, size: str) -> str:
    if card.per == VALUE:
        return f"{plain(shifted(card.price, 2))} % of the value"
    number = plain(shifted(nearest_whole(count.numerator * 1000, count.denominator), -3))
    if card.per == CONTAINER:
        return f"{number} x {plain(card.price)} per {TYPES[size].name if size in TYPES else size}"
    return f"{number} x {plain(card.price)} per {card.per}"


def because(card: Card) -> str:
    """Why it is this card, in words.

    >>> card = Card(1, "NB-40", 1, "freight", CONTAINER, Decimal(1900), "USD", date(2026, 1, 1), date(2026, 12, 31),
    ...             "CNNGB", "NZTRG", "sea", "42G1")
    >>> because(card)
    'card NB-40: 40 foot dry, CNNGB to NZTRG, by sea, valid until 31 Dec 2026'
    """
    size = TYPES[card.size_type].name if card.size_type in TYPES else card.size_type
    lane = f"{card.origin or 'anywhere'} to {card.destination or 'anywhere'}" if card.origin or card.destination else ""
    mode = f"by {card.mode}" if card.mode else ""
    until = f"valid until {card.until:%-d %b %Y}" if card.until else f"valid from {card.since:%-d %b %Y}"
    return f"card {card.code}: " + ", ".join(part for part in (size, lane, mode, until) if part)


def read_surcharges(said: str) -> tuple[Surcharge, ...]:
    """Surcharges as people write them: `fuel 12%; peak season 150.00`. Raises ValueError.

    >>> read_surcharges("fuel 12%; peak season 150")[1]
    Surcharge(name='peak season', share=None, amount=Decimal('150'))
    """
    found = []
    for part in filter(None, (one.strip() for one in said.split(";"))):
        name, _, figure = part.rstrip("%").strip().rpartition(" ")
        try:
            value = Decimal(figure)
        except ArithmeticError:
            value = Decimal("NaN")
        if not name.strip() or not value.is_finite() or abs(value) > 10**9:
            raise ValueError("is not surcharges such as: fuel 12%; peak season 150.00")
        name = " ".join(name.split())
        found.append(Surcharge(name, share=shifted(value, -2)) if part.endswith("%") else Surcharge(name, amount=value))
    if len({one.name for one in found}) < len(found):
        raise ValueError("names a surcharge twice")
    return tuple(found)
