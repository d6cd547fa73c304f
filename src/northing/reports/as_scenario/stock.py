"""Goods in store, of a scenario: what a company began with, inspections, returns, moves and issues."""

from collections.abc import Iterator
from decimal import Decimal
from typing import Any

from northing.claims.models import Authorisation, CaseEnd, Claim, ClaimMoney, ReturnNote
from northing.core.money.exact import plain
from northing.core.money.money import minor_units
from northing.inventory.models import Opening, StockIssue
from northing.quality.models import Inspection
from northing.reports.as_scenario.reach import Reach
from northing.reports.as_scenario.recorded import Recorded, action, reversal
from northing.reports.as_scenario.world import Names

ZERO = Decimal(0)
WAYS = {
    CaseEnd.Way.KEPT: "keep",
    CaseEnd.Way.REWORKED: "rework",
    CaseEnd.Way.SCRAPPED: "scrap",
    CaseEnd.Way.FOUND: "find",
    CaseEnd.Way.LOST: "lose",
    CaseEnd.Way.NEVER: "never supplied",
}
# What opens a case by hand.
OPENED = ("set_aside", "open_money_case")
MONEY = {
    ClaimMoney.Way.MORE: "claim",
    ClaimMoney.Way.TURNED: "turn",
    ClaimMoney.Way.PAID: "claim paid",
    ClaimMoney.Way.GIVEN_UP: "give up",
}


def _openings(reach: Reach, names: Names) -> Iterator[Recorded]:
    openings = Opening.objects.filter(layer__in=reach.layers).order_by("pk")
    for one in openings.select_related("layer", "company", "reversed_by"):
        name, layer = names.of("beginning", one.pk), one.layer
        # Goods that were moved since began elsewhere.
        first = layer.movements.filter(source__isnull=True).select_related("target").earliest("pk")
        stock = {
            "item": names.of("item", layer.item_id),
            "site": names.of("site", first.target.site_id),
            "quantity": plain(layer.received),
            "value": f"{layer.total_cost:.{minor_units(one.company.currency)}f}",
        }
        yield one.at, 0, action("open", one.occurred_on, id=name, stock=[stock])
        yield from reversal(one, name)


def _moves(_reach: Reach, names: Names) -> Iterator[Recorded]:
    for move in names.moves:
        ends = {
            side: [names.of("site", bin.site_id), names.of("bin", bin.pk)]
            for side, bin in (("from", move.source), ("to", move.target))
        }
        facts = {"item": names.of("item", move.layer.item_id), "quantity": plain(move.quantity)} | ends
        if move.layer.receipt_line:
            facts["line"] = names.part(move.layer.receipt_line.instalment)
        yield move.history.at, 8, action("move", move.history.occurred_on, **facts)


def _inspections(reach: Reach, names: Names) -> Iterator[Recorded]:
    found = Inspection.objects.filter(layer__in=reach.layers).order_by("pk")
    for one in found.select_related("layer__receipt_line", "layer__shipment_line__instalment", "reversed_by"):
        facts = {
            "id": names.of("case", one.pk),
            "receipt": names.of("receipt", one.layer.receipt_line.receipt_id),
            "line": names.of("line", one.layer.shipment_line.instalment.line_id),
            "passed": plain(one.passed),
            "failed": plain(one.failed),
            "reason": "other" if one.failed else "",
        }
        yield one.at, 7, action("inspect", one.occurred_on, **facts)
        yield from reversal(one, names.of("case", one.pk))


def _returns(reach: Reach, names: Names) -> Iterator[Recorded]:
    notes = ReturnNote.objects.filter(case__layer__in=reach.layers).order_by("pk")
    for note in notes.select_related("case", "reversed_by"):
        name = names.of("given back", note.pk)
        facts = {"case": names.case(note.case), "quantity": plain(note.quantity)}
        facts["reference"] = names.of("authorisation", note.authorisation_id) if note.authorisation_id else name
        yield note.at, 8, action("return", note.occurred_on, id=name, **facts)
        yield from reversal(note, name)


def _set_aside(reach: Reach, names: Names) -> Iterator[Recorded]:
    cases = Claim.objects.filter(layer__in=reach.layers, opened_by__action__in=OPENED).order_by("pk")
    for case in cases.select_related("layer__receipt_line", "layer__shipment_line__instalment", "opened_by"):
        facts = {
            "id": names.case(case),
            "receipt": names.of("receipt", case.layer.receipt_line.receipt_id),
            "line": names.of("line", case.layer.shipment_line.instalment.line_id),
            **_opened_with(case),
        }
        yield case.opened_by.at, 7, action("case", case.opened_on, reason="other", **facts)
        if case.withdrawn_at:
            yield case.withdrawn_at, 9, action("reverse", case.withdrawn_at.date(), what=names.case(case))


def _opened_with(case: Claim) -> dict[str, str]:
    """The units of a case as it was opened; or the kind and amount of one that has none."""
    if case.kind in Claim.OF_MONEY:
        return {"kind": case.kind, "amount": plain(case.ends.get().reduced)}
    parts = sum((part.quantity for part in case.parts.filter(withdrawn_at=None)), ZERO)
    return {"quantity": plain(case.quantity + parts)}


def _ends(reach: Reach, names: Names) -> Iterator[Recorded]:
    """Units of cases that were kept or scrapped."""
    found = CaseEnd.objects.filter(case__layer__in=reach.layers, quantity__gt=0).order_by("pk")
    for end in found.select_related(
        "case__layer__receipt_line", "case__layer__shipment_line__instalment", "reversed_by"
    ):
        name = names.of("way", end.pk)
        facts = {"id": name, "case": names.case(end.case), "quantity": plain(end.quantity)}
        facts |= {"reduced": plain(end.reduced)} if end.reduced else {}
        facts |= {"claimed": end.lost != end.cost} if end.way == CaseEnd.Way.SCRAPPED else {}
        facts |= {"lot": end.case.layer.lot} if end.way == CaseEnd.Way.FOUND and end.case.layer.lot else {}
        yield end.at, 8, action(WAYS[CaseEnd.Way(end.way)], end.occurred_on, **facts, **_line(end.case, names))
        yield from reversal(end, name)


def _line(case: Claim, names: Names) -> dict[str, str]:
    """Of missing goods the line: several may be missing of one receipt."""
    missing = case.kind == Claim.Kind.MISSING
    return {"line": names.of("line", case.layer.shipment_line.instalment.line_id)} if missing else {}


def _authorisations(reach: Reach, names: Names) -> Iterator[Recorded]:
    """What suppliers take back."""
    found = Authorisation.objects.filter(case__layer__in=reach.layers).order_by("pk")
    for one in found.select_related("case", "reversed_by"):
        name = names.of("authorisation", one.pk)
        facts = {"case": names.case(one.case), "quantity": plain(one.quantity), "owed": one.owed}
        yield one.at, 8, action("authorise", one.occurred_on, id=name, reference=name, **facts)
        yield from reversal(one, name)


def _money(reach: Reach, names: Names) -> Iterator[Recorded]:
    """What was done about the money of cases."""
    found = ClaimMoney.objects.filter(case__layer__in=reach.layers).order_by("pk")
    for one in found.select_related("case__layer__receipt_line", "party", "reversed_by"):
        name = names.of("money", one.pk)
        facts: dict[str, Any] = {"id": name, "case": names.case(one.case), "party": names.of("party", one.party_id)}
        facts |= _line(one.case, names)
        if one.way != ClaimMoney.Way.TURNED:
            facts |= {"currency": one.currency, "amount": plain(one.amount)}
        if one.way == ClaimMoney.Way.PAID:
            facts |= {"bank": plain(one.bank_base)}
        yield one.at, 8, action(MONEY[ClaimMoney.Way(one.way)], one.occurred_on, **facts)
        yield from reversal(one, name)


def _issues(reach: Reach, names: Names) -> Iterator[Recorded]:
    issues = StockIssue.objects.filter(lines__layer__in=reach.layers).distinct().order_by("pk")
    for issue in issues.select_related("reversed_by"):
        name = names.of("use", issue.pk)
        took = issue.lines.filter(layer__in=reach.layers)
        units = sum((line.quantity for line in took), ZERO)
        facts = {"id": name, "site": names.of("site", issue.site_id), "item": names.of("item", issue.item_id)}
        yield issue.at, 8, action("issue", issue.occurred_on, quantity=plain(units), **facts, **{"for": "use"})
        yield from reversal(issue, name)


STOCK = (_openings, _inspections, _set_aside, _authorisations, _returns, _ends, _money, _moves, _issues)
