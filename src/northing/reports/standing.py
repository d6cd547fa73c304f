"""The later facts that stand on a fact, so that it cannot be reversed yet: those about the same goods,
with their records.
"""

from collections.abc import Iterable

from django.db.models import F, Sum

from northing.billing.models import BillLine
from northing.claims.models import CaseEnd, Claim, ClaimAmount, ClaimMoney, ReturnNote
from northing.core.money.exact import plain
from northing.core.problems import Problem
from northing.drawings.figures import money
from northing.inventory.models import StockIssueLine, TransferLine
from northing.ledger.models import CostLayer
from northing.quality.models import Inspection
from northing.receiving.models import HeldDecision

FIRST = "Reverse that first."


def on_layers(layers: Iterable[CostLayer]) -> list[Problem]:
    """Inspections, returns, issues of goods of layers that were not reversed; and what is on its way."""
    keys = [layer.pk for layer in layers]
    cases = Claim.objects.filter(layer__in=keys).values_list("pk", flat=True)
    found = [*_returns(keys), *_ends(keys), *_inspections(keys), *_decisions(keys), *issues_of(keys), *_on_way(keys)]
    return found + set_aside(keys) + settled_of(cases) + costs_of(cases)


def set_aside(layers: list[int]) -> list[Problem]:
    """Units of layers (ids) that were set aside by hand, in cases that stand."""
    found = Claim.objects.filter(layer__in=layers, withdrawn_at=None, opened_by__isnull=False)
    return [
        Problem(
            f"{plain(case.quantity)} {case.layer.item.unit} of {case.layer.item.code} are set aside: {case.reason}.",
            mend="Take them back into store first.",
            record=("case", case.pk),
        )
        for case in found.select_related("layer__item").order_by("pk")
    ]


def settled_of(cases: Iterable[int]) -> list[Problem]:
    """Credit notes for what is claimed in cases (ids), and what else was done about its money."""
    keys = list(cases)
    return _credits(keys) + _money(keys) + _replaced(keys)


def costs_of(cases: Iterable[int]) -> list[Problem]:
    """Bills that are costs of cases (ids), so that the cases cannot have been for nothing."""
    lines = BillLine.objects.filter(case__in=list(cases), bill__reversed_by=None).exclude(into="")
    return [
        Problem(f"{line.bill} of {line.bill.party} is a cost of this case.", mend=FIRST, record=("bill", line.bill_id))
        for line in lines.select_related("bill__party").order_by("pk")
    ]


def _replaced(cases: list[int]) -> list[Problem]:
    """Claims that free goods settled: their receipt goes first."""
    rows = ClaimAmount.objects.filter(case__in=cases, why=ClaimAmount.Why.REPLACED).values("case", "currency")
    return [
        Problem(
            f"{row['currency']} {money(-row['a'], row['currency'])} of it went into goods that came in their place.",
            mend="Reverse their receipt first.",
            record=("case", row["case"]),
        )
        for row in rows.order_by("case").annotate(a=Sum("amount"))
        if row["a"]
    ]


def _money(cases: list[int]) -> list[Problem]:
    found = ClaimMoney.objects.filter(case__in=cases, reversed_by=None).select_related("party")
    return [
        Problem(
            f"{one.currency} {money(one.amount, one.currency)} of {one.party}: {one.get_way_display().lower()}.",
            mend=FIRST,
            record=("case", one.case_id),
        )
        for one in found
    ]


def _credits(cases: list[int]) -> list[Problem]:
    lines = BillLine.objects.filter(case__in=cases, into="", bill__reversed_by=None).select_related("bill__party")
    return [
        Problem(f"{line.bill} of {line.bill.party} credits this claim.", mend=FIRST, record=("bill", line.bill_id))
        for line in lines.order_by("pk")
    ]


def _returns(layers: list[int]) -> list[Problem]:
    notes = ReturnNote.objects.filter(case__layer__in=layers, reversed_by=None).select_related("case__layer__item")
    return [
        Problem(
            f"{plain(note.quantity)} {note.case.layer.item.unit} of {note.case.layer.item.code} went back under"
            f" {note.reference}.",
            mend=FIRST,
            record=("case", note.case_id),
        )
        for note in notes
    ]


def _ends(layers: list[int]) -> list[Problem]:
    found = CaseEnd.objects.filter(case__layer__in=layers, reversed_by=None).select_related("case__layer__item")
    return [
        Problem(
            f"{plain(end.quantity)} {end.case.layer.item.unit} of {end.case.layer.item.code}:"
            f" {end.get_way_display().lower()}.",
            mend=FIRST,
            record=("case", end.case_id),
        )
        for end in found
    ]


def _inspections(layers: list[int]) -> list[Problem]:
    found = Inspection.objects.filter(layer__in=layers, reversed_by=None).select_related("layer__item")
    return [
        Problem(
            f"{one.layer.item.code} is inspected: {plain(one.passed)} passed, {plain(one.failed)} failed.",
            mend=FIRST,
            record=("verdict", one.layer_id),
        )
        for one in found
    ]


def _decisions(layers: list[int]) -> list[Problem]:
    """Goods without an order that were tied to one, sent back or kept."""
    found = HeldDecision.objects.filter(line__layers__in=layers, reversed_by=None).order_by()
    names = ("line__item__unit", "line__item__code", "way", "reference", "receipt", "line__receipt")
    rows = found.values_list(*names).annotate(units=Sum("quantity")).order_by("line__item__code", "way", "reference")
    return [
        Problem(
            f"{plain(units)} {unit} of {code} were {way}: {reference}.", mend=FIRST, record=("receipt", tied or came)
        )
        for unit, code, way, reference, tied, came, units in rows
    ]


def _on_way(layers: list[int]) -> list[Problem]:
    """Goods that are between two sites."""
    found = TransferLine.objects.filter(layer__in=layers, ended__lt=F("quantity"))
    return [
        Problem(
            f"{plain(line.left)} {line.layer.item.unit} of {line.layer.item.code} are on their way to"
            f" {line.transfer.target}.",
            mend="Let them arrive, or come back, first.",
            record=("transfer", line.transfer_id),
        )
        for line in found.select_related("layer__item", "transfer__target").order_by("pk")
    ]


def issues_of(layers: list[int]) -> list[Problem]:
    """Issues out of layers (ids) that were not taken back."""
    lines = StockIssueLine.objects.filter(layer__in=layers, issue__reversed_by=None).select_related("issue__item")
    return [
        Problem(
            f"{plain(line.quantity)} {line.issue.item.unit} of {line.issue.item.code} have left stock since,"
            f" for {line.issue.purpose}.",
            mend="Take that issue back first.",
            record=("item", line.issue.item_id),
        )
        for line in lines.order_by("pk")
    ]


def divided_problems(cases: Iterable[Claim]) -> list[Problem]:
    """Parts of cases that are cases of their own."""
    found = Claim.objects.filter(part_of__in=[case.pk for case in cases], withdrawn_at=None).order_by("pk")
    return [
        Problem(f"Case {one.pk} is a part of this one.", mend="Join it to this one first.", record=("case", one.pk))
        for one in found
    ]
