"""Reads of cases: units that are rejected and have no end yet."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from django.db.models import F, Q, QuerySet, Sum
from django.db.models.functions import Coalesce

from northing.claims.models import Authorisation, Claim, ClaimAmount, GoodsReturn, Replacement, ReturnLine
from northing.ledger.models import LayerTake
from northing.masterdata.queries import claim_deadlines


def rejected_units(lines: Iterable[int]) -> dict[int, Decimal]:
    """By order line (id), units that are rejected and still here; lines without any are left out."""
    line = "layer__shipment_line__instalment__line"
    found = Claim.objects.filter(kind=Claim.Kind.REJECTED, withdrawn_at=None, **{f"{line}__in": list(lines)})
    rows = found.filter(ended__lt=F("quantity")).values_list(line).order_by()
    return dict(rows.annotate(units=Sum(F("quantity") - F("ended"))))


def deadlines_of(cases: Sequence[Claim]) -> dict[int, tuple[date | None, date | None]]:
    """By case (id), the days by which notice is given and the claim made: by who owes it and how the goods travelled.

    Cases come with their order and with whom they are against.
    """
    found = {case.pk: (case.against, case.line.order.mode if case.line else "") for case in cases}
    days = claim_deadlines(list(found.values()))
    made = {}
    for case in cases:
        party, mode = found[case.pk]
        lengths = days[party.pk, mode].notice, days[party.pk, mode].claim
        notice, claim = (None if one is None else case.opened_on + timedelta(days=one) for one in lengths)
        made[case.pk] = notice, claim
    return made


@dataclass
class Owed:
    """Of a line: units that may go back and are here, and units owed in the place of such, not ordered yet."""

    may_go_back: Decimal = Decimal(0)
    in_their_place: Decimal = Decimal(0)


def owed_of(lines: Iterable[int]) -> dict[int, Owed]:
    """By order line (id) what its supplier authorised; lines without any are left out."""
    at, found = "case__layer__shipment_line__instalment__line", {}
    said = Authorisation.objects.filter(**{f"{at}__in": list(lines)}, reversed_by=None, case__withdrawn_at=None)
    here = said.filter(returned__lt=F("quantity")).values_list(at).order_by()
    for line, units in here.annotate(units=Sum(F("quantity") - F("returned"))):
        found[line] = Owed(may_go_back=units)
    for one in replacements_owed(said):
        line = one.case.layer.shipment_line.instalment.line_id
        found.setdefault(line, Owed()).in_their_place += one.to_order
    return found


def authorisation_of(case: int, reference: str) -> Authorisation | None:
    """What the supplier authorised of a case (id) under a reference, and what stands."""
    return Authorisation.objects.filter(case=case, reference__iexact=reference.strip(), reversed_by=None).first()


def authorisations_of(cases: Iterable[int], references: Iterable[str]) -> dict[tuple[int, str], Authorisation]:
    """`authorisation_of` for many: by case (id) and reference in small letters."""
    words = {one.strip().lower() for one in references}
    found = Authorisation.objects.filter(case__in=list(cases), reversed_by=None).order_by("-pk")
    keyed = {(said.case_id, said.reference.lower()): said for said in found}
    return {key: said for key, said in keyed.items() if key[1] in words}


def standing_by_layer(layers: Iterable[int]) -> dict[int, Decimal]:
    """By layer (id), units that stand by for returns that are prepared."""
    found = ReturnLine.objects.filter(goods_return__despatched_at=None, goods_return__cancelled_at=None)
    rows = found.filter(authorisation__case__layer__in=list(layers)).values_list("authorisation__case__layer")
    return dict(rows.order_by().annotate(units=Sum("quantity")))


def prepared_returns(case: int) -> dict[int, GoodsReturn]:
    """By authorisation (id) of a case (id), the prepared return that its units wait for."""
    lines = ReturnLine.objects.filter(authorisation__case=case, goods_return__despatched_at=None)
    lines = lines.filter(goods_return__cancelled_at=None).select_related("goods_return").order_by("pk")
    return {line.authorisation_id: line.goods_return for line in lines}


def numbers_standing_by(layer: int) -> set[str]:
    """The serial numbers of units of a layer (id) that stand by for returns that are prepared."""
    found = ReturnLine.objects.filter(goods_return__despatched_at=None, goods_return__cancelled_at=None)
    lines = found.filter(authorisation__case__layer=layer).values_list("serials", flat=True)
    return {number for said in lines for number in said.splitlines()}


def standing_by(authorisation: int) -> Decimal:
    """How many units of an authorisation (id) stand by for returns that are prepared."""
    found = ReturnLine.objects.filter(authorisation=authorisation, goods_return__despatched_at=None)
    return found.filter(goods_return__cancelled_at=None).aggregate(u=Sum("quantity"))["u"] or Decimal(0)


def standing_by_of(cases: Iterable[int]) -> dict[int, Decimal]:
    """By authorisation (id) of cases (ids), units that stand by for returns that are prepared."""
    found = ReturnLine.objects.filter(authorisation__case__in=list(cases), goods_return__despatched_at=None)
    rows = found.filter(goods_return__cancelled_at=None).values_list("authorisation").order_by()
    return dict(rows.annotate(units=Sum("quantity")))


def open_claims(cases: Iterable[int]) -> dict[tuple[int, int, str], tuple[Decimal, Decimal]]:
    """What is claimed and not settled, by case, who owes (ids) and currency: the amount, and in base."""
    rows = ClaimAmount.objects.filter(case__in=list(cases)).values_list("case", "party", "currency").order_by()
    sums = rows.annotate(a=Sum("amount"), b=Sum("base"))
    return {(case, party, currency): (amount, base) for case, party, currency, amount, base in sums if amount or base}


def given_up_units(case: Claim) -> Decimal:
    """Units of a case of missing goods whose price is neither claimed nor owed: they were not billed."""
    takes = LayerTake.objects.filter(layer=case.layer, reason=LayerTake.Reason.MISSING, claimed=False)
    return takes.aggregate(u=Sum("quantity"))["u"] or Decimal(0)


def replacements_owed(authorisations: QuerySet[Authorisation]) -> list[Authorisation]:
    """Those of which units are owed as a replacement and not ordered yet; `to_order` says how many.

    Of an order that is cancelled, nothing comes.
    """
    comes = Sum("replacements__quantity", filter=Q(replacements__order_line__order__cancelled_at=None))
    found = authorisations.filter(
        owed=Authorisation.Owed.REPLACEMENT, reversed_by=None, rest_credited=False, case__withdrawn_at=None
    )
    found = found.annotate(to_order=F("quantity") - Coalesce(comes, Decimal(0))).filter(to_order__gt=0)
    related = (
        "case__layer__item",
        "case__supplier",
        "case__company",
        "case__layer__shipment_line__instalment__line__order",
    )
    return list(found.select_related(*related).order_by("case__supplier", "case__layer__item", "pk"))


def replacements_of(case: int) -> list[Replacement]:
    """The order lines that replace units of a case (id), with how many of each line have come."""
    found = Replacement.objects.filter(authorisation__case=case).select_related("order_line__order", "authorisation")
    return list(found.order_by("pk"))


@dataclass
class Coming:
    """Of a case: units that are ordered in the place of failed ones and have not come, on which orders, by when."""

    units: Decimal = Decimal(0)
    orders: str = ""
    due: date | None = None


def coming_in_their_place(cases: Iterable[int]) -> dict[int, Coming]:
    """By case (id) what is ordered anew and has not come; the last allotments of a line wait the longest."""
    wanted = set(cases)
    lines = Replacement.objects.filter(authorisation__case__in=wanted).values("order_line")
    rows = Replacement.objects.filter(order_line__in=lines, order_line__order__cancelled_at=None)
    left: dict[int, Decimal] = {}
    found: dict[int, Coming] = {}
    related = ("order_line__order", "order_line__summary", "authorisation")
    for row in rows.select_related(*related).order_by("-pk"):
        line, case = row.order_line, row.authorisation.case_id
        summary = getattr(line, "summary", None)
        # Of a draft nothing has come.
        rest = left.get(line.pk, summary.outstanding if summary else line.quantity)
        units = max(min(row.quantity, rest), Decimal(0))
        left[line.pk] = rest - units
        if units and case in wanted:
            one = found.setdefault(case, Coming())
            one.units += units
            one.orders = ", ".join(dict.fromkeys([*filter(None, one.orders.split(", ")), line.order.number]))
            one.due = min(filter(None, (one.due, line.need_by)))
    return found


def cases_replaced_on(lines: Iterable[int]) -> list[int]:
    """Cases (ids) whose units order lines (ids) replace."""
    found = Replacement.objects.filter(order_line__in=list(lines)).values_list("authorisation__case", flat=True)
    return list(found.distinct())


def cases_replaced_by(order: int) -> list[int]:
    """Cases (ids) whose units an order (id) replaces."""
    found = Replacement.objects.filter(order_line__order=order).values_list("authorisation__case", flat=True)
    return list(found.distinct())
