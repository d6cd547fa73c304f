"""Open matters of rejected and missing units."""

from collections.abc import Iterable
from decimal import Decimal

from northing.claims.models import Claim
from northing.core.money.money import rounded
from northing.core.worklist import moves
from northing.worklist.operations import MatterDraft, write_matters

ZERO = Decimal(0)


def refresh_cases(cases: Iterable[int]) -> None:
    """Cases with units that have no end yet: ours."""
    drafts = []
    found = Claim.objects.filter(pk__in=list(cases)).select_related("layer", "company", "supplier")
    for case in found:
        reason = f"{case.kind}: {case.reason or 'no reason given'}; settle with {case.supplier.name}"
        waits = moves.Move(moves.US, reason, case.opened_on) if case.open_quantity else None
        cost = case.layer.total_cost * case.open_quantity / case.layer.received if case.layer.received else ZERO
        drafts.append(
            MatterDraft(
                kind="case",
                record=case.pk,
                company=case.company_id,
                move=waits,
                at_stake=rounded(cost, case.company.currency),
            )
        )
    write_matters(drafts)
