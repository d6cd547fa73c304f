"""`./northing bench`: medians, both sides in turn in one run, ratios on the last lines."""

import argparse
import json
import os
import platform
import random
from decimal import Decimal as D

import django

django.setup()

import psycopg  # noqa: E402
from django.db import connection, transaction  # noqa: E402
from tests.worlds import NOW, TODAY, World, small_world  # noqa: E402

from bench import book, files, pages, passage  # noqa: E402
from bench.bulk import fill, fill_lines, spread_out  # noqa: E402
from bench.timing import address, execute, measured, side_by_side, told, undone  # noqa: E402
from northing.actions.receiving import receive as receiving  # noqa: E402
from northing.actions.shipping import milestones, pack  # noqa: E402
from northing.core.money.spread import spread, whole_weights  # noqa: E402
from northing.formats.identifiers import with_container_check_digit  # noqa: E402
from northing.masterdata.models import Item  # noqa: E402
from northing.orders.models import Instalment, PurchaseOrder  # noqa: E402
from northing.shipping.models import Leg, ShipmentLine  # noqa: E402
from northing.shipping.operations import LegPlan  # noqa: E402


def copied(suffix: str) -> str:
    """A copy of the bench's database as it is now; its connection string."""
    name = connection.settings_dict["NAME"]
    connection.close()
    connection.close_pool()
    with psycopg.connect(address("postgres"), autocommit=True) as admin:
        admin.execute(f"create database {name}_{suffix} template {name}")
    return address(f"{name}_{suffix}")


def packed_shipment(world: World, parts: int) -> tuple[int, int]:
    """A shipment with so many instalments in one container."""
    act = world.act("shipping")
    key = pack.create_shipment(act, pack.ShipmentRequest())
    number = with_container_check_digit(f"QXNU3{key:05d}"[:10])
    box = pack.add_container(act, pack.ContainerRequest(key, number, "45G1"))
    pack.plan_passage(act, pack.PassageRequest(key, None, (LegPlan("sea", "a", "b", TODAY, TODAY, True),)))
    found = Instalment.objects.filter(position__with_supplier__gt=0).order_by("pk")[:parts]
    pack.stow(act, pack.StowRequest(box, tuple((part.pk, part.quantity) for part in found)))
    return key, box


def receive(world: World, lines: int) -> tuple[float, float]:
    """Receiving a container against executemany of the same rows in one plain transaction."""
    key, box = packed_shipment(world, lines)
    leg = Leg.objects.get(shipment=key)
    milestones.say_date(world.act("shipping"), milestones.DateRequest(leg.pk, "departure", "actual", TODAY))
    rows = tuple(receiving.ReceiveRow(part.pk, part.quantity) for part in ShipmentLine.objects.filter(container=box))
    request = receiving.ReceiveRequest(box, world.site.pk, "DN", TODAY, rows)
    tables = written_rows(world, request)
    return side_by_side(
        undone(lambda: receiving.receive(world.act("dock"), request)), undone(lambda: again(tables)), 11
    )


WRITTEN = [
    "activity_historyentry",
    "activity_historylink",
    "ledger_entry",
    "receiving_receipt",
    "receiving_receiptline",
    "positions_movement",
    "ledger_costlayer",
    "inventory_onhand",
    "ledger_layercost",
    "ledger_posting",
]


def written_rows(world: World, request) -> dict[str, tuple[list[str], list[tuple]]]:
    """Return what one receipt inserts, table by table, as plain rows."""
    before = {table: execute(f"select coalesce(max(id), 0) from {table}")[0][0] for table in WRITTEN}
    found = {}
    with transaction.atomic():
        receiving.receive(world.act("dock"), request)
        for table in WRITTEN:
            with connection.cursor() as cursor:
                cursor.execute(f"select * from {table} where id > %s", [before[table]])
                found[table] = ([column.name for column in cursor.description], cursor.fetchall())
        touched = execute(
            "select s.accounted, s.id, s.instalment_id from shipping_shipmentline s where s.container_id = %s",
            [request.container],
        )
        transaction.set_rollback(True)
    return found | {"touched": ([], touched)}


def again(tables) -> None:
    """The same rows, by executemany, and the same updates of shipment lines and positions."""
    with connection.cursor() as cursor:
        # Row by row no entry balances before its last posting; only this side goes without the guard.
        cursor.execute("alter table ledger_posting disable trigger balanced")
        for table, (names, rows) in tables.items():
            if not names:
                continue
            marks = ", ".join("%s" for _ in names)
            plain = [
                tuple(json.dumps(cell) if isinstance(cell, (list, dict)) else cell for cell in row) for row in rows
            ]
            cursor.executemany(f"insert into {table} ({', '.join(names)}) values ({marks})", plain)
        touched = tables["touched"][1]
        cursor.executemany(
            "update shipping_shipmentline set accounted = %s where id = %s", [row[:2] for row in touched]
        )
        cursor.executemany(
            "update positions_position set in_store = in_store + under_way, under_way = 0 where instalment_id = %s",
            [row[2:] for row in touched],
        )


def depart(world: World, parts: int, ours_from: str) -> tuple[float, float]:
    """Departure of so many instalments against one bare UPDATE of as many rows.

    Goods that become ours on board also get their value and two postings each; with the others it is the move alone.
    """
    PurchaseOrder.objects.update(ours_from=ours_from)
    key, box = packed_shipment(world, parts)
    leg = Leg.objects.get(shipment=key)
    request = milestones.DateRequest(leg.pk, "departure", "actual", TODAY)
    instalments = list(ShipmentLine.objects.filter(container=box).values_list("instalment", flat=True))
    bare = "update positions_position set under_way = packed, packed = 0 where instalment_id = any(%s)"
    return side_by_side(
        undone(lambda: milestones.say_date(world.act("shipping"), request)),
        undone(lambda: execute(bare, [instalments])),
        7,
    )


def exact_spread(lines: int, charges: int) -> tuple[float, float]:
    """Exact shares against the same loop in plain floats without rounding."""
    chance = random.Random(7)
    weights = [[D(chance.randrange(1, 10**7)).scaleb(-3) for _ in range(lines)] for _ in range(charges)]
    whole = [whole_weights(column) for column in weights]
    floats = [[float(weight) for weight in column] for column in weights]
    amounts = [chance.randrange(10**5, 10**9) for _ in range(charges)]

    def ours():
        return [spread(amount, column) for amount, column in zip(amounts, whole, strict=True)]

    def lean():
        shares = []
        for amount, column in zip(amounts, floats, strict=True):
            total = sum(column)
            shares.append([amount * weight / total for weight in column])
        return shares

    return side_by_side(ours, lean)


def main() -> None:
    parser = argparse.ArgumentParser(prog="./northing bench")
    parser.add_argument("--lines", type=int, default=100_000, help="order lines; 1,000,000 takes a quarter of an hour")
    parser.add_argument("--rows", type=int, default=100_000, help="rows of the order file")
    parser.add_argument("--passage", action="store_true", help="only the passage, on 30,000 lines")
    parser.add_argument("--pages", action="store_true", help="only the pages, with one shipment to ten lines")
    asked = parser.parse_args()
    lines, few = asked.lines, max(asked.lines // 100, 10_000)
    told(f"{platform.platform()}, {os.cpu_count()} cores, Python {platform.python_version()}")
    told(execute("select version()")[0][0])
    world = small_world()
    Item.objects.update(inspected=False)
    spread_out(world)
    if asked.passage:
        fill_lines(world, 30_000)
        print("\n".join(passage.everything(world)))
        return
    if asked.pages:
        fill_lines(world, lines)
        fill(world, lines // 10)
        execute("analyze")
        print(f"{lines:,} order lines, {lines // 10:,} shipments")
        print("\n".join(pages.everything(world)))
        return
    results = [measured("exact spread 10,000 x 20 / plain floats", exact_spread(10_000, 20), 4)]
    results += files.taken(world, asked.rows)
    fill_lines(world, few)
    small = copied("small")
    results.append(measured(f"line book page at {few:,} lines / leanest view", book.page(), 2))
    fill_lines(world, max(lines - few, 1))
    results.append(measured(f"line book page at {lines:,} lines / leanest view", book.page(), 2))
    results += book.flat(small, few, lines)
    results += book.sums(lines)
    results.append(book.workbook())
    results.append(book.file(lines))
    results.append(measured("receive 200 lines / executemany", receive(world, 200), 4))
    results.append(measured("departure of 5,000, not ours yet / bare UPDATE", depart(world, 5_000, "receipt"), 4))
    results.append(measured("departure of 5,000, ours on board / bare UPDATE", depart(world, 5_000, "on_board"), 4))
    results += passage.everything(world)
    print(f"\n{lines:,} order lines; medians in milliseconds, ours and the leanest ({NOW:%Y-%m-%d} world)")
    print("\n".join(results))


main()
