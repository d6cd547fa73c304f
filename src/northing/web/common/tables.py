"""A table as a file that is sent while its rows are read."""

from collections.abc import Iterable, Iterator, Mapping
from decimal import Decimal
from typing import Any

from django.http import StreamingHttpResponse

from northing.core.money.exact import plain
from northing.formats.tables import csv_line


def csv_file(name: str, columns: Iterable[str], rows: Iterable[Mapping[str, Any]]) -> StreamingHttpResponse:
    """The rows as a CSV file of that name, its columns on top; numbers without trailing zeros."""
    answer = StreamingHttpResponse(_lines(columns, rows), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


def _lines(columns: Iterable[str], rows: Iterable[Mapping[str, Any]]) -> Iterator[str]:
    yield "\ufeff" + csv_line(columns)
    for row in rows:
        yield csv_line(plain(value) if isinstance(value, Decimal) else value for value in row.values())
