"""A table as a file that is sent while its rows are read."""

import tempfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse

from northing.core.money.exact import plain
from northing.formats.sheets import write_sheet
from northing.formats.tables import csv_line
from northing.web.common.answers import file_answer

WIDTH = 14


def csv_file(name: str, columns: Iterable[str], rows: Iterable[Mapping[str, Any]]) -> StreamingHttpResponse:
    """The rows as a CSV file of that name, its columns on top; numbers without trailing zeros."""
    answer = StreamingHttpResponse(_lines(columns, rows), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


def asked_kind(request: HttpRequest) -> str:
    """The kind of file that is asked for: csv, xlsx, or empty for the page."""
    kind = request.GET.get("as", "")
    return kind if kind in ("csv", "xlsx") else ""


def table_file(
    name: str, kind: str, columns: Sequence[str], rows: Iterable[Sequence[Any]]
) -> StreamingHttpResponse | HttpResponse:
    """The rows as a file of that name: a CSV, or a workbook of one sheet."""
    if kind == "csv":
        return csv_file(f"{name}.csv", columns, (dict(zip(columns, row, strict=True)) for row in rows))
    with tempfile.NamedTemporaryFile(suffix=".xlsx") as file:
        write_sheet(Path(file.name), columns, rows, [WIDTH] * len(columns))
        return file_answer(file.read(), f"{name}.xlsx")


def _lines(columns: Iterable[str], rows: Iterable[Mapping[str, Any]]) -> Iterator[str]:
    yield "\ufeff" + csv_line(columns)
    for row in rows:
        yield csv_line(plain(value) if isinstance(value, Decimal) else value for value in row.values())
