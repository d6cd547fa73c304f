"""How a supplier delivered, from the facts: by quarter, the receipts behind them, and lots inspected by sample."""

from collections.abc import Collection, Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from django.db.models import Avg, DurationField, ExpressionWrapper, F, Q, QuerySet, Sum
from django.db.models.functions import TruncDate, TruncQuarter

from northing.billing.models import Bill, BillLine
from northing.claims.models import Claim
from northing.confirmations.models import Answer
from northing.drawings.lots_line import LotDot
from northing.drawings.quarters import Bar
from northing.ledger.models import CostLayer
from northing.masterdata.models import Party
from northing.quality.models import Inspection

QUARTERS = 8
ORDER = "shipment_line__instalment__line__order"
PROMISE = "shipment_line__instalment__first_promise"
# Lots that are drawn of one item.
MOST_LOTS = 60


@dataclass
class Quarter:
    """What came in a quarter, in base units, and how long answers and credit notes took; None where there were none."""

    first: date
    received: Decimal = Decimal(0)
    promised: Decimal = Decimal(0)
    on_time: Decimal = Decimal(0)
    missing: Decimal = Decimal(0)
    beyond: Decimal = Decimal(0)
    rejected: Decimal = Decimal(0)
    days_late: timedelta | None = None
    days_to_answer: timedelta | None = None
    days_to_credit: timedelta | None = None

    @property
    def name(self) -> str:
        """Its name."""
        return f"Q{(self.first.month + 2) // 3} {self.first:%y}"

    @property
    def ppm(self) -> Decimal | None:
        """Rejected units in a million that came."""
        return self.rejected * 1_000_000 / self.received if self.received else None


def quarters_of(supplier: Party, companies: Collection[int], today: date) -> list[Quarter]:
    """The last quarters of a supplier in companies (ids), the oldest first, this one with them."""
    firsts = _firsts(today)
    found = {first: Quarter(first) for first in firsts}
    layers = _layers(supplier, companies).filter(occurred_on__gte=firsts[0])
    for row in _came(layers.filter(kind=CostLayer.Kind.STOCK)):
        quarter = found[row.pop("quarter")]
        for name, value in row.items():
            setattr(quarter, name, value if name == "days_late" else value or Decimal(0))
    for first, units in _by_quarter(layers.filter(kind=CostLayer.Kind.MISSING), "occurred_on", "received"):
        found[first].missing = units
    cases = Claim.objects.filter(layer__in=layers, kind=Claim.Kind.REJECTED, withdrawn_at=None)
    for first, units in _by_quarter(cases, "layer__occurred_on", "quantity"):
        found[first].rejected = units
    for first, days in _answers(supplier, companies, firsts[0]):
        found[first].days_to_answer = days
    for first, days in _credits(supplier, companies, firsts[0]):
        found[first].days_to_credit = days
    return list(found.values())


def _firsts(today: date) -> list[date]:
    """The first days of the last quarters."""
    place = today.year * 4 + (today.month - 1) // 3
    return [date(one // 4, one % 4 * 3 + 1, 1) for one in range(place - QUARTERS + 1, place + 1)]


def _layers(supplier: Party, companies: Collection[int]) -> QuerySet[CostLayer]:
    return CostLayer.objects.filter(company__in=companies, received__gt=0, **{f"{ORDER}__supplier": supplier})


def _late() -> ExpressionWrapper:
    return ExpressionWrapper(F("occurred_on") - F(PROMISE), output_field=DurationField())


def _came(layers: QuerySet[CostLayer]) -> Iterable[dict]:
    said = Q(**{f"{PROMISE}__isnull": False})
    rows = layers.annotate(quarter=TruncQuarter("occurred_on"), late=_late()).values("quarter").order_by()
    found = rows.annotate(
        of_all=Sum("received"),
        promised=Sum("received", filter=said),
        on_time=Sum("received", filter=said & Q(occurred_on__lte=F(PROMISE))),
        beyond=Sum("receipt_line__beyond"),
        days_late=Avg("late", filter=said & Q(occurred_on__gt=F(PROMISE))),
    )
    for row in found:
        row["received"] = row.pop("of_all")
        yield row


def _by_quarter(found: QuerySet, day: str, units: str) -> Iterable[tuple[date, Decimal]]:
    rows = found.annotate(first=TruncQuarter(day)).values_list("first").order_by()
    return rows.annotate(units=Sum(units))


def _answers(supplier: Party, companies: Collection[int], since: date) -> Iterable[tuple[date, timedelta]]:
    """Days from when an order was sent until it was answered."""
    order = "revision__order__"
    found = Answer.objects.filter(
        answered_on__gte=since, **{f"{order}supplier": supplier, f"{order}company__in": companies}
    )
    took = ExpressionWrapper(F("answered_on") - TruncDate("revision__sent_at"), output_field=DurationField())
    rows = found.annotate(first=TruncQuarter("answered_on"), took=took).values_list("first").order_by()
    return rows.annotate(days=Avg("took"))


def _credits(supplier: Party, companies: Collection[int], since: date) -> Iterable[tuple[date, timedelta]]:
    """Days from when a case was opened until it was credited."""
    found = BillLine.objects.filter(case__isnull=False, bill__kind=Bill.Kind.CREDIT, bill__reversed_by=None)
    found = found.filter(bill__party=supplier, bill__company__in=companies, bill__day__gte=since)
    took = ExpressionWrapper(F("bill__day") - F("case__opened_on"), output_field=DurationField())
    rows = found.annotate(first=TruncQuarter("bill__day"), took=took).values_list("first").order_by()
    return rows.annotate(days=Avg("took"))


@dataclass(frozen=True)
class Measure:
    """A measure that is drawn: its name, what it means, its bars, and the top of its scale."""

    name: str
    means: str
    bars: list[Bar]
    most: float | None = None


def measures_of(quarters: list[Quarter]) -> list[Measure]:
    """What is drawn of the quarters."""
    return [
        Measure(
            "On time",
            "of what had a first promise",
            [_percent(one, one.on_time, one.promised) for one in quarters],
            100.0,
        ),
        Measure("Days late", "of what was late, on average", [_days(one, one.days_late) for one in quarters]),
        Measure(
            "Short", "missing, of what should have come",
            [_percent(one, one.missing, one.received + one.missing) for one in quarters],
        ),
        Measure("Over", "beyond what was on the way", [_percent(one, one.beyond, one.received) for one in quarters]),
        Measure("Rejected", "units in a million that came", [_ppm(one) for one in quarters]),
        Measure("Days to answer", "an order, on average", [_days(one, one.days_to_answer) for one in quarters]),
        Measure("Days to credit", "a case, on average", [_days(one, one.days_to_credit) for one in quarters]),
    ]  # fmt: skip


def _percent(quarter: Quarter, part: Decimal, whole: Decimal) -> Bar:
    if not whole:
        return Bar(quarter.name, None, "")
    value = float(part * 100 / whole)
    return Bar(quarter.name, value, f"{value:.1f} %" if 0 < value < 100 else f"{value:.0f} %")


def _days(quarter: Quarter, days: timedelta | None) -> Bar:
    value = None if days is None else days.total_seconds() / 86_400
    return Bar(quarter.name, value, "" if value is None else f"{value:.1f}")


def _ppm(quarter: Quarter) -> Bar:
    value = quarter.ppm
    return Bar(quarter.name, None if value is None else float(value), "" if value is None else f"{value:,.0f}")


def receipts_behind(supplier: Party, companies: Collection[int], first: date | None) -> QuerySet[CostLayer]:
    """The goods that came, the newest first, each with its days `late`; of one quarter where its first day is said."""
    found = _layers(supplier, companies).filter(kind=CostLayer.Kind.STOCK)
    if first:
        last = date(first.year + (first.month > 9), (first.month + 2) % 12 + 1, 1)
        found = found.filter(occurred_on__gte=first, occurred_on__lt=last)
    related = ("item", "receipt_line__receipt", f"{ORDER}")
    rejected = Sum("cases__quantity", filter=Q(cases__kind=Claim.Kind.REJECTED, cases__withdrawn_at=None), default=0)
    return found.select_related(*related).annotate(late=_late(), rejected=rejected).order_by("-occurred_on", "-pk")


@dataclass(frozen=True)
class LotsOf:
    """The lots of an item that were inspected by a sample, the oldest first, with the limit of the last one."""

    item: str
    aql: float
    lots: list[LotDot]


def lots_of(supplier: Party, companies: Collection[int]) -> list[LotsOf]:
    """By item, how the samples of a supplier's lots came out."""
    order = "layer__shipment_line__instalment__line__order__"
    found = Inspection.objects.filter(sample__gt=0, aql__isnull=False, reversed_by=None, company__in=companies)
    found = found.filter(**{f"{order}supplier": supplier}).select_related("layer__item").order_by("layer__item", "pk")
    by_item: dict[str, list[Inspection]] = {}
    for one in found:
        by_item.setdefault(one.layer.item.code, []).append(one)
    return [
        LotsOf(item, float(lots[-1].aql or 0), [_dot(one) for one in lots[-MOST_LOTS:]])
        for item, lots in by_item.items()
    ]


def _dot(one: Inspection) -> LotDot:
    wrong, sample = one.critical + one.major, one.sample or 1
    verdict = "accepted" if one.accepted else "rejected"
    says = f"{one.occurred_on:%-d %b %Y}: {wrong} of {sample} not right, {verdict}, {one.state} inspection"
    return LotDot(wrong * 100 / sample, bool(one.accepted), one.state, says)
