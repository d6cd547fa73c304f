"""Skip-lot: of lots that came, some are let through without being inspected, drawn by lot before they came."""

import secrets
from collections.abc import Iterable

from northing.access.acts import Act
from northing.actions.quality.inspect import let_through
from northing.core.quality.switching import Skipping, skips
from northing.ledger.models import CostLayer
from northing.masterdata.inspections import rules_of
from northing.masterdata.models import InspectionRule
from northing.quality.models import LotDraw
from northing.quality.operations import open_draw, prepare_draw
from northing.quality.queries import standing_of, supplier_of

SEED_BYTES = 16


def draw_lots(act: Act, layers: Iterable[CostLayer]) -> None:
    """Open the draw of each held lot that has one, and let it through where it says so; then draw for the next."""
    found = list(layers)
    rules = rules_of([layer.item for layer in found])
    for layer in found:
        supplier = supplier_of(layer)
        rule = rules.of(layer.item, supplier)
        if supplier and rule and rule.how == InspectionRule.How.SKIP_LOT:
            _draw(act, layer, supplier, rule)


def _draw(act: Act, layer: CostLayer, supplier: int, rule: InspectionRule) -> None:
    waiting = LotDraw.objects.select_for_update().filter(item=layer.item, supplier=supplier, opened_at=None).first()
    if waiting is not None:
        now = standing_of(layer.item_id, supplier, rule.reduces)
        skipped = skips(Skipping(rule.skip_after, rule.skip_one_in), now, bytes.fromhex(waiting.seed))
        open_draw(waiting, layer, act.at, skipped=skipped)
        if skipped:
            let_through(act.inner(), layer, layer.occurred_on, now.run)
    prepare_draw(layer.item_id, supplier, secrets.token_bytes(SEED_BYTES), act.at)
