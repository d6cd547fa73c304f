"""Whose move it is: one party for every open matter, with the reason in words."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

US, SUPPLIER, CARRIER, CUSTOMS, DOCK, QUALITY, ACCOUNTS = (
    "us",
    "supplier",
    "carrier",
    "customs",
    "dock",
    "quality",
    "accounts",
)
PARTIES = {
    US: "our move",
    SUPPLIER: "supplier's move",
    CARRIER: "carrier's move",
    CUSTOMS: "customs' move",
    DOCK: "dock's move",
    QUALITY: "quality's move",
    ACCOUNTS: "accounts' move",
}
ZERO = Decimal(0)


@dataclass(frozen=True, slots=True)
class Move:
    """Holds who must act, why, since when and until when."""

    party: str
    reason: str
    since: date
    due: date | None = None


@dataclass(frozen=True, slots=True)
class OrderFacts:
    """The stage of an order that is not supply yet, and the days its facts happened."""

    created_on: date
    checked_on: date | None
    approved_on: date | None
    sent_on: date | None
    need_by: date


def order_move(facts: OrderFacts) -> Move | None:
    """An order not yet sent is always ours.

    >>> order_move(OrderFacts(date(2026, 1, 1), None, None, None, date(2026, 5, 1))).reason
    'draft to be checked'
    """
    if facts.sent_on:
        return None
    if facts.approved_on:
        return Move(US, "approved, to be sent", facts.approved_on, facts.need_by)
    if facts.checked_on:
        return Move(US, "to be approved by a second person", facts.checked_on, facts.need_by)
    return Move(US, "draft to be checked", facts.created_on, facts.need_by)


@dataclass(frozen=True, slots=True)
class InstalmentFacts:
    """The facts that decide whose move an instalment is while units of it are with the supplier."""

    with_supplier: Decimal
    agreed: Decimal
    quantity: Decimal
    sent_on: date
    asked_on: date
    agreed_on: date | None
    promise: date | None
    answered_on: date | None
    differs: str = ""
    refused_on: date | None = None
    countered: bool = False


def instalment_move(facts: InstalmentFacts) -> Move | None:
    """Ours while an answer waits for us, the supplier's until the goods are packed.

    >>> day = date(2026, 1, 1)
    >>> instalment_move(InstalmentFacts(Decimal(5), ZERO, Decimal(5), day, day, None, None, None)).reason
    'has not answered'
    """
    if facts.answered_on:
        return Move(US, f"answer differs in {facts.differs}: accept or refuse", facts.answered_on, facts.asked_on)
    if facts.with_supplier <= 0:
        return None
    if facts.countered:
        return Move(SUPPLIER, "to answer our proposal", facts.refused_on or facts.sent_on, facts.asked_on)
    if facts.agreed < facts.quantity and facts.refused_on:
        return Move(SUPPLIER, "to answer again: we refused", facts.refused_on, facts.asked_on)
    if facts.agreed < facts.quantity:
        return Move(SUPPLIER, "has not answered", facts.sent_on, facts.asked_on)
    return Move(SUPPLIER, "to have the goods ready", facts.agreed_on or facts.sent_on, facts.promise)


@dataclass(frozen=True, slots=True)
class ClockFacts:
    """A running free-time clock: is it out of the port, from when, until when it is free, what a paid day costs."""

    out: bool
    started: date
    free_until: date
    price: str


def clock_move(facts: ClockFacts) -> Move:
    """A container that stands is ours to fetch, or to give back, before it costs.

    >>> clock_move(ClockFacts(True, date(2026, 1, 1), date(2026, 1, 7), "USD 80")).reason
    'give the empty back: free until 7 Jan, then USD 80 a day'
    """
    to_do = "give the empty back" if facts.out else "fetch the container"
    reason = f"{to_do}: free until {facts.free_until:%-d %b}, then {facts.price} a day"
    return Move(US, reason, facts.started, facts.free_until)


TO_PAY, TO_RELEASE = "declared: pay the customs office", "to release the goods"


@dataclass(frozen=True, slots=True)
class ShipmentFacts:
    """The facts that decide whose move a shipment is."""

    created_on: date
    packed_something: bool
    open_quantity: Decimal
    departure: date | None
    arrival: date | None
    dock: date | None
    departed_on: date | None
    arrived_on: date | None
    entry_on: date | None
    # Where goods are received only when customs released them: whether they are, and whether the office is to be paid.
    released: bool = True
    office_owed: bool = False


def shipment_move(facts: ShipmentFacts) -> Move | None:
    """Ours until it has a voyage and goods, then the carrier's, customs', the dock's."""
    if not facts.packed_something:
        return Move(US, "nothing is packed yet", facts.created_on)
    if facts.open_quantity <= 0:
        return None
    if facts.departure is None and not facts.arrived_on:
        return Move(US, "has no legs: plan its passage", facts.created_on)
    if not facts.departed_on:
        return Move(CARRIER, "to depart", facts.created_on, facts.departure)
    if not facts.arrived_on:
        return Move(CARRIER, "to arrive", facts.departed_on, facts.arrival)
    if not facts.entry_on:
        return Move(CUSTOMS, "landed without a customs entry", facts.arrived_on, facts.dock)
    if not facts.released and facts.office_owed:
        return Move(US, TO_PAY, facts.entry_on, facts.dock)
    if not facts.released:
        return Move(CUSTOMS, TO_RELEASE, facts.entry_on, facts.dock)
    return Move(DOCK, "to be received", max(facts.arrived_on, facts.entry_on), facts.dock)


@dataclass(frozen=True, slots=True)
class CaseFacts:
    """A case: its units without a way, those authorised to go back and under which references, those that are to be
    ordered anew, and what is claimed.

    `claimed` says amount and currency of each party that owes something, in words; `owes` whose move that is.
    """

    words: str
    against: str
    undecided: Decimal
    authorised: Decimal
    to_order: Decimal
    references: str
    unit: str
    claimed: str
    owes: str
    opened_on: date
    due: date | None
    asked_on: date | None = None
    answer_by: date | None = None
    # Units ordered in the place of failed ones that have not come, on which orders, by when.
    coming: Decimal = ZERO
    coming_on: str = ""
    coming_by: date | None = None
    # Units that belong to no order: what is to be decided about them.
    of_no_order: str = ""


def case_move(facts: CaseFacts) -> Move | None:
    """Units come before money: ours to find a way for them, the other side's once it is asked; then its to pay.

    >>> day = date(2026, 1, 1)
    >>> facts = CaseFacts("rejected: dents", "Q", ZERO, Decimal(5), ZERO, "RA-7", "pc", "USD 9.00", SUPPLIER, day, None)
    >>> case_move(facts).reason
    'rejected: dents; send back 5 pc under RA-7'
    """
    if facts.undecided and facts.asked_on:
        reason = f"{facts.words}; {facts.against} is asked about {facts.undecided.normalize():f} {facts.unit}"
        return Move(facts.owes, reason, facts.asked_on, facts.answer_by)
    if facts.undecided and facts.of_no_order:
        return Move(US, facts.of_no_order, facts.opened_on, facts.due)
    if facts.undecided:
        return Move(US, f"{facts.words}; settle with {facts.against}", facts.opened_on, facts.due)
    if facts.authorised:
        reason = f"{facts.words}; send back {facts.authorised.normalize():f} {facts.unit} under {facts.references}"
        return Move(US, reason, facts.opened_on, facts.due)
    if facts.to_order:
        reason = f"{facts.words}; order {facts.to_order.normalize():f} {facts.unit} in their place"
        return Move(US, reason, facts.opened_on, facts.due)
    if facts.coming:
        reason = f"{facts.words}; {facts.coming.normalize():f} {facts.unit} come in their place on {facts.coming_on}"
        return Move(facts.owes, reason, facts.opened_on, facts.coming_by)
    if facts.claimed:
        return Move(
            facts.owes, f"{facts.words}; {facts.claimed} is claimed of {facts.against}", facts.opened_on, facts.due
        )
    return None
