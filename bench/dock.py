"""The dock measured: a container, nine identical pallets by scan, and sixteen receivers at once."""

import multiprocessing
import os
import time

from django.db import connection, connections, transaction
from django.db.models import Count
from tests.worlds import TODAY, World

from bench.timing import clocked, execute, insert_again, measured, side_by_side, told, undone
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.receiving.scans import Context, Scanned, goods_of, rows_of
from northing.actions.shipping import milestones, pack
from northing.core.problems import Refused
from northing.formats.identifiers import with_container_check_digit
from northing.masterdata.models import Company, Pack, Party
from northing.orders.models import Instalment
from northing.shipping.models import Leg, ShipmentLine
from northing.shipping.operations import LegPlan

RECEIVERS, EACH = 16, 24
GTIN = "09521000000001"


def everything(world: World) -> list[str]:
    """All rows of the dock."""
    return [
        measured("receive 200 lines / executemany", received(world, 200), 4),
        measured("receive 500 lines / executemany", received(world, 500), 2),
        nine_pallets(world),
        *at_once(world),
    ]


def nine_pallets(world: World) -> str:
    """Nine identical pallets by one scan, without an order, each with a number of ours: read, checked, received."""
    Company.objects.filter(pk=world.nz.pk).update(gs1_prefix="9521000")
    Party.objects.update(without_order="allowed")
    Pack.objects.get_or_create(item=world.items["A"], name="carton", factor=6, gtin=GTIN)
    world.site.company.refresh_from_db()
    where = Context(world.site, supplier=world.parties["USD"].pk)

    def work():
        goods, bin = goods_of([Scanned(f"(01){GTIN}(37)1", 9)], where)
        rows = tuple(rows_of(goods, where, bin))
        head = (None, world.site.pk, "DN", TODAY, rows)
        receive(world.act("dock"), ReceiveRequest(*head, supplier=where.supplier))

    runs = sorted(clocked(undone(work)) for _ in range(11))
    seconds = runs[len(runs) // 2]
    return told(f"{'nine identical pallets, scanned and received':<58}{seconds * 1000:>10.1f} ms  aim 1000")


def at_once(world: World) -> list[str]:
    """Sixteen receivers over the orders of one supplier, against one: receipts in a second."""
    open_parts = Instalment.objects.filter(position__with_supplier__gt=0, line__order__company=world.nz)
    suppliers = open_parts.values("line__order__supplier").annotate(parts=Count("pk")).order_by("-parts")
    supplier = suppliers.values_list("line__order__supplier", flat=True).first()
    parts = list(
        open_parts.filter(line__order__supplier=supplier, line__order__site=world.site)
        .order_by("pk")
        .values_list("pk", flat=True)[: EACH * (RECEIVERS + 1)]
    )
    alone, many = parts[:EACH], parts[EACH:]
    one = _rate(world, [alone])
    all_at_once = _rate(world, [many[place::RECEIVERS] for place in range(RECEIVERS)])
    cores = os.cpu_count() or 1
    ratio = all_at_once / (one * cores)
    verdict = "met" if ratio >= 0.8 else "MISSED"
    words = f"{one:.1f} a second by one, {all_at_once:.1f} by {RECEIVERS} on {cores} cores"
    return [told(f"{'receivers at once':<58}{words}: {ratio:.2f} of one times cores  aim 0.8  {verdict}")]


def _rate(world: World, hands: list[list[int]]) -> float:
    """Receipts in a second when each of the hands receives its parts one by one."""
    connections.close_all()
    connection.close_pool()
    fork = multiprocessing.get_context("fork")
    started = time.perf_counter()
    workers = [fork.Process(target=_hand, args=(world, number, parts)) for number, parts in enumerate(hands)]
    for worker in workers:
        worker.start()
    for worker in workers:
        worker.join()
    if any(worker.exitcode for worker in workers):
        raise SystemExit("a receiver was refused")
    return sum(len(parts) for parts in hands) / (time.perf_counter() - started)


def _hand(world: World, number: int, parts: list[int]) -> None:
    connections.close_all()
    for place, part in enumerate(parts):
        row = ReceiveRow(
            None, Instalment.objects.select_related("position").get(pk=part).position.with_supplier, instalment=part
        )
        request = ReceiveRequest(None, world.site.pk, f"DN-{number}-{place}", TODAY, (row,))
        try:
            receive(world.act("dock"), request)
        except Refused as refused:
            print(refused)
            os._exit(1)
    connections.close_all()


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


def received(world: World, lines: int) -> tuple[float, float]:
    """Receiving a container against executemany of the same rows in one plain transaction."""
    key, box = packed_shipment(world, lines)
    leg = Leg.objects.get(shipment=key)
    milestones.say_date(world.act("shipping"), milestones.DateRequest(leg.pk, "departure", "actual", TODAY))
    rows = tuple(ReceiveRow(part.pk, part.quantity) for part in ShipmentLine.objects.filter(container=box))
    request = ReceiveRequest(box, world.site.pk, "DN", TODAY, rows)
    tables = written_rows(world, request)
    return side_by_side(undone(lambda: receive(world.act("dock"), request)), undone(lambda: again(tables)), 11)


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
        receive(world.act("dock"), request)
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
        insert_again(cursor, {table: found for table, found in tables.items() if found[0]})
        touched = tables["touched"][1]
        cursor.executemany(
            "update shipping_shipmentline set accounted = %s where id = %s", [row[:2] for row in touched]
        )
        cursor.executemany(
            "update positions_position set in_store = in_store + under_way, under_way = 0 where instalment_id = %s",
            [row[2:] for row in touched],
        )
