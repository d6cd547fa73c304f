"""The shipments whose goods a sentence asks for: what board and chart draw."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date

from django.db.models import QuerySet

from northing.access.models import Person
from northing.access.permissions import companies_of
from northing.core.orders.sentence import read_sentence, say
from northing.reports.line_book.where import where
from northing.shipping.models import Shipment, ShipmentLine
from northing.shipping.queries import visible_shipments
from northing.worklist.models import ExpectedDelivery, LineSummary

MOST_LINES = 50_000


@dataclass(frozen=True)
class Asked:
    """Shipments, the sentence as it was understood (empty: all), and what was not understood of it."""

    shipments: QuerySet[Shipment]
    said: str = ""
    unknown: list[str] = field(default_factory=list)


def shipments_asked(person: Person, text: str, today: date, *, to_come: bool = False) -> Asked:
    """The shipments a person may see with goods of the lines aboard that a sentence of the line book finds.

    With `to_come` only those with goods that the dock has not all.
    """
    clauses = read_sentence(text, today)
    if to_come:
        expected = ExpectedDelivery.objects.filter(company__in=companies_of(person), container__isnull=False)
        shipments = Shipment.objects.filter(pk__in=expected.values("container__shipment"))
    else:
        shipments = visible_shipments(person, whole=True)
    if not clauses:
        return Asked(shipments)
    asked = where(clauses, companies_of(person), today)
    table = LineSummary._meta.db_table
    sql = f"select b.line_id from {table} b where {asked.text()} limit {MOST_LINES}"
    lines = [row.pk for row in LineSummary.objects.raw(sql, asked.values)]
    return Asked(_with_lines(shipments, lines), say(clauses), list(asked.unknown.values()))


def _with_lines(shipments: QuerySet[Shipment], lines: Iterable[int]) -> QuerySet[Shipment]:
    aboard = ShipmentLine.objects.filter(instalment__line__in=list(lines)).values("container__shipment")
    return shipments.filter(pk__in=aboard)
