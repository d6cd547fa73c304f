"""Goods that come free in the place of failed ones are worth what was claimed for those: the claim goes into them."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from django.db.models import Sum

from northing.access.acts import Act
from northing.actions.costing.absorb import REPLACED, Absorption, write
from northing.actions.costing.rework import alone
from northing.claims import operations as claims
from northing.claims.models import Authorisation, Claim, ClaimAmount, Replacement, ReturnNote
from northing.claims.queries import open_claims
from northing.core.money.money import from_minor, to_minor
from northing.core.money.spread import amount_so_far, spread, whole_weights
from northing.ledger.models import Account, CostLayer, DocumentKind, Entry, Posting
from northing.ledger.operations import Draft, open_entry, post

ZERO = Decimal(0)
Layers = list[tuple[CostLayer, Decimal]]


@dataclass
class _Allotment:
    """An authorisation, and the layers of free goods that came for it, the oldest first."""

    said: Authorisation
    came: Layers = field(default_factory=list)

    @property
    def units(self) -> Decimal:
        """How many came."""
        return sum((units for _, units in self.came), ZERO)


def settle_by_goods(entry: Entry, lines: Iterable[int], new: Iterable[int]) -> list[Draft]:
    """Free goods of order lines (ids) came, in `new` layers (ids): the postings that move their claims into them."""
    found, fresh = _allotments(lines), set(new)
    drafts = []
    for one in found:
        before = sum((units for layer, units in one.came if layer.pk not in fresh), ZERO)
        drafts += _settle(entry, one, one.units - before, before)
    return drafts


def settle_after_return(act: Act, notes: Sequence[ReturnNote]) -> None:
    """Units went back after free goods had come in their place: what is claimed for them goes into those.

    It has an entry of its own: the receipt of those goods may be reversed without the return.
    """
    said = {note.authorisation_id: note for note in notes if note.authorisation_id}
    lines = Replacement.objects.filter(authorisation__in=said).values_list("order_line", flat=True)
    for one in _allotments(lines):
        note = said.get(one.said.pk)
        if note is None or not one.came:
            continue
        before = _returned(one.said).units - note.quantity
        entry = open_entry(act, note.entry.history, f"{note.entry.text}: free goods came for them", note.occurred_on)
        post(entry, _settle(entry, one, one.units - before, before))


def unsettle(entry: Entry, layers: Sequence[int]) -> None:
    """The receipt of layers (ids) is reversed: what went into them of claims is claimed again, by counter-rows."""
    rows = Posting.objects.filter(account=Account.CLAIMS, layer__in=layers, document_kind=DocumentKind.CASE)
    rows = rows.exclude(document__in=Claim.objects.filter(layer__in=layers).values("pk")).exclude(entry=entry)
    sums = rows.values_list("document", "party", "foreign_currency").order_by("document")
    claims.add_amounts(
        entry,
        [
            (case, party, ClaimAmount.Why.REPLACED, currency, -amount, -base)
            for case, party, currency, amount, base in sums.annotate(a=Sum("foreign_amount"), b=Sum("amount"))
        ],
    )


def _allotments(lines: Iterable[int]) -> list[_Allotment]:
    """Free order lines (ids) that replace goods: the units that came of each, to their allotments in turn."""
    rows = Replacement.objects.filter(order_line__in=list(lines), order_line__order__cancelled_at=None)
    rows = rows.exclude(order_line__instalments__pack_price__gt=0).order_by("order_line", "pk")
    rows = list(rows.select_related("authorisation__case__company").distinct())
    if not rows:
        return []
    layers = CostLayer.objects.select_for_update(of=("self",)).select_related("company", "shipment_line__instalment")
    layers = layers.filter(shipment_line__instalment__line__in={row.order_line_id for row in rows}, kind="stock")
    left: dict[int, list[list]] = defaultdict(list)
    for layer in layers.filter(received__gt=0).order_by("pk"):
        left[layer.shipment_line.instalment.line_id].append([layer, layer.received])
    return [_Allotment(row.authorisation, _taken(left[row.order_line_id], row.quantity)) for row in rows]


def _taken(left: list[list], quantity: Decimal) -> Layers:
    """The next units of layers; `left` knows what is left of each."""
    found = []
    for one in left:
        part = min(one[1], quantity)
        if part:
            found.append((one[0], part))
            one[1] -= part
            quantity -= part
    return found


@dataclass(frozen=True)
class _Returned:
    """What went back under an authorisation, and the price that was claimed for it."""

    units: Decimal
    amount: Decimal
    base: Decimal
    currency: str


def _returned(said: Authorisation) -> _Returned:
    notes = ReturnNote.objects.filter(authorisation=said, reversed_by=None)
    units = notes.aggregate(u=Sum("quantity"))["u"] or ZERO
    rows = ClaimAmount.objects.filter(entry__in=notes.values("entry"), case=said.case_id, why=ClaimAmount.Why.PRICE)
    sums = rows.values_list("currency").order_by().annotate(a=Sum("amount"), b=Sum("base"))
    currency, amount, base = next(iter(sums), ("", ZERO, ZERO))
    return _Returned(units, amount, base, currency)


def _settle(entry: Entry, one: _Allotment, more: Decimal, before: Decimal) -> list[Draft]:
    """The next units that both went back and were replaced, beyond `before`: their part of the claim."""
    case, went = one.said.case, _returned(one.said)
    through = min(before + more, one.units, went.units)
    since = min(before, through)
    if through <= since or not went.amount:
        return []
    open_now = open_claims([case.pk]).get((case.pk, case.supplier_id, went.currency), (ZERO, ZERO))
    amount, base = _part(went, since, through, open_now, case.company.currency)
    if amount <= 0:
        return []
    claims.add_amounts(entry, [(case.pk, case.supplier_id, ClaimAmount.Why.REPLACED, went.currency, -amount, -base)])
    into = _between(one.came, since, through)
    drafts = write(entry, _onto(into, base))
    return [*drafts, _claim(case, into, amount, base, went.currency)]


def _part(
    went: _Returned, since: Decimal, through: Decimal, open_now: tuple[Decimal, Decimal], base_currency: str
) -> tuple[Decimal, Decimal]:
    """The claim of the units between, by units, as far as it is open; the last of it takes all that is left in base."""
    amount, base = (
        amount_so_far(whole, currency, through, went.units) - amount_so_far(whole, currency, since, went.units)
        for whole, currency in ((went.amount, went.currency), (went.base, base_currency))
    )
    return open_now if amount >= open_now[0] else (amount, base)


def _between(came: Layers, since: Decimal, through: Decimal) -> Layers:
    found, start = [], ZERO
    for layer, units in came:
        part = min(start + units, through) - max(start, since)
        if part > 0:
            found.append((layer, part))
        start += units
    return found


def _onto(into: Layers, base: Decimal) -> Absorption:
    currency = into[0][0].company.currency
    parts = spread(to_minor(base, currency), whole_weights([units for _, units in into]))
    rows = [(layer, from_minor(part, currency)) for (layer, _), part in zip(into, parts, strict=True)]
    return Absorption([alone(layer, part, REPLACED) for layer, part in rows if part])


def _claim(case: Claim, into: Layers, amount: Decimal, base: Decimal, currency: str) -> Draft:
    layer = into[-1][0]
    return Draft(
        case.company_id,
        Account.CLAIMS,
        -base,
        -amount,
        currency,
        order_line=layer.shipment_line.instalment.line_id,
        layer=layer.pk,
        party=case.supplier_id,
        document_kind=DocumentKind.CASE,
        document=case.pk,
    )
