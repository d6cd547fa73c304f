"""`./northing bench`: medians, both sides in turn in one run, ratios on the last lines."""

import argparse
import os
import platform
import random
from decimal import Decimal as D

import django

django.setup()

import psycopg  # noqa: E402
from django.db import connection  # noqa: E402
from tests.worlds import NOW, TODAY, World, small_world  # noqa: E402

from bench import bills, book, claims, costs, dock, files, lists, open_items, pages, passage  # noqa: E402
from bench.bulk import fill, fill_lines, parameters, spread_out  # noqa: E402
from bench.timing import address, execute, measured, side_by_side, told, undone  # noqa: E402
from northing.actions.shipping import milestones  # noqa: E402
from northing.core.money.spread import spread, whole_weights  # noqa: E402
from northing.masterdata.models import Item  # noqa: E402
from northing.orders.models import PurchaseOrder  # noqa: E402
from northing.shipping.models import Leg, ShipmentLine  # noqa: E402


def copied(suffix: str) -> str:
    """A copy of the bench's database as it is now; its connection string."""
    name = connection.settings_dict["NAME"]
    connection.close()
    connection.close_pool()
    with psycopg.connect(address("postgres"), autocommit=True) as admin:
        admin.execute(f"create database {name}_{suffix} template {name}")
    return address(f"{name}_{suffix}")


def depart(world: World, parts: int, ours_from: str) -> tuple[float, float]:
    """Departure of so many instalments against one bare UPDATE of as many rows.

    Goods that become ours on board also get their value and two postings each; with the others it is the move alone.
    """
    PurchaseOrder.objects.update(ours_from=ours_from)
    key, box = dock.packed_shipment(world, parts)
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
    parser.add_argument("--dock", action="store_true", help="only the dock, on 30,000 lines")
    parser.add_argument("--bills", action="store_true", help="only bills and payments, on 80,000 lines")
    parser.add_argument("--open", action="store_true", help="only what is to pay, an open item to each line")
    parser.add_argument("--lists", action="store_true", help="only the dock's lists, a receipt line to each line")
    parser.add_argument("--claims", action="store_true", help="only quality, a case to each line")
    parser.add_argument("--costs", action="store_true", help="only costs, on 30,000 lines")
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
    if asked.dock:
        fill_lines(world, 30_000)
        print("\n".join(dock.everything(world)))
        return
    if asked.bills:
        # So many that each of the suppliers has five hundred open.
        fill_lines(world, 80_000)
        print("\n".join(bills.everything(world)))
        return
    if asked.costs:
        fill_lines(world, 30_000)
        print("\n".join(costs.everything(world)))
        return
    if asked.open:
        print("\n".join(open_items.everything(world, lines)))
        return
    if asked.lists:
        fill_lines(world, lines)
        fill(world, min(lines // 10, 20_000))
        received = lists.fill_receipts(world, parameters(world, lines))
        print(f"{lines:,} order lines, {received:,} receipt lines")
        print("\n".join(lists.everything(world)))
        return
    if asked.claims:
        fill(world, lines // claims.TIMES)
        print("\n".join(claims.everything(world, parameters(world, lines))))
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
    results += dock.everything(world)
    results += bills.everything(world)
    results.append(measured("departure of 5,000, not ours yet / bare UPDATE", depart(world, 5_000, "receipt"), 4))
    results.append(measured("departure of 5,000, ours on board / bare UPDATE", depart(world, 5_000, "on_board"), 4))
    results += passage.everything(world)
    print(f"\n{lines:,} order lines; medians in milliseconds, ours and the leanest ({NOW:%Y-%m-%d} world)")
    print("\n".join(results))


main()
