"""The rules by which suppliers are reminded: who keeps them, and what they were."""

from dataclasses import dataclass

from northing.access.acts import Act
from northing.access.permissions import require_of_all
from northing.activity.operations import add_history, once
from northing.confirmations import operations
from northing.confirmations.models import ChaserRule
from northing.core.problems import Problem, Refused
from northing.masterdata.models import Company, Party
from northing.reports.dealings import companies_of_parties

FACTS = {"days": "days", "quiet_days": "quiet days after one", "paused": "paused"}


@dataclass(frozen=True)
class RuleRequest:
    """A rule for a supplier (id) or all, a mode or all, as it is to be."""

    kind: str
    supplier: int | None
    mode: str
    days: int
    quiet_days: int
    paused: bool = False


@once
def keep_rule(act: Act, request: RuleRequest) -> int:
    """Keep a rule, new or in place of the one for the same supplier, mode and kind."""
    if request.supplier:
        users = companies_of_parties([request.supplier])[request.supplier]
    else:
        users = set(Company.objects.values_list("pk", flat=True))
    require_of_all(act.person, ["chase"], users, "this rule")
    if request.kind not in ChaserRule.Kind.values:
        raise Refused(Problem("There is no such rule.", "kind"))
    supplier = Party.objects.filter(pk=request.supplier, kind=Party.Kind.SUPPLIER).first() if request.supplier else None
    if request.supplier and supplier is None:
        raise Refused(Problem("There is no such supplier.", "supplier"))
    which = {"kind": request.kind, "supplier": supplier, "mode": request.mode}
    before = ChaserRule.objects.filter(**which).first()
    facts = {name: getattr(request, name) for name in FACTS}
    changes = [
        {"field": FACTS[name], "old": str(getattr(before, name)) if before else "", "new": str(value)}
        for name, value in facts.items()
        if before is None or getattr(before, name) != value
    ]
    rule = operations.keep_rule(which, facts)
    if changes:
        words = f"{rule.get_kind_display()}, {supplier or 'all suppliers'}, {request.mode or 'all modes'}"
        links = [("rule", 0, None), *([("party", supplier.pk, None)] if supplier else [])]
        add_history(act, "keep_rule", f"Rule of chasers: {words}", links, changes=changes)
    return rule.pk
