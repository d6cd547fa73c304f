"""Cases of goods that belong to no order: opened by their receipt, ended by what the buyer decides about them."""

from collections.abc import Sequence

from northing.actions.receiving.unordered import Unordered
from northing.claims import operations as claims
from northing.claims.models import Claim
from northing.ledger.models import CostLayer
from northing.receiving.models import Receipt, ReceiptLine

KINDS = {
    ReceiptLine.Why.EXCESS: Claim.Kind.EXCESS,
    ReceiptLine.Why.OTHER_ITEM: Claim.Kind.WRONG,
    ReceiptLine.Why.UNORDERED: Claim.Kind.WRONG,
}
# What their kind does not say of how they came.
MORE: dict[str, str] = {ReceiptLine.Why.OTHER_ITEM: "another item than ordered, "}


def open_held(receipt: Receipt, unordered: Sequence[Unordered], layers: Sequence[CostLayer]) -> list[Claim]:
    """A case for each layer of goods that belong to no order, against who sent them."""
    of_line = {layer.receipt_line_id: layer for layer in layers}
    return claims.open_cases(
        [
            Claim(
                company=receipt.company,
                kind=KINDS[ReceiptLine.Why(one.why)],
                layer=of_line[one.line.pk],
                supplier=one.supplier,
                against=one.supplier,
                reason=f"{MORE.get(one.why, '')}delivery note {receipt.delivery_note}"[:80],
                quantity=one.quantity,
                opened_on=receipt.occurred_on,
            )
            for one in unordered
            if one.line
        ]
    )


def held_links(layer: CostLayer) -> list[tuple[str, int, int | None]]:
    """Where an act on such goods is told of: their item and receipt, and the order line that they came with."""
    line, company = layer.receipt_line, layer.company_id
    links = [("item", layer.item_id, company), ("receipt", line.receipt_id, company), ("layer", layer.pk, company)]
    return links + ([("line", line.stands_for_id, company)] if line.stands_for_id else [])
