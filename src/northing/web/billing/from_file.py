"""A provider's bill from a file: what it says, beside the estimates that its lines are likely to be of."""

from collections.abc import Sequence
from decimal import Decimal

from django.db.models import Q
from django.utils import timezone

from northing.core.money.exact import plain
from northing.core.money.money import is_whole
from northing.core.problems import Problem, Refused
from northing.costing.models import Charge
from northing.drawings.figures import money
from northing.formats.bill_files import BillFile, BillFileLine
from northing.masterdata.models import Party
from northing.web.billing.forms.charges import MOST_LINES
from northing.web.billing.proposed import expected_charges

K = Charge.Kind
# What papers call a kind of cost, beside its own name; the first that is found counts.
CALLED = {
    "customs clearance": K.BROKERAGE,
    "broker": K.BROKERAGE,
    "insurance": K.INSURANCE,
    "premium": K.INSURANCE,
    "demurrage": K.STORAGE,
    "detention": K.STORAGE,
    "storage": K.STORAGE,
    "inspection": K.INSPECTION,
    "haulage": K.HAULAGE,
    "cartage": K.HAULAGE,
    "trucking": K.HAULAGE,
    "delivery": K.HAULAGE,
    "handling": K.HANDLING,
    "terminal": K.HANDLING,
    "surcharge": K.SURCHARGE,
    "freight": K.FREIGHT,
}
Row = tuple[str, Charge | None, Decimal, str]


def seller_of(said: BillFile) -> Party | None:
    """The party that the file names as its sender, by code or name; None where none or several are called so."""
    called = Q(pk__in=())
    for name in said.sellers:
        called |= Q(code__iexact=name) | Q(name__iexact=name)
    found = list(Party.objects.filter(called)[:2])
    return found[0] if len(found) == 1 else None


def from_file(person, said: BillFile, payee: Party) -> dict[str, object]:
    """The initial values of the form of a provider's bill. Raises Refused where it has more lines than a form."""
    rows = _rows(said, _estimates(person, payee, said.currency))
    if len(rows) > MOST_LINES:
        mend = "Send a file for each shipment, or enter the sums of a kind."
        raise Refused(Problem(f"The bill has more than {MOST_LINES} different lines.", "file", mend))
    currency = said.currency or payee.currency
    initial: dict[str, object] = {
        "payee": payee,
        "bill_number": said.number,
        "day": said.day or timezone.localdate(),
        "due_on": said.due_on,
        "currency": currency,
        "tax": _written(said.tax, currency) if said.tax else "",
        "total": "" if said.total is None else _written(said.total, currency),
        "rows": len(rows),
    }
    companies = {charge.company_id for _, charge, _, _ in rows if charge}
    if len(companies) == 1:
        initial["company"] = companies.pop()
    for place, (kind, charge, amount, remark) in enumerate(rows):
        end = f"-line-{place}"
        initial |= {f"amount{end}": _written(amount, currency), f"remark{end}": remark[:120]}
        initial |= {f"charge{end}": str(charge.pk)} if charge else {f"kind{end}": kind}
    return initial


def _written(amount: Decimal, currency: str) -> str:
    """An amount as the paper has it: with all minor units, and more where it says more."""
    return money(amount, currency) if is_whole(amount, currency) else plain(amount)


def _estimates(person, payee: Party, currency: str) -> list[Charge]:
    found = expected_charges(person).filter(payee=payee).order_by("pk")
    found = found.prefetch_related("shipments", "containers__shipment", "lines__order")
    return [one for one in found if not currency or (one.estimated_currency or one.currency) == currency]


def _rows(said: BillFile, estimates: Sequence[Charge]) -> list[Row]:
    """Lines with the estimate that each fits; those of one estimate, or of one kind and name, stand as their sum."""
    rows: dict[object, Row] = {}
    for line in said.lines:
        if not line.amount:
            continue
        kind = kind_of(line)
        charge = _fitting(line, kind, estimates)
        key = charge.pk if charge else (kind, line.remark)
        _, _, before, remark = rows.get(key, (kind, charge, Decimal(0), line.remark))
        rows[key] = (kind, charge, before + line.amount, remark if remark == line.remark else "")
    return list(rows.values())


def kind_of(line: BillFileLine) -> str:
    """The kind of cost that a line is called; other where nothing tells."""
    if line.kind in K.values:
        return line.kind
    words = f"{line.item} {line.remark}".casefold()
    return next((kind.value for called, kind in CALLED.items() if called in words), K.OTHER.value)


def _fitting(line: BillFileLine, kind: str, estimates: Sequence[Charge]) -> Charge | None:
    """The estimate of that kind which the line names best; of several that are named alike the one of its amount."""
    words = f"{line.order} {line.line} {line.item} {line.remark}".casefold()
    same = [one for one in estimates if one.kind == kind]
    hits = {one.pk: sum(name.casefold() in words for name in _names(one)) for one in same}
    best = max(hits.values(), default=0)
    named = [one for one in same if hits[one.pk] == best]
    exact = [one for one in named if one.rest == line.amount]
    return exact[0] if exact else named[0] if len(named) == 1 else None


def _names(charge: Charge) -> set[str]:
    """The names of an estimate's goods on papers: shipments and their transport documents, containers, orders."""
    boxes = list(charge.containers.all())
    shipments = [*charge.shipments.all(), *(box.shipment for box in boxes)]
    names = {box.number for box in boxes} | {line.order.number for line in charge.lines.all()}
    names |= {shipment.reference for shipment in shipments} | {shipment.document for shipment in shipments}
    return {name for name in names if len(name) > 3}
