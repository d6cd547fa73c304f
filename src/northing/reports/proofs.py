"""Proofs: positions rebuilt from movements, books explained from facts."""

from collections import defaultdict
from decimal import Decimal

from django.db.models import F, Sum
from django.db.models.functions import Coalesce

from northing.core.positions.places import COLUMNS, broken, replayed
from northing.costing.models import ChargePart
from northing.ledger.models import Account, CostLayer, LayerCost, Posting
from northing.positions.models import Movement, Position
from northing.receiving.models import ReceiptLine
from northing.shipping.models import Stowage

ZERO = Decimal(0)


def position_faults() -> list[str]:
    """Positions that differ from what their movements add up to, or whose identity is broken."""
    movements: dict[int, list[tuple[str, str, Decimal]]] = defaultdict(list)
    for key, *movement in Movement.objects.values_list("instalment", "source", "target", "quantity").iterator():
        movements[key].append(tuple(movement))
    faults = []
    for position in Position.objects.iterator():
        rebuilt = replayed(movements.pop(position.pk, []))
        stored = {name: getattr(position, name) for name in COLUMNS}
        faults += [f"instalment {position.pk}: {what}" for what in broken(stored)]
        faults += [
            f"instalment {position.pk}: {name} is {stored[name]}, movements say {rebuilt[name]}"
            for name in COLUMNS
            if stored[name] != rebuilt[name]
        ]
    faults += [f"instalment {key} has movements and no position" for key in movements]
    differing = Position.objects.exclude(ordered=F("instalment__quantity"))
    return faults + [f"instalment {position.pk}: ordered is not its quantity" for position in differing]


def book_faults() -> list[str]:
    """Accounts that the facts do not explain, entry by entry and line by line."""
    return [
        *_unbalanced(),
        *_differences("stock", _balances(Account.STOCK, "layer"), _layer_values()),
        *_differences("owned afloat", _balances(Account.OWNED_AFLOAT, "order_line"), _afloat()),
        *_differences("owned not billed", _balances(Account.OWNED_NOT_BILLED, "order_line"), _not_billed()),
        *_differences("accruals", _accruals(), _billed_less_absorbed()),
        *_components(),
        *_overdrawn(),
    ]


def _unbalanced() -> list[str]:
    sums = Posting.objects.values("entry", "company").annotate(off=Sum("amount")).exclude(off=0)
    return [f"entry {row['entry']} is off by {row['off']}" for row in sums]


def _balances(account: str, key: str) -> dict:
    rows = Posting.objects.filter(account=account).values_list("company", key)
    return {(company, record): total for company, record, total in rows.annotate(total=Sum("amount")) if total}


def _differences(name: str, booked: dict, explained: dict) -> list[str]:
    return [
        f"{name}: company and record {key}: booked {booked.get(key, ZERO)}, explained {explained.get(key, ZERO)}"
        for key in sorted({*booked, *explained}, key=str)
        if booked.get(key, ZERO) != explained.get(key, ZERO)
    ]


def _layer_values() -> dict:
    layers = CostLayer.objects.exclude(total_cost=F("taken_cost"))
    return {(layer.company_id, layer.pk): layer.value for layer in layers}


def _afloat() -> dict:
    """Goods value of stowage that is ours, less what its layers absorbed of it."""
    found: dict = defaultdict(Decimal)
    ours = Stowage.objects.filter(goods_base__isnull=False).values_list(
        "instalment__line__order__company", "instalment__line", "goods_base"
    )
    for company, line, value in ours:
        found[company, line] += value
    absorbed = LayerCost.objects.filter(charge=None, layer__stowage__isnull=False).values_list(
        "layer__company", "layer__stowage__instalment__line"
    )
    for company, line, value in absorbed.annotate(total=Sum("amount")):
        found[company, line] -= value
    for company, line, value in _by_receipt():
        found[company, line] += value
    return {key: value for key, value in found.items() if value}


def _by_receipt():
    standing = ReceiptLine.objects.filter(receipt__reversed_at=None).exclude(recognised_base=0)
    return standing.values_list("receipt__company", "instalment__line", "recognised_base")


def _not_billed() -> dict:
    found: dict = defaultdict(Decimal)
    ours = Stowage.objects.filter(goods_base__isnull=False, opening_billed=False)
    for company, line, value in ours.values_list("instalment__line__order__company", "instalment__line", "goods_base"):
        found[company, line] -= value
    for company, line, value in _by_receipt():
        found[company, line] -= value
    return {key: value for key, value in found.items() if value}


def _accruals() -> dict:
    rows = Posting.objects.filter(account__in=[Account.ACCRUED_CHARGES, Account.ACCRUED_DUTY])
    rows = rows.values_list("company", "charge").annotate(total=Sum("amount"))
    return {(company, charge): total for company, charge, total in rows if total}


def _billed_less_absorbed() -> dict:
    found: dict = defaultdict(Decimal)
    billed = ChargePart.objects.filter(charge__billed__isnull=False).values_list("company", "charge", "base_amount")
    for company, charge, amount in billed:
        found[company, charge] += amount
    absorbed = LayerCost.objects.filter(charge__isnull=False).values_list("layer__company", "charge")
    for company, charge, amount in absorbed.annotate(total=Sum("amount")):
        found[company, charge] -= amount
    return {key: value for key, value in found.items() if value}


def _components() -> list[str]:
    """Layers whose components do not add up to their cost, and layers with a negative remainder."""
    off = CostLayer.objects.annotate(components=Coalesce(Sum("costs__amount"), ZERO)).exclude(
        total_cost=F("components")
    )
    return [f"layer {layer.pk}: cost {layer.total_cost}, components {layer.components}" for layer in off]


def _overdrawn() -> list[str]:
    """Lines of which more was taken out of owned afloat than ever became ours."""
    afloat = _balances(Account.OWNED_AFLOAT, "order_line")
    return [f"owned afloat of line {line} is {amount}" for (_, line), amount in afloat.items() if amount < 0]
