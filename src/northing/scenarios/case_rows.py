"""The cases of a scenario's outcome: their units, how those ended, and what is claimed."""

from collections import defaultdict
from decimal import Decimal
from typing import Any

from django.db.models import Sum

from northing.claims.models import CaseEnd, Claim, ClaimAmount, Replacement, ReturnNote
from northing.core.money.exact import plain
from northing.core.money.money import minor_units
from northing.receiving.models import HeldDecision

ZERO = Decimal(0)
# What takes a claim down; everything else says what it is.
SETTLES = {"credited": "credited", "paid": "paid", "given up": "given up", "replaced": "into goods"}


def case_rows(names: dict[tuple[str, int], str]) -> list[dict[str, Any]]:
    """Cases that stand, by the id of what opened them. `open` are units that have no way yet, `replaced` those that
    were ordered anew.
    """
    found = Claim.objects.filter(withdrawn_at=None).order_by("pk")
    found = found.select_related(
        "against", "company", "layer__receipt_line__stands_for__order", "layer__shipment_line__instalment__line__order"
    )
    ways, money, anew = _ways(), _money(), _ordered_anew()
    rows = []
    for number, case in enumerate(found, 1):
        currency = case.line.order.currency if case.line else case.company.currency
        gone = dict(ways[case.pk]) | ({"authorised": case.authorised} if case.authorised else {})
        rows.append(
            {
                "id": _name(case, names) or f"case {number}",
                "kind": case.kind,
                "against": case.against.code,
                "units": plain(case.quantity),
                "open": plain(case.undecided),
                "ways": {way: plain(units) for way, units in sorted(gone.items()) if units},
                **({"replaced": plain(anew[case.pk])} if case.pk in anew else {}),
                **_amounts(money[case.pk], currency),
            }
        )
    return rows


def _name(case: Claim, names: dict[tuple[str, int], str]) -> str:
    receipt = case.layer.receipt_line.receipt_id if case.layer.receipt_line else 0
    own = (("inspection", case.inspection_id or 0), ("case", case.pk), ("money_case", case.pk))
    keys = (*own, ("receipt", receipt))
    return next((names[key] for key in keys if key in names), "")


def _ways() -> dict[int, dict[str, Decimal]]:
    found: dict[int, dict[str, Decimal]] = defaultdict(dict)
    notes = ReturnNote.objects.filter(reversed_by=None).values_list("case").order_by()
    for case, units in notes.annotate(u=Sum("quantity")):
        found[case]["returned"] = units
    ends = CaseEnd.objects.filter(reversed_by=None).values_list("case", "way").order_by()
    for case, way, units in ends.annotate(u=Sum("quantity")):
        found[case]["never supplied" if way == CaseEnd.Way.NEVER else way] = units
    decided = HeldDecision.objects.filter(reversed_by=None, line__layers__cases__kind__in=Claim.OF_NO_ORDER)
    for case, way, units in decided.values_list("line__layers__cases", "way").order_by().annotate(u=Sum("quantity")):
        found[case]["returned" if way == HeldDecision.Way.SENT_BACK else way] = units
    return found


def _ordered_anew() -> dict[int, Decimal]:
    rows = Replacement.objects.filter(order_line__order__cancelled_at=None).values_list("authorisation__case")
    return dict(rows.order_by().annotate(u=Sum("quantity")))


def _money() -> dict[int, dict[str, dict[str, Decimal]]]:
    """By case and currency, what is claimed, and each way in which it was settled."""
    found: dict[int, dict[str, dict[str, Decimal]]] = defaultdict(lambda: defaultdict(lambda: defaultdict(Decimal)))
    rows = ClaimAmount.objects.values_list("case", "currency", "why").order_by()
    for case, currency, why, amount in rows.annotate(a=Sum("amount")):
        kind, sign = (SETTLES[why], -1) if why in SETTLES else ("claimed", 1)
        found[case][currency][kind] += sign * amount
    return found


def _amounts(money: dict[str, dict[str, Decimal]], currency: str) -> dict[str, Any]:
    """In the order's currency; other currencies beside it, where something is claimed in them."""
    facts = {"currency": currency} | _of(money.get(currency, {}), currency)
    others = {other: _of(sums, other) for other, sums in money.items() if other != currency}
    return facts | ({"others": others} if others else {})


def _of(sums: dict[str, Decimal], currency: str) -> dict[str, str]:
    names = ["claimed", "credited", *(name for name in ("paid", "given up", "into goods") if sums.get(name))]
    return {name: f"{sums.get(name, ZERO):.{minor_units(currency)}f}" for name in names}
