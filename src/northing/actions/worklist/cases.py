"""Open matters of rejected and missing units, and of what is claimed for them."""

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import replace
from datetime import date
from decimal import Decimal

from northing.claims.models import Authorisation, Claim
from northing.claims.queries import coming_in_their_place, deadlines_of, open_claims, replacements_owed
from northing.core.money.money import rounded
from northing.core.worklist import moves
from northing.drawings.figures import money
from northing.masterdata.models import Party
from northing.worklist.operations import MatterDraft, write_matters

ZERO = Decimal(0)
DECIDE = {
    Claim.Kind.EXCESS: "held, too many: order, send back or keep",
    Claim.Kind.WRONG: "held, no order: tie, send back or keep",
}
ORDER = "shipment_line__instalment__line__order"
Money = dict[int, list[tuple[str, Decimal, Decimal]]]


def refresh_cases(cases: Iterable[int]) -> None:
    """Cases with units that have no end yet, or of which something is claimed."""
    keys, drafts = list(cases), []
    came_with = "layer__receipt_line__stands_for__order"
    related = ("layer__item", f"layer__{ORDER}", came_with, "company", "supplier", "against")
    found = list(Claim.objects.filter(pk__in=keys).select_related(*related))
    days = deadlines_of(found)
    claimed, references, coming = _claimed(keys), _references(keys), coming_in_their_place(keys)
    to_order: dict[int, Decimal] = defaultdict(Decimal)
    for one in replacements_owed(Authorisation.objects.filter(case__in=keys)):
        to_order[one.case_id] += one.to_order
    for case in found:
        facts = _facts(case, claimed[case.pk], references[case.pk], to_order[case.pk], days[case.pk][1])
        if comes := coming.get(case.pk):
            facts = replace(facts, coming=comes.units, coming_on=comes.orders, coming_by=comes.due)
        drafts.append(
            MatterDraft(
                kind="case",
                record=case.pk,
                company=case.company_id,
                move=None if case.withdrawn_at else moves.case_move(facts),
                at_stake=_at_stake(case, claimed[case.pk]),
                person=case.looked_after_by_id or _buyer(case),
            )
        )
    write_matters(drafts)


def _facts(
    case: Claim,
    claimed: list[tuple[str, Decimal, Decimal]],
    references: list[str],
    to_order: Decimal,
    due: date | None,
) -> moves.CaseFacts:
    amounts = [f"{currency} {money(amount, currency)}" for currency, amount, _ in claimed]
    return moves.CaseFacts(
        words=f"{case.kind}: {case.reason or 'no reason given'}",
        of_no_order=DECIDE.get(case.kind, ""),
        against=case.against.name,
        undecided=case.undecided,
        authorised=case.authorised,
        to_order=to_order,
        references=", ".join(references),
        unit=case.layer.item.unit,
        claimed=" and ".join(amounts),
        owes=moves.SUPPLIER if case.against.kind == Party.Kind.SUPPLIER else moves.CARRIER,
        opened_on=case.opened_on,
        asked_on=case.asked_on,
        answer_by=case.answer_by,
        due=due,
    )


def _buyer(case: Claim) -> int | None:
    """Who decides about goods that belong to no order (an id): the buyer of the order that they came with."""
    return case.line.order.buyer_id if case.of_no_order and case.line else None


def _at_stake(case: Claim, claimed: list[tuple[str, Decimal, Decimal]]) -> Decimal:
    """What the units without an end cost; else what is claimed."""
    if not case.open_quantity:
        return sum((base for *_, base in claimed), ZERO)
    cost = case.layer.total_cost * case.open_quantity / case.layer.received if case.layer.received else ZERO
    return rounded(cost, case.company.currency)


def _claimed(cases: Iterable[int]) -> Money:
    found: Money = defaultdict(list)
    for (case, _, currency), (amount, base) in sorted(open_claims(cases).items()):
        if amount > 0:
            found[case].append((currency, amount, base))
    return found


def _references(cases: Iterable[int]) -> dict[int, list[str]]:
    found: dict[int, list[str]] = defaultdict(list)
    for one in Authorisation.objects.filter(case__in=list(cases), reversed_by=None).order_by("pk"):
        if one.left:
            found[one.case_id].append(one.reference)
    return found
