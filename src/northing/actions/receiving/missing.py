"""Goods that the dock did not find: a case for each, and their way out of the books."""

from collections.abc import Mapping, Sequence

from northing.actions.costing import goods_price
from northing.actions.receiving.found import Found
from northing.actions.receiving.request import ReceiveRequest
from northing.claims import operations as claims
from northing.claims.models import Claim
from northing.ledger.models import Account, CostLayer, Entry, LayerTake
from northing.ledger.operations import Draft
from northing.masterdata.models import Site


def open_cases(
    request: ReceiveRequest, site: Site, found: Sequence[Found], layers: Sequence[CostLayer]
) -> dict[int, Claim]:
    """A case for each layer (id) of missing goods."""
    missing = {layer.receipt_line_id: layer for layer in layers if layer.kind == CostLayer.Kind.MISSING}
    cases = [
        Claim(
            company=site.company,
            kind=Claim.Kind.MISSING,
            layer=missing[one.line.pk],
            supplier=one.of_line.order.supplier,
            against=one.of_line.order.supplier,
            reason=f"not found, delivery note {request.delivery_note}"[:80],
            quantity=one.taking.missing,
            opened_on=request.occurred_on,
        )
        for one in found
        if one.taking.missing
    ]
    return {case.layer_id: case for case in claims.open_cases(cases)}


def miss(entry: Entry, layers: Sequence[CostLayer], cases: Mapping[int, Claim]) -> list[Draft]:
    """Take missing goods out of the books: their price is not owed (billed: is claimed), charges are lost."""
    drafts = []
    for layer in layers:
        if layer.kind != CostLayer.Kind.MISSING:
            continue
        leaving = [goods_price.Leaving(entry, cases[layer.pk], layer, layer.received)]
        [released] = goods_price.release_rows(leaving)
        layer.refresh_from_db(fields=["total_cost", "goods_cost", "taken_cost", "goods_taken", "gone"])
        [cost] = goods_price.take(leaving, [released.claimed], LayerTake.Reason.MISSING)
        common = {"company": layer.company_id, "layer": layer.pk, "order_line": layer.shipment_line.instalment.line_id}
        drafts.append(Draft(account=Account.STOCK, amount=-cost, **common))
        drafts += [*released.drafts, Draft(account=Account.MISSING_LOSS, amount=cost - released.price, **common)]
    return drafts
