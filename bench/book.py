"""The line book: its page against the leanest, its SQL as lines grow, subtotals and counts, its file."""

import itertools
import json
import resource
import statistics
import tempfile
from pathlib import Path

import psycopg
from django.db import connection
from django.http import QueryDict
from django.template import Context, Engine
from django.test import Client
from tests.worlds import TODAY

from bench.timing import address, clocked, execute, side_by_side, told
from northing.access.models import Person
from northing.formats.sheets import write_sheet
from northing.masterdata.models import Company
from northing.reports.line_book import export
from northing.reports.line_book.asked import asked_from
from northing.reports.line_book.rows import page_sql, subtotals, totals
from northing.reports.line_book.where import where

# What an index can serve: a question of each kind that people sort and filter by.
QUESTIONS = {
    "open, by need-by": "where=open",
    "open, by expected": "where=open&sort=expected_on",
    "open, dearest first": "where=open&sort=-value",
    "our move, longest wait first": "where=our+move&sort=since",
    "from one supplier": "where=from+%22Bulk+Supplier+007%22",
    "of one item": "where=of+BI-00042",
    "late against need-by": "where=late",
    "expected next 14 days": "where=expected+next+14+days&sort=expected_on",
}


def companies() -> set[int]:
    """All of them."""
    return set(Company.objects.values_list("pk", flat=True))


def statement(query: str) -> tuple[str, dict]:
    """The page's SQL of a question."""
    asked = asked_from(QueryDict(query), TODAY)
    return page_sql(asked, where(asked.clauses, companies(), TODAY))


def page() -> tuple[float, float]:
    """The page against the same SQL through a raw cursor into one plain template loop over the same columns."""
    client = Client(headers={"host": "localhost"})
    client.force_login(Person.objects.get(username="expediter"))
    query = "where=open"
    sql, values = statement(query)
    with connection.cursor() as cursor:
        cursor.execute(sql, values)
        names = [column.name for column in cursor.description]
    shown = [place for place, name in enumerate(names) if name.startswith("col_") or name == "order_number"]
    cells = "".join(f"<td>{{{{ row.{place} }}}}</td>" for place in shown)
    loop = f"<!doctype html><table>{{% for row in rows %}}<tr>{cells}</tr>{{% endfor %}}</table>"
    template = Engine().from_string(loop)

    def ours():
        assert client.get(f"/orders/lines/?{query}").status_code == 200

    def lean():
        template.render(Context({"rows": execute(sql, values)[:100]})).encode()

    return side_by_side(ours, lean, 25)


def flat(few_at: str, few: int, many: int) -> list[str]:
    """Each question here (`many` lines) and in the copy made when there were `few`: milliseconds and buffers."""
    lines = []
    here = address(connection.settings_dict["NAME"])
    with psycopg.connect(here, autocommit=True) as big, psycopg.connect(few_at, autocommit=True) as small:
        for name, query in QUESTIONS.items():
            sql, values = statement(query)
            ours, lean = side_by_side(
                lambda sql=sql, values=values: big.execute(sql, values).fetchall(),
                lambda sql=sql, values=values: small.execute(sql, values).fetchall(),
                21,
            )
            buffers = [touched(which, sql, values) for which in (big, small)]
            ratio, pages = ours / lean, buffers[0] / max(buffers[1], 1)
            verdict = "met" if ratio <= 1.3 and pages <= 1.5 else "MISSED"
            lines.append(
                told(
                    f"{name:<32}{few:>9,} to {many:<10,}{lean * 1000:>8.1f}{ours * 1000:>8.1f}{ratio:>7.2f}"
                    f"{buffers[1]:>8}{buffers[0]:>8}{pages:>7.2f}  {verdict}"
                )
            )
    return lines


def touched(database: psycopg.Connection, sql: str, values: dict) -> int:
    """Pages of the database that the statement looks at."""
    found = database.execute(f"explain (analyze, buffers, format json) {sql}", values).fetchone()[0]
    plan = (json.loads(found) if isinstance(found, str) else found)[0]["Plan"]
    return plan["Shared Hit Blocks"] + plan["Shared Read Blocks"]


def sums(many: int) -> list[str]:
    """Subtotals of each kind and the totals, in seconds; the aim is a second."""
    found, mine = [], companies()
    for group in ("supplier", "item", "order", "site", "port", "week"):
        asked = asked_from(QueryDict(f"where=open&group={group}"), TODAY)
        here = where(asked.clauses, mine, TODAY)
        seconds = statistics.median(clocked(lambda a=asked, w=here: subtotals(a, w, TODAY)) for _ in range(5))
        found.append(told(f"subtotals by {group:<20}{many:>12,}{seconds:>8.2f} s  aim 1  {verdict(seconds)}"))
    here = where(asked_from(QueryDict("where=open"), TODAY).clauses, mine, TODAY)
    seconds = statistics.median(clocked(lambda: totals(here)) for _ in range(5))
    return [*found, told(f"totals of all open lines {many:>20,}{seconds:>8.2f} s  aim 1  {verdict(seconds)}")]


def verdict(seconds: float) -> str:
    """Within a second or not."""
    return "met" if seconds <= 1 else "MISSED"


def workbook(most: int = 200_000) -> str:
    """The same as a workbook, of so many lines at most."""
    asked = asked_from(QueryDict("where=all"), TODAY)
    here = where(asked.clauses, companies(), TODAY)
    names, widths = export.heading(asked, TODAY)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    path, written = Path(tempfile.mkdtemp()) / "lines.xlsx", [0]

    def work():
        rows = itertools.islice(export.file_rows(asked, here, TODAY), most)
        written[0] = write_sheet(path, names, rows, widths)

    seconds = clocked(work)
    grew = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    size = path.stat().st_size / 1e6
    path.unlink()
    return told(
        f"XLSX of {written[0]:,} rows, {size:.0f} MB: {seconds:.1f} s, {written[0] / seconds:,.0f} rows/s,"
        f" grew by {grew:.0f} MB"
    )


def file(lines: int) -> str:
    """The CSV of so many lines: rows a second, and by how much the process grew."""
    asked = asked_from(QueryDict("where=all"), TODAY)
    here = where(asked.clauses, companies(), TODAY)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    written = [0, 0]

    def work():
        for line in export.csv_lines(asked, here, TODAY):
            written[0] += 1
            written[1] += len(line)

    seconds = clocked(work)
    grew = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    return told(
        f"CSV of {written[0]:,} rows, {written[1] / 1e6:.0f} MB: {seconds:.1f} s, {written[0] / seconds:,.0f} rows/s,"
        f" grew by {grew:.0f} MB"
    )
