"""`./northing bench`: medians, both sides in turn in one run, ratios on the last lines."""

import argparse
import json
import os
import platform
import random
import statistics
import time
from decimal import Decimal as D

import django

django.setup()

import psycopg  # noqa: E402
from django.db import connection, transaction  # noqa: E402
from django.template import Context, Engine  # noqa: E402
from django.test import Client  # noqa: E402
from psycopg.conninfo import make_conninfo  # noqa: E402

from northing.core.spread import spread, whole_weights  # noqa: E402
from northing.deeds import following, packing, receiving  # noqa: E402
from northing.desk.queries.lines import LineFilter, page_sql  # noqa: E402
from northing.directory.models import Item, Person  # noqa: E402
from northing.formats.identifiers import with_container_check_digit  # noqa: E402
from northing.orders.models import Instalment, PurchaseOrder  # noqa: E402
from northing.shipping.models import Leg, Stowage  # noqa: E402
from northing.shipping.operations import LegPlan  # noqa: E402
from tests.bulk import fill_lines  # noqa: E402
from tests.factories import NOW, TODAY, World, small_world  # noqa: E402

# What the page prints of a line, as it comes from the database; the page itself also draws the strip.
SHOWN = "order_number,number,code,description,supplier,quantity,unit,value,currency,need_by,expected_on,party"


def clocked(work) -> float:
    """Seconds that `work` takes."""
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def side_by_side(ours, lean, rounds=15) -> tuple[float, float]:
    """Medians of both, taken in turn so that a busy moment hits both."""
    ours(), lean()
    pairs = [(clocked(ours), clocked(lean)) for _ in range(rounds)]
    return statistics.median(a for a, _ in pairs), statistics.median(b for _, b in pairs)


def undone(work):
    """`work` inside a transaction that is rolled back; only the work is timed, by whoever calls `clocked`."""

    def run():
        with transaction.atomic():
            work()
            # What a commit would check: foreign keys and the balance of entries.
            execute("set constraints all immediate")
            transaction.set_rollback(True)

    return run


def execute(sql, values=None):
    with connection.cursor() as cursor:
        cursor.execute(sql, values)
        return cursor.fetchall() if cursor.description else []


def page(world: World) -> tuple[float, float]:
    """The order-lines page against the same SQL through a raw cursor into one plain template loop."""
    client = Client(headers={"host": "localhost"})
    client.force_login(Person.objects.get(username="expediter"))
    sql, values = page_sql(LineFilter(), {world.nz.pk, world.au.pk}, TODAY)
    template = Engine().from_string(lean_template(sql, values))

    def ours():
        assert client.get("/lines/").status_code == 200

    def lean():
        template.render(Context({"rows": execute(sql, values)[:100]})).encode()

    return side_by_side(ours, lean, 25)


def lean_template(sql: str, values: dict) -> str:
    """One plain loop over the columns that the page shows."""
    with connection.cursor() as cursor:
        cursor.execute(sql, values)
        places = [column.name for column in cursor.description]
    cells = "".join(f"<td>{{{{ row.{places.index(name)} }}}}</td>" for name in SHOWN.split(","))
    return f"<!doctype html><table>{{% for row in rows %}}<tr>{cells}</tr>{{% endfor %}}</table>"


def copied(suffix: str) -> str:
    """A copy of the bench's database as it is now; its connection string."""
    name = connection.settings_dict["NAME"]
    connection.close()
    connection.close_pool()
    with psycopg.connect(address("postgres"), autocommit=True) as admin:
        admin.execute(f"create database {name}_{suffix} template {name}")
    return address(f"{name}_{suffix}")


def address(database: str) -> str:
    """The connection string of a database beside the bench's."""
    given = connection.settings_dict
    where = {"host": given["HOST"], "port": given["PORT"], "user": given["USER"], "password": given["PASSWORD"]}
    return make_conninfo(dbname=database, **where)


def page_statements(world: World, small: str) -> tuple[float, float]:
    """The page's SQL alone: here, and in the copy made when there were fewer lines."""
    sql, values = page_sql(LineFilter(), {world.nz.pk, world.au.pk}, TODAY)
    here, there = address(connection.settings_dict["NAME"]), small
    with psycopg.connect(here, autocommit=True) as many, psycopg.connect(there, autocommit=True) as few:
        return side_by_side(
            lambda: many.execute(sql, values).fetchall(), lambda: few.execute(sql, values).fetchall(), 41
        )


def packed_shipment(world: World, parts: int) -> tuple[int, int]:
    """A shipment with so many instalments in one container."""
    act = world.act("shipping")
    key = packing.create_shipment(act, packing.ShipmentRequest())
    number = with_container_check_digit(f"QXNU3{key:05d}"[:10])
    box = packing.add_container(act, packing.ContainerRequest(key, number, "45G1"))
    packing.plan_passage(act, packing.PassageRequest(key, None, (LegPlan("sea", "a", "b", TODAY, TODAY, True),)))
    found = Instalment.objects.filter(position__with_supplier__gt=0).order_by("pk")[:parts]
    packing.stow(act, packing.StowRequest(box, tuple((part.pk, part.quantity) for part in found)))
    return key, box


def receive(world: World, lines: int) -> tuple[float, float]:
    """Receiving a container against executemany of the same rows in one plain transaction."""
    key, box = packed_shipment(world, lines)
    leg = Leg.objects.get(shipment=key)
    following.say_date(world.act("shipping"), following.DateRequest(leg.pk, "departure", "actual", TODAY))
    rows = tuple(receiving.ReceiveRow(part.pk, part.quantity) for part in Stowage.objects.filter(container=box))
    request = receiving.ReceiveRequest(box, world.site.pk, "DN", TODAY, rows)
    tables = written_rows(world, request)
    return side_by_side(
        undone(lambda: receiving.receive(world.act("dock"), request)), undone(lambda: again(tables)), 11
    )


WRITTEN = [
    "papers_storyentry",
    "papers_storylink",
    "ledger_entry",
    "receiving_receipt",
    "receiving_receiptline",
    "standing_movement",
    "ledger_costlayer",
    "ledger_onhand",
    "ledger_layercost",
    "ledger_posting",
]


def written_rows(world: World, request) -> dict[str, tuple[list[str], list[tuple]]]:
    """What one receipt inserts, table by table, as plain rows."""
    before = {table: execute(f"select coalesce(max(id), 0) from {table}")[0][0] for table in WRITTEN}
    found = {}
    with transaction.atomic():
        receiving.receive(world.act("dock"), request)
        for table in WRITTEN:
            with connection.cursor() as cursor:
                cursor.execute(f"select * from {table} where id > %s", [before[table]])
                found[table] = ([column.name for column in cursor.description], cursor.fetchall())
        touched = execute(
            "select s.settled, s.id, s.instalment_id from shipping_stowage s where s.container_id = %s",
            [request.container],
        )
        transaction.set_rollback(True)
    return found | {"touched": ([], touched)}


def again(tables) -> None:
    """The same rows, by executemany, and the same updates of stowage and positions."""
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
        cursor.executemany("update shipping_stowage set settled = %s where id = %s", [row[:2] for row in touched])
        cursor.executemany(
            "update standing_position set in_store = in_store + under_way, under_way = 0 where instalment_id = %s",
            [row[2:] for row in touched],
        )


def depart(world: World, parts: int, ours_from: str) -> tuple[float, float]:
    """Departure of so many instalments against one bare UPDATE of as many rows.

    Goods that become ours on board also get their value and two postings each; with the others it is the move alone.
    """
    PurchaseOrder.objects.update(ours_from=ours_from)
    key, box = packed_shipment(world, parts)
    leg = Leg.objects.get(shipment=key)
    request = following.DateRequest(leg.pk, "departure", "actual", TODAY)
    instalments = list(Stowage.objects.filter(container=box).values_list("instalment", flat=True))
    bare = "update standing_position set under_way = packed, packed = 0 where instalment_id = any(%s)"
    return side_by_side(
        undone(lambda: following.say_date(world.act("shipping"), request)),
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


def measured(name: str, figures: tuple[float, float], aim: float) -> str:
    """One line of the result, also printed at once: a run takes minutes."""
    ours, lean = figures
    ratio = ours / lean
    verdict = "met" if ratio <= aim else "MISSED"
    line = f"{name:<48}{ours * 1000:>10.1f}{lean * 1000:>10.1f}{ratio:>8.2f}  aim {aim}  {verdict}"
    print(line, flush=True)
    return line


def main() -> None:
    parser = argparse.ArgumentParser(prog="./northing bench")
    parser.add_argument("--lines", type=int, default=100_000)
    lines = parser.parse_args().lines
    print(f"{platform.platform()}, {os.cpu_count()} cores, Python {platform.python_version()}")
    print(execute("select version()")[0][0], flush=True)
    world = small_world()
    Item.objects.update(inspected=False)
    results = [measured("exact spread 10,000 x 20 / plain floats", exact_spread(10_000, 20), 4)]
    fill_lines(world, lines // 10)
    small = copied("small")
    fill_lines(world, lines - lines // 10)
    statements = page_statements(world, small)
    results.append(measured(f"page SQL at {lines:,} / at {lines // 10:,} lines", statements, 1.3))
    results.append(measured("order-lines page / leanest view", page(world), 2))
    results.append(measured("receive 200 lines / executemany", receive(world, 200), 4))
    results.append(measured("departure of 5,000, not ours yet / bare UPDATE", depart(world, 5_000, "receipt"), 4))
    results.append(measured("departure of 5,000, ours on board / bare UPDATE", depart(world, 5_000, "on_board"), 4))
    print(f"{lines:,} order lines; medians in milliseconds, ours and the leanest, taken in turn ({NOW:%Y-%m-%d} world)")
    print("\n".join(results))


main()
