"""Reverse a receipt by counter-entries: units go back where they came from, costs where they were drawn from."""

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import F, Sum

from northing.access.acts import Act
from northing.actions.costing.charges import accrual_account
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, once
from northing.claims.models import Claim
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory.models import OnHand
from northing.ledger import operations as ledger
from northing.ledger.models import Account, CostLayer, Entry, LayerCost, LayerTake
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.positions import operations as positions
from northing.positions.models import Movement
from northing.quality.models import Inspection
from northing.receiving import operations as receiving
from northing.receiving.models import Receipt
from northing.shipping import operations as shipping
from northing.shipping.models import Shipment, Stowage

ZERO = Decimal(0)


@dataclass(frozen=True)
class ReverseRequest:
    """A receipt to be undone."""

    receipt: int
    reason: str


@once
def reverse_receipt(act: Act, request: ReverseRequest) -> int:
    """Undo a receipt; it stays told. Refused once its goods were inspected or have left stock."""
    receipt = (
        Receipt.objects.select_for_update(of=("self",)).select_related("company", "container").get(pk=request.receipt)
    )
    act.require_at("reverse_receipt", receipt.company_id, receipt.site_id)
    shipment = shipping.lock([receipt.container.shipment_id])[receipt.container.shipment_id]
    if not request.reason.strip():
        raise Refused(Problem("Say why the receipt is reversed.", "reason", "One sentence is enough."))
    receipt.refresh_from_db(fields=["reversed_at"])
    layers = _locked_layers(receipt)
    refuse_if(_reversal_problems(receipt, layers))
    text = f"Reversed the receipt of delivery note {receipt.delivery_note}: {request.reason.strip()}"
    text += posting_note([receipt.company_id], act.today)
    history = add_history(act, "reverse_receipt", text, _links(receipt, layers), act.today)
    entry = open_entry(act, history, text, [receipt.company_id], act.today, reverses=receipt.entry)
    drafts = _undo_layers(entry, layers)
    _undo_movements(history, receipt, shipment.place)
    drafts += _undo_early_ownership(layers, shipment)
    post(entry, drafts)
    receiving.mark_reversed(receipt, act.at)
    bring_along(
        instalments=[layer.stowage.instalment_id for layer in layers],
        shipments=[receipt.container.shipment_id],
        layers=[layer.pk for layer in layers],
        cases=_close_cases(layers),
    )
    return receipt.pk


def _locked_layers(receipt: Receipt) -> list[CostLayer]:
    found = CostLayer.objects.select_for_update(of=("self",)).filter(receipt_line__receipt=receipt)
    found = found.select_related(
        "stowage__instalment__line__order", "stowage__container__shipment", "item", "receipt_line"
    )
    return list(found.order_by("pk"))


def _links(receipt: Receipt, layers: Sequence[CostLayer]) -> list[tuple[str, int, int | None]]:
    lines = {("line", layer.stowage.instalment.line_id, receipt.company_id) for layer in layers}
    return [
        ("shipment", receipt.container.shipment_id, receipt.company_id),
        ("container", receipt.container_id, receipt.company_id),
        *sorted(lines),
    ]


def _close_cases(layers: Sequence[CostLayer]) -> list[int]:
    """Cases of goods that were missing end with the receipt that missed them."""
    cases = Claim.objects.filter(layer__in=layers)
    keys = list(cases.values_list("pk", flat=True))
    cases.update(ended=F("quantity"))
    return keys


def _reversal_problems(receipt: Receipt, layers: Sequence[CostLayer]) -> list[Problem]:
    if receipt.reversed_at:
        return [Problem("This receipt is reversed already.")]
    found = []
    if Inspection.objects.filter(layer__in=layers).exists():
        found.append(
            Problem(
                "Goods of this receipt are inspected.", mend="An inspected receipt stands; return or issue the goods."
            )
        )
    for layer in layers:
        if layer.kind == "stock" and layer.gone:
            found.append(
                Problem(
                    f"{plain(layer.gone)} {layer.item.unit} of {layer.item.code} have left stock since.",
                    mend="What is gone cannot go back; return or issue the rest instead.",
                )
            )
    return found


def _undo_layers(entry: Entry, layers: Sequence[CostLayer]) -> list[Draft]:
    """Costs go back to the accounts they were drawn from, by component, as they stand now."""
    sums = LayerCost.objects.filter(layer__in=layers).values_list("layer", "charge", "charge__kind")
    parts: dict[int, list[tuple[int | None, str, Decimal]]] = defaultdict(list)
    for layer, charge, kind, total in sums.annotate(total=Sum("amount")).order_by("charge"):
        parts[layer].append((charge, kind, total))
    takes = {take.layer_id: take for take in LayerTake.objects.filter(layer__in=layers)}
    drafts = []
    for layer in layers:
        common = {"company": layer.company_id, "layer": layer.pk, "order_line": layer.stowage.instalment.line_id}
        drafts += _drawn_back(layer, parts[layer.pk], common) + _given_back(layer, takes.get(layer.pk), common)
    ledger.add_costs(entry, [(key, charge, -total) for key, found in parts.items() for charge, _, total in found])
    OnHand.objects.filter(layer__in=layers).update(quantity=ZERO)
    CostLayer.objects.filter(pk__in=[layer.pk for layer in layers]).update(
        received=ZERO, gone=ZERO, total_cost=ZERO, taken_cost=ZERO, goods_cost=ZERO, goods_taken=ZERO
    )
    return drafts


def _drawn_back(layer: CostLayer, parts: Iterable[tuple[int | None, str, Decimal]], common: dict) -> list[Draft]:
    """To afloat and to the accruals; what was ours only by the receipt is owned not billed no more."""
    own = layer.receipt_line.recognised_base if layer.kind == "stock" else ZERO
    drafts = [
        Draft(account=Account.OWNED_NOT_BILLED, amount=own, **common),
        Draft(account=Account.OWNED_AFLOAT, amount=-own, **common),
    ]
    for charge, kind, amount in parts:
        account = accrual_account(kind) if charge else Account.OWNED_AFLOAT
        drafts.append(Draft(account=account, amount=amount, charge=charge, **common))
    return drafts


def _given_back(layer: CostLayer, taken: LayerTake | None, common: dict) -> list[Draft]:
    """The other side: out of stock, or out of the claim and the losses of missing goods."""
    if layer.kind == "stock" or taken is None:
        return [Draft(account=Account.STOCK, amount=-layer.total_cost, **common)]
    return [
        Draft(account=Account.CLAIMS, amount=-taken.goods_cost, **common),
        Draft(account=Account.MISSING_LOSS, amount=-(taken.cost - taken.goods_cost), **common),
        Draft(account=Account.LATE_MISSING, amount=-(layer.taken_cost - taken.cost), **common),
    ]


def _undo_movements(history: HistoryEntry, receipt: Receipt, place: str) -> None:
    """Units go back to where the shipment is now: one that sailed meanwhile took its goods along."""
    back, settled = [], defaultdict(Decimal)
    for movement in Movement.objects.filter(history=receipt.history).order_by("pk"):
        of_stowage = movement.source not in ("with_supplier", "excess")
        home = place if of_stowage else movement.source
        back.append(
            positions.MoveDraft(movement.instalment_id, movement.target, home, movement.quantity, movement.stowage_id)
        )
        settled[movement.stowage_id] += movement.quantity if of_stowage else ZERO
    positions.move(history, back)
    parts = Stowage.objects.in_bulk(settled)
    for key, quantity in settled.items():
        parts[key].settled -= quantity
    shipping.settle_stowage(parts.values())


def _undo_early_ownership(layers: Sequence[CostLayer], shipment: Shipment) -> list[Draft]:
    """Goods that were ours only by this receipt, their container not having sailed, are not ours any more."""
    parts = Stowage.objects.filter(pk__in={layer.stowage_id for layer in layers}, ours_on__isnull=False, settled=0)
    early = []
    for part in parts.select_related("instalment__line__order"):
        moment = part.instalment.line.order.ours_from
        passed = shipment.arrived_on if moment == "arrival" else shipment.departed_on
        if not passed and moment != "pickup":
            early.append(part)
    drafts = []
    for part in early:
        line = part.instalment.line
        common = {"company": line.order.company_id, "order_line": line.pk}
        drafts.append(Draft(account=Account.OWNED_NOT_BILLED, amount=part.goods_base, **common))
        drafts.append(Draft(account=Account.OWNED_AFLOAT, amount=-part.goods_base, **common))
    shipping.own_stowage((part.pk, None, None, None, None) for part in early)
    return drafts
