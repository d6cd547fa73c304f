"""The goods price of units that go back, or that never came: not billed yet, they are owed no more; billed, claimed."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import NamedTuple

from northing.actions.costing import advances
from northing.actions.costing.recognitions import Part, Recognition, of_layer, of_layers
from northing.claims import operations as claims
from northing.claims.models import Claim
from northing.ledger import operations as ledger
from northing.ledger.models import Account, CostLayer, DocumentKind, Entry, LayerTake, OpenItem
from northing.ledger.operations import Draft, allocate, allocate_rows

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


class Leaving(NamedTuple):
    """Units of a case that leave a locked layer; the entry says so."""

    entry: Entry
    case: Claim
    layer: CostLayer
    quantity: Decimal


def release(entry: Entry, layer: CostLayer, quantity: Decimal, case: Claim) -> Released:
    """Give up the price of `quantity` units of a layer; what was not billed yet goes first.

    Each recognition gives its cumulative share. Units without a recognition (free of charge) have no price.
    """
    return release_rows([Leaving(entry, case, layer, quantity)])[0]


def release_rows(rows: Sequence[Leaving]) -> list[Released]:
    """`release` for many, no two of which are of the same goods of a shipment, in a few statements."""
    made = of_layers([row.layer for row in rows])
    owed: list[tuple[Leaving, Recognition, Part]] = []
    claimed: list[tuple[Leaving, Recognition, Part]] = []
    found = []
    for row in rows:
        mine, left = Released(), row.quantity
        for one in made[row.layer.pk]:
            part = min(left, one.open_units)
            if part > 0:
                left -= part
                price = one.next_open(part)
                owed.append((row, one, price))
                mine.drafts.append(_draft(row.layer, Account.OWNED_NOT_BILLED, one.kind, one.document, price))
        for one in made[row.layer.pk]:
            part = min(left, one.billed.units - one.claimed)
            if part > 0:
                left -= part
                mine.claimed += part
                price = one.next_claimed(part)
                claimed.append((row, one, price))
                mine.drafts.append(_claim_draft(row.layer, price, row.case))
        found.append(mine)
    _owed_no_more(owed)
    claims.add_amount_rows((row.entry, _claim_row(one, price, row.case)) for row, one, price in claimed)
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


def _owed_no_more(rows: Sequence[tuple[Leaving, Recognition, Part]]) -> None:
    allocate_rows((row.entry, one.item, price.units, price.amount, price.base) for row, one, price in rows if one.item)
    entries = {one.key: row.entry for row, one, _ in rows}
    advances.give_up(entries, {one.key: price.units for _, one, price in rows})


def _claim_row(one: Recognition, price: Part, case: Claim) -> claims.AmountRow:
    return case.pk, case.against_id, "price", one.currency, price.amount, price.base


def _claim_draft(layer: CostLayer, price: Part, case: Claim) -> Draft:
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
            price = one.next_claimed(-part)
            claims.add_amounts(entry, [_claim_row(one, price, case)])
            found.drafts.append(_claim_draft(layer, price, case))
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


def take(rows: Sequence[Leaving], claimed: Sequence[Decimal], reason: str) -> list[Decimal]:
    """Take units out of their layers; those whose price is `claimed` go last, and are told apart.

    Returns what each row costs, in base currency.
    """
    counts = [_apart(row.quantity, units) for row, units in zip(rows, claimed, strict=True)]
    takings = [
        ledger.Taking(row.entry, row.layer, units, says)
        for row, parts in zip(rows, counts, strict=True)
        for units, says in parts
    ]
    made = iter(ledger.take_rows(takings, reason))
    return [sum((next(made).cost for _ in parts), ZERO) for parts in counts]


def _apart(quantity: Decimal, claimed: Decimal) -> list[tuple[Decimal, bool]]:
    """So many units of which the price is not claimed, and so many of which it is."""
    return [(units, says) for units, says in ((quantity - claimed, False), (claimed, True)) if units]


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
