"""Debit notes of ours: what a return, or a case, is claimed of its supplier, as a paper and as UBL."""

from collections.abc import Iterable
from datetime import date
from decimal import Decimal

from django.db.models import Sum

from northing.billing.models import BillLine
from northing.claims.models import Claim, GoodsReturn
from northing.claims.queries import open_claims
from northing.formats.debit_note import DebitLine, DebitNote
from northing.messaging.print_pdf import to_pdf

RELATED = ("layer__item", "layer__shipment_line__instalment__line__order", "supplier", "against", "company")


def debit_of_return(made: GoodsReturn) -> DebitNote | None:
    """What is still claimed of the supplier for a return, in the currency of its first claim; None where nothing is."""
    rows = made.notes.filter(reversed_by=None).values_list("case").order_by()
    units = dict(rows.annotate(units=Sum("quantity")))
    cases = Claim.objects.filter(pk__in=units, against=made.supplier).select_related(*RELATED).order_by("pk")
    return _note(f"{made.number}-D", made.occurred_on, list(cases), units, made.reference)


def debit_of_case(case: Claim, day: date) -> DebitNote | None:
    """What is still claimed of whoever owes it for a case, in the first currency; None where nothing is."""
    return _note(f"{case.company.code}-C{case.pk}-D", day, [case], {case.pk: case.ended})


def _note(
    number: str, day: date, cases: list[Claim], units: dict[int, Decimal], reference: str = ""
) -> DebitNote | None:
    if not cases:
        return None
    party, company = cases[0].against, cases[0].company
    open_now = {
        (case, currency): amount
        for (case, owes, currency), (amount, _) in open_claims([one.pk for one in cases]).items()
        if owes == party.pk and amount > 0
    }
    if not open_now:
        return None
    currency = sorted(open_now)[0][1]
    bills = _bills(cases)
    lines = [
        _line(one, units[one.pk], open_now[one.pk, currency], bills) for one in cases if (one.pk, currency) in open_now
    ]
    ours = company.name, "", company.country
    return DebitNote(number, day, currency, ours, (party.name, party.city, party.country), reference, lines)


def _bills(cases: Iterable[Claim]) -> dict[int, str]:
    """The last standing bill of each order line (id): its number."""
    lines = [one.layer.shipment_line.instalment.line_id for one in cases]
    rows = BillLine.objects.filter(order_line__in=lines, bill__reversed_by=None, bill__kind="bill").order_by("bill")
    return dict(rows.values_list("order_line", "bill__number"))


def _line(case: Claim, units: Decimal, amount: Decimal, bills: dict[int, str]) -> DebitLine:
    line, item = case.layer.shipment_line.instalment.line, case.layer.item
    return DebitLine(
        order=line.order.number,
        line=line.number,
        item=item.code,
        description=item.description,
        quantity=units,
        unit=item.unit,
        amount=amount,
        why=case.reason,
        lot=case.layer.lot,
        bill=bills.get(line.pk, ""),
    )


def debit_paper(note: DebitNote) -> bytes:
    """The note as a PDF."""
    return to_pdf("claims/debit_paper.html", {"note": note}, sums=False)
