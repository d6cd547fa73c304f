"""Order files: read, judged and taken, against COPY of the same file."""

import csv
import io
import tempfile
from pathlib import Path

from django.conf import settings
from django.db import connection, transaction
from tests.worlds import TODAY, World

from bench.timing import clocked, told
from northing.actions.orders import import_file
from northing.masterdata.models import Party
from northing.orders.models import OrderFile, OrderLine

HEADER = ["order", "company", "supplier", "site", "item", "quantity", "need_by"]


def orders_file(world: World, rows: int) -> bytes:
    """Orders of ten lines each."""
    supplier = Party.objects.get(pk=world.parties["USD"].pk).code
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(HEADER)
    for n in range(rows):
        day = TODAY.replace(year=TODAY.year + 1).isoformat()
        writer.writerow([f"F-{n // 10}", "KLN", supplier, "TRG", f"BI-{n * 7 % 2000:05d}", n % 90 + 1, day])
    return out.getvalue().encode()


def taken(world: World, rows: int) -> list[str]:
    """Rows a second for reading with judging, for taking, and in all; the ratio to COPY."""
    settings.FILES = tempfile.mkdtemp(prefix="northing-bench-")
    content, act = orders_file(world, rows), world.act("expediter")
    key = import_file.enter(act, import_file.FileRequest("bench.csv", import_file.keep([content])))
    file = OrderFile.objects.get(pk=key)
    lines = OrderLine.objects.count()
    read = clocked(lambda: import_file.read_file(act, file))
    took = clocked(lambda: import_file.take_file(act, file))
    assert OrderLine.objects.count() == lines + rows, "not every row was taken"
    copied = copy(content)
    whole = read + took
    verdict = "met" if rows / whole >= 2_000 else "MISSED"
    return [
        told(f"reading and judging {rows:,} rows: {read:.1f} s, {rows / read:,.0f} rows/s"),
        told(f"taking them as {rows // 10:,} orders: {took:.1f} s, {rows / took:,.0f} rows/s"),
        told(f"in all {whole:.1f} s, {rows / whole:,.0f} rows/s, aim 2,000: {verdict}"),
        told(f"COPY of the same file into one table: {copied:.2f} s; {whole / copied:.0f} times that"),
    ]


def copy(content: bytes) -> float:
    """Seconds that COPY takes for the same file."""
    path = Path(settings.FILES) / "copied.csv"
    path.write_bytes(content)
    columns = ", ".join(f'"{name}" text' for name in HEADER)

    def work():
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.execute(f"create temp table copied ({columns}) on commit drop")
            with cursor.copy("copy copied from stdin (format csv, header)") as into, path.open("rb") as source:
                while block := source.read(1 << 16):
                    into.write(block)

    return clocked(work)
