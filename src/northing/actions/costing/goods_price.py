"""The goods price of units that go back, or that never came: not billed yet, they are owed no more; billed, claimed."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from northing.actions.costing import advances
from northing.actions.costing.recognitions import Part, Recognition, of_layer
from northing.claims import operations as claims
from northing.claims.models import Claim
from northing.ledger import operations as ledger
from northing.ledger.models import Account, CostLayer, DocumentKind, Entry, LayerTake, OpenItem
from northing.ledger.operations import Draft, allocate

ZERO = Decimal(0)


@dataclass
class Released:
    """The postings for the price of units that are gone (debits), and how many of them are claimed."""

    drafts: list[Draft] = field(default_factory=list)
    claimed: Decimal = ZERO

    @property
    def price(self) -> Decimal:
        """The price in base currency."""
        return sum((draft.amount for draft in self.drafts), ZERO)


def release(entry: Entry, layer: CostLayer, quantity: Decimal, case: Claim) -> Released:
    """Give up the price of `quantity` units of a layer; what was not billed yet goes first.

    Each recognition gives its cumulative share. Units without a recognition (free of charge) have no price.
    """
    found, left, made = Released(), quantity, of_layer(layer)
    for one in made:
        part = min(left, one.open_units)
        if part > 0:
            left -= part
            found.drafts.append(_owed_no_more(entry, layer, one, one.next_open(part)))
    for one in made:
        part = min(left, one.billed.units - one.claimed)
        if part > 0:
            left -= part
            found.claimed += part
            found.drafts.append(_claimed(entry, layer, one, one.next_claimed(part), case))
    return found


def _draft(layer: CostLayer, account: str, kind: str, document: int, price: Part) -> Draft:
    line = layer.shipment_line.instalment.line
    return Draft(
        layer.company_id,
        account,
        price.base,
        price.amount,
        line.order.currency,
        order_line=line.pk,
        layer=layer.pk,
        party=line.order.supplier_id,
        document_kind=kind,
        document=document,
    )


def _owed_no_more(entry: Entry, layer: CostLayer, one: Recognition, price: Part) -> Draft:
    allocate(entry, OpenItem.objects.get(pk=one.item), price.amount, price.base, price.units)
    advances.give_up(entry, {one.key: price.units})
    return _draft(layer, Account.OWNED_NOT_BILLED, one.kind, one.document, price)


def _claimed(entry: Entry, layer: CostLayer, one: Recognition, price: Part, case: Claim) -> Draft:
    row = (case.pk, case.against_id, "price", one.currency, price.amount, price.base)
    claims.add_amounts(entry, [row])
    return _draft(layer, Account.CLAIMS, DocumentKind.CASE, case.pk, price)._replace(party=case.against_id)


def take_up(entry: Entry, layer: CostLayer, quantity: Decimal, case: Claim) -> Released:
    """The opposite of `release`, for units that are there after all: the postings, each a credit.

    What was claimed comes back first, then what was owed no more, each from the last recognition on.
    """
    found, left, made = Released(), quantity, of_layer(layer)
    for one in reversed(made):
        part = min(left, one.claimed)
        if part > 0:
            left -= part
            found.claimed += part
            found.drafts.append(_claimed(entry, layer, one, one.next_claimed(-part), case))
    owed = owe(entry, layer, left)
    return Released([*found.drafts, *owed.drafts], found.claimed)


def owe(entry: Entry, layer: CostLayer, quantity: Decimal) -> Released:
    """Units whose price was owed no more, because they were not billed, are owed again: the postings, each a credit."""
    found, left = Released(), quantity
    for one in reversed(of_layer(layer)):
        part = min(left, one.used.units - one.billed.units) if one.item else ZERO
        if part > 0:
            left -= part
            price = one.next_open(-part)
            allocate(entry, OpenItem.objects.get(pk=one.item), price.amount, price.base, price.units)
            advances.take_up(entry, one.key, part)
            found.drafts.append(_draft(layer, Account.OWNED_NOT_BILLED, one.kind, one.document, price))
    return found


def take(
    layer: CostLayer, quantity: Decimal, claimed: Decimal, reason: str, entry: Entry, currency: str
) -> Sequence[LayerTake]:
    """Take units out of a locked layer; those whose price is `claimed` go last, and are told apart."""
    parts = ((quantity - claimed, False), (claimed, True))
    return [ledger.take(layer, units, reason, entry, currency, claimed=says) for units, says in parts if units]


def give_back(layer: CostLayer, takes: Iterable[LayerTake], entry: Entry) -> Decimal:
    """Undo takes of one locked layer, the last first. Returns what that brings back into stock."""
    return sum(
        (
            ledger.give_back(layer, one.quantity, one.cost, one.goods_cost, one.reason, entry, claimed=one.claimed)
            for one in reversed(list(takes))
        ),
        ZERO,
    )


def owed_again(entry: Entry, of: Entry) -> list[Draft]:
    """Undo what `release` did for an entry: the counter-postings; items, advances and claims are as before."""
    drafts = ledger.owed_again(of)
    ledger.release_allocations(entry, of)
    advances.take_up_again(entry, of)
    claims.take_back_amounts(entry, of)
    return drafts
