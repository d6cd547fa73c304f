"""Jobs of the desk: files that take longer than a page may."""

from datetime import date

from django.http import QueryDict

from northing.access.permissions import companies_of
from northing.formats.sheets import write_sheet
from northing.jobs.jobs import Run
from northing.reports.line_book import export
from northing.reports.line_book.asked import asked_from
from northing.reports.line_book.where import where

TELL_EVERY = 2_000


def lines_xlsx(run: Run) -> None:
    """The line book as a workbook."""
    today = date.fromisoformat(run.request["today"])
    asked = asked_from(QueryDict(run.request["query"].lstrip("?")), today)
    found = where(asked.clauses, companies_of(run.job.person), today, run.request["picks"])
    names, widths = export.heading(asked, today)
    write_sheet(run.file(".xlsx"), names, _counted(run, export.file_rows(asked, found, today)), widths)
    run.count(run.job.total)


def _counted(run: Run, rows):
    for number, row in enumerate(rows, 1):
        if number % TELL_EVERY == 0:
            run.count(min(number, run.job.total))
        yield row
