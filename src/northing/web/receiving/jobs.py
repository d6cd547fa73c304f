"""Jobs of the dock: files that take longer than a page may."""

from collections.abc import Iterator
from datetime import date
from decimal import Decimal
from typing import Any

from django.http import QueryDict

from northing.formats.sheets import write_sheet
from northing.jobs.jobs import Run
from northing.reports.dock_day import delivery_rows
from northing.reports.dock_sheet import dock_sheet
from northing.reports.receipt_lines import COLUMNS, file_rows
from northing.web.receiving.asked import of_request, sites_of
from northing.web.receiving.forms.asked import AskedForm, asked_lines

# Deliveries of one sheet; it says itself of how many lines there was no room.
SHEET_ROWS = 400
TELL_EVERY = 2_000
WIDTH = 14


def receipts_xlsx(run: Run) -> None:
    """Lines of receipts as a workbook."""
    lines = asked_lines(AskedForm(QueryDict(run.request["query"]), run.job.person), run.job.person)
    names = [name.replace("_", " ") for name in COLUMNS]
    write_sheet(run.file(".xlsx"), names, _counted(run, file_rows(lines)), [WIDTH] * len(names))
    run.count(run.job.total)


def _counted(run: Run, rows: Iterator[dict[str, Any]]) -> Iterator[list[Any]]:
    for number, row in enumerate(rows, 1):
        if number % TELL_EVERY == 0:
            run.count(min(number, run.job.total))
        yield [value.normalize() if isinstance(value, Decimal) else value for value in row.values()]


def sheet(run: Run) -> None:
    """The dock's sheet."""
    today, asked = date.fromisoformat(run.request["today"]), of_request(run.request)
    deliveries = asked.of(sites_of(run.job.person), today)
    rows = delivery_rows(deliveries, today, 0, SHEET_ROWS)
    run.file(".pdf").write_bytes(dock_sheet(rows, asked.title(today), deliveries.count() - len(rows)))
    run.count(run.job.total)
