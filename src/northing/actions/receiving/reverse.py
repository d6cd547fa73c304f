"""Reverse a receipt by counter-entries: units go back where they came from, costs where they were drawn from."""

from collections import defaultdict
from collections.abc import Sequence
from decimal import Decimal

from django.db.models import Q, Sum

from northing.access.acts import Act
from northing.actions.claims.damage import not_damaged
from northing.actions.claims.replaced import unsettle
from northing.actions.costing import absorb, accruals, advances, ahead, ownership
from northing.actions.costing.absorb import Totals
from northing.actions.costing.charges import respread_estimates
from northing.actions.receiving import not_there
from northing.actions.receiving.proof_of_arrival import unprove
from northing.actions.receiving.tie import untie
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, once
from northing.billing.models import Bill, BilledGoods
from northing.claims import operations as claims
from northing.core.money.exact import plain
from northing.core.problems import Problem, refuse_if
from northing.inventory import operations as inventory
from northing.ledger import operations as ledger
from northing.ledger.models import Account, CostLayer, DocumentKind, Entry, LayerCost, OpenItem, Posting
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.orders import operations as orders
from northing.positions import operations as positions
from northing.positions.models import Movement
from northing.receiving import operations as receiving
from northing.receiving.models import Receipt, ShortQuestion
from northing.reports.standing import on_layers
from northing.shipping import operations as shipping
from northing.shipping.models import Shipment, ShipmentLine

ZERO = Decimal(0)


@once
def reverse_receipt(act: Act, request: ReverseRequest) -> int:
    """Undo a receipt by counter-entries. Refused once its goods were inspected or have left stock."""
    receipt = (
        Receipt.objects.select_for_update(of=("self",)).select_related("company", "container").get(pk=request.record)
    )
    act.require_at("reverse_receipt", receipt.company_id, receipt.site_id)
    shipments = [receipt.container.shipment_id] if receipt.container else []
    locked = shipping.lock(shipments)
    orders.lock(receipt.lines.exclude(instalment=None).values_list("instalment__line__order", flat=True))
    receipt.refresh_from_db(fields=["reversed_by"])
    refuse_reversal("receipt", receipt.reversed_by_id, request.reason)
    layers = _locked_layers(receipt)
    not_damaged(act, [layer.pk for layer in layers], request.reason)
    sent_back = receipt.lines.exclude(back=0).select_related("instalment__position", "instalment__line__item")
    refuse_if([*_reversal_problems(layers), *not_there.standing(sent_back), *_billed(receipt)])
    text = f"Reversed the receipt of delivery note {receipt.delivery_note}: {request.reason.strip()}"
    text += posting_note([receipt.company_id], act.today)
    history = add_history(act, "reverse_receipt", text, _links(receipt, layers), act.today)
    entry = open_entry(act, history, text, act.today, reverses=receipt.entry)
    inventory.clear_layers(history, layers)
    _undo_books(entry, receipt, layers)
    untied = untie(history, entry, receipt) if receipt.ties_id else []
    totals = not_there.back_again(receipt)
    _undo_movements(history, receipt, next((one.place for one in locked.values()), ""))
    for shipment in locked.values():
        unprove(act, history, receipt, shipment)
    shipment = next(iter(locked.values()), None)
    _own_anew(act, history, entry, receipt, shipment)
    _bear_anew(entry, receipt, totals)
    if shipment and sent_back:
        respread_estimates(act, shipment)
    receiving.mark_reversed(receipt, entry)
    bring_along(
        instalments=list(receipt.lines.exclude(instalment=None).values_list("instalment", flat=True)),
        shipments=shipments,
        layers=[*(layer.pk for layer in layers), *untied],
        cases=claims.withdraw_cases(layers, act.at),
        questions=receiving.answer_questions(
            ShortQuestion.objects.filter(line__receipt=receipt, answer=""), ShortQuestion.Answer.SETTLED, act
        ),
        receipts=[receipt.pk],
    )
    return receipt.pk


def _locked_layers(receipt: Receipt) -> list[CostLayer]:
    found = CostLayer.objects.select_for_update(of=("self",)).filter(receipt_line__receipt=receipt)
    found = found.select_related(
        "shipment_line__instalment__line__order", "shipment_line__container__shipment", "item", "receipt_line"
    )
    return list(found.order_by("pk"))


def _links(receipt: Receipt, layers: Sequence[CostLayer]) -> list[tuple[str, int, int | None]]:
    lines = {
        ("line", layer.shipment_line.instalment.line_id, receipt.company_id) for layer in layers if layer.shipment_line
    }
    lines.add(("receipt", receipt.pk, receipt.company_id))
    if receipt.container is None:
        return sorted(lines)
    return [
        ("shipment", receipt.container.shipment_id, receipt.company_id),
        ("container", receipt.container_id, receipt.company_id),
        *sorted(lines),
    ]


def _reversal_problems(layers: Sequence[CostLayer]) -> list[Problem]:
    found = on_layers(layers)
    gone = [layer for layer in layers if layer.kind == "stock" and layer.gone]
    if gone and not found:
        found = [Problem(f"{plain(gone[0].gone)} {gone[0].item.unit} of {gone[0].item.code} have left stock since.")]
    return found


def _billed(receipt: Receipt) -> list[Problem]:
    """Bills of goods that are ours by this receipt alone."""
    goods = Q(shipment_line__in=_made_ours(receipt)) | Q(receipt_line__receipt=receipt)
    bill = Bill.objects.filter(pk__in=BilledGoods.objects.filter(goods).values("line__bill"), reversed_by=None).first()
    if bill is None:
        return []
    what = f"{bill} of {bill.party} bills goods that are ours by this receipt."
    return [Problem(what, mend="Reverse that bill first.", record=("bill", bill.pk))]


def _made_ours(receipt: Receipt) -> list[int]:
    """The shipment lines (ids) that this receipt made ours: its entry owes their supplier for them.

    A debit on owned afloat says nothing of it: a price difference that a bill had taken off leaves by such a one.
    """
    owed = Posting.objects.filter(
        entry=receipt.entry, account=Account.OWNED_NOT_BILLED, amount__lt=0, document_kind=DocumentKind.SHIPMENT_LINE
    )
    return sorted(set(owed.values_list("document", flat=True)))


# What came onto the layers after their receipt: late costs, by all that a posting says.
LATE = """
select company_id, account, -sum(amount), -sum(foreign_amount), foreign_currency, null::numeric, order_line_id,
       charge_id, layer_id, party_id, document_kind, document
  from ledger_posting where layer_id = any(%s) and entry_id <> %s
 group by company_id, account, foreign_currency, order_line_id, charge_id, layer_id, party_id, document_kind, document
having sum(amount) <> 0 or sum(foreign_amount) <> 0
"""


def _undo_books(entry: Entry, receipt: Receipt, layers: Sequence[CostLayer]) -> None:
    """The mirror of what the receipt posted; late costs of its layers wait in their accruals again."""
    keys = [layer.pk for layer in layers]
    ledger.post_all(entry, LATE, [keys, receipt.entry_id])
    ledger.mirror(entry, receipt.entry, keys)
    _bills_undone_since(entry, receipt)
    sums = LayerCost.objects.filter(layer__in=keys).values_list("layer", "charge", "component")
    costs = list(sums.annotate(total=Sum("amount")).order_by("layer", "charge"))
    ledger.add_costs(entry, [(*key, -total) for *key, total in costs])
    ledger.take_back(entry, keys)
    ledger.release_allocations(entry, receipt.entry)
    advances.take_up_again(entry, receipt.entry)
    advances.give_up_all(entry, DocumentKind.RECEIPT_LINE, receipt.lines.values_list("pk", flat=True))
    claims.take_back_of_layers(entry, keys)
    unsettle(entry, keys)
    accruals.true_up(entry, {charge for _, charge, *_ in costs if charge})
    ledger.empty_layers(keys)


def _bills_undone_since(entry: Entry, receipt: Receipt) -> None:
    """A bill that waited for these goods and was reversed since took its part back then; it is not taken back twice."""
    rows = BilledGoods.objects.filter(receipt_line__receipt=receipt, waited_base__isnull=False)
    rows = rows.exclude(line__bill__reversed_by=None).select_related("line__bill__company", "line__order_line")
    owed = OpenItem.objects.filter(
        account=Account.OWNED_NOT_BILLED, document_kind=DocumentKind.RECEIPT_LINE, document__in=[r.key[1] for r in rows]
    )
    items = {item.document: item for item in owed}
    drafts: list[Draft] = []
    for row in rows:
        ledger.allocate(entry, items[row.key[1]], row.amount, row.base, row.units)
        drafts += ahead.drafts(*row.key, ahead.part_of(row.line, row))
    post(entry, drafts)


def _undo_movements(history: HistoryEntry, receipt: Receipt, place: str) -> None:
    """Units go back to where the shipment is now: one that sailed meanwhile took its goods along.

    Unpacked goods are with the supplier again.
    """
    back, accounted = [], defaultdict(Decimal)
    for movement in Movement.objects.filter(history=receipt.history).order_by("pk"):
        of_shipment_line = movement.source not in ("with_supplier", "excess")
        home = place if of_shipment_line and place else movement.source
        counted = of_shipment_line and movement.target != "with_supplier"
        back.append(
            positions.MoveDraft(
                movement.instalment_id, movement.target, home, movement.quantity, movement.shipment_line_id
            )
        )
        accounted[movement.shipment_line_id] += movement.quantity if counted else ZERO
    positions.move(history, back)
    if not place:
        shipping.send_back(accounted)
        return
    parts = ShipmentLine.objects.in_bulk(accounted)
    for key, quantity in accounted.items():
        parts[key].accounted -= quantity
    shipping.account_for(parts.values())


def _own_anew(act: Act, history: HistoryEntry, entry: Entry, receipt: Receipt, shipment: Shipment | None) -> None:
    """Goods that only this receipt made ours are not ours any more, unless their moment has passed since.

    Where another receipt of the same goods stands, they stay ours at their value.
    """
    parts = ShipmentLine.objects.filter(pk__in=_made_ours(receipt))
    ownership.keep(entry, list(parts.filter(accounted__gt=0).values_list("pk", flat=True)))
    given_up = sorted(parts.filter(accounted=0).values_list("pk", flat=True))
    shipping.own_shipment_lines((key, None, None, None, None) for key in given_up)
    advances.give_up_all(entry, DocumentKind.SHIPMENT_LINE, given_up)
    if shipment is None:
        return
    name = str(shipment.voyage or shipment)
    for event, day in (("on_board", shipment.departed_on), ("arrival", shipment.arrived_on)):
        if day:
            ownership.own_by(act, history, event, ShipmentLine.objects.filter(pk__in=given_up), day, name)


def _bear_anew(entry: Entry, receipt: Receipt, totals: Totals) -> None:
    """Spread charges over whole order lines anew, now that these units are still to come; and other `totals`."""
    lines = set(receipt.lines.exclude(instalment=None).values_list("instalment__line", flat=True))
    post(entry, absorb.write(entry, absorb.absorption(totals)))
    post(entry, absorb.write(entry, absorb.of_lines(lines)))
