"""Bills measured: one of 500 lines proposed and booked, and many paid at once."""

from decimal import Decimal

from django.db import connection, transaction
from django.db.models import Count
from tests.worlds import TODAY, World

from bench.bulk import parameters
from bench.open_items import BILLS
from bench.timing import clocked, execute, insert_again, measured, side_by_side, told, undone
from northing.actions.billing.bills import book_bill
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.payments.pay_many import PayManyRequest, pay_many
from northing.actions.shipping import milestones, pack
from northing.billing.models import Bill
from northing.formats.identifiers import with_container_check_digit
from northing.orders.models import Instalment
from northing.reports.billable import Start, billable
from northing.shipping.models import Leg
from northing.shipping.operations import LegPlan

LINES, PAID = 500, 5_000
WRITTEN = [
    "activity_historyentry",
    "activity_historylink",
    "ledger_entry",
    "billing_bill",
    "billing_billline",
    "billing_billedgoods",
    "ledger_allocation",
    "ledger_posting",
]


def everything(world: World) -> list[str]:
    """All rows of bills."""
    shipment = _afloat(world, 2 * LINES)
    lines = billable(Start(shipment=shipment), [world.nz.pk])[:LINES]
    runs = sorted(clocked(lambda: billable(Start(shipment=shipment), [world.nz.pk])) for _ in range(11))
    proposed = runs[len(runs) // 2]
    return [
        told(f"{f'a bill of {len(lines)} lines, proposed':<58}{proposed * 1000:>10.1f} ms  aim 300"),
        measured(f"book a bill of {len(lines)} lines / executemany", _booked(world, lines), 2),
        _paid(world),
    ]


def _afloat(world: World, most: int) -> int:
    """A shipment that sailed with so many lines of one supplier; its id."""
    act = world.act("shipping")
    open_parts = Instalment.objects.filter(position__with_supplier__gt=0, line__order__company=world.nz)
    suppliers = open_parts.values_list("line__order__supplier", "line__order__currency")
    supplier, currency, _ = suppliers.annotate(n=Count("pk")).order_by("-n").first()
    key = pack.create_shipment(act, pack.ShipmentRequest())
    box = pack.add_container(
        act, pack.ContainerRequest(key, with_container_check_digit(f"QXNU4{key:05d}"[:10]), "45G1")
    )
    pack.plan_passage(act, pack.PassageRequest(key, None, (LegPlan("sea", "a", "b", TODAY, TODAY, True),)))
    found = open_parts.filter(line__order__supplier=supplier, line__order__currency=currency).order_by("pk")
    rows = tuple((part.pk, part.position.with_supplier) for part in found.select_related("position")[:most])
    pack.stow(act, pack.StowRequest(box, rows))
    leg = Leg.objects.get(shipment=key)
    milestones.say_date(act, milestones.DateRequest(leg.pk, "departure", "actual", TODAY))
    return key


def _booked(world: World, lines) -> tuple[float, float]:
    """Booking against executemany of the same rows in one plain transaction; prices differ by a little."""
    order = lines[0].line.order
    goods = tuple(
        BillLineRequest(order_line=one.line.pk, quantity=one.proposed, price=one.price * Decimal("1.01"))
        for one in lines
    )
    request = BillRequest(order.company_id, order.supplier_id, "bench", TODAY, order.currency, goods, accept=True)
    tables = _written_rows(world, request)
    return side_by_side(undone(lambda: book_bill(world.act("costs"), request)), undone(lambda: _again(tables)), 7)


def _written_rows(world: World, request: BillRequest) -> dict[str, tuple[list[str], list[tuple]]]:
    """What the bill inserts, table by table, as plain rows."""
    before = {table: execute(f"select coalesce(max(id), 0) from {table}")[0][0] for table in WRITTEN}
    found = {}
    with transaction.atomic():
        book_bill(world.act("costs"), request)
        for table in WRITTEN:
            with connection.cursor() as cursor:
                cursor.execute(f"select * from {table} where id > %s", [before[table]])
                found[table] = ([column.name for column in cursor.description], cursor.fetchall())
        transaction.set_rollback(True)
    return found


def _again(tables: dict[str, tuple[list[str], list[tuple]]]) -> None:
    with connection.cursor() as cursor:
        insert_again(cursor, {table: found for table, found in tables.items() if found[1]})


def _paid(world: World) -> str:
    """Many bills of one supplier, paid in one payment."""
    execute(BILLS, parameters(world, PAID) | {"suppliers": [world.parties["USD"].pk], "foreign": -1})
    keys = tuple(Bill.objects.filter(party=world.parties["USD"], currency="NZD").values_list("pk", flat=True))
    work = undone(lambda: pay_many(world.act("accounts"), PayManyRequest(keys, TODAY)))
    seconds = sorted(clocked(work) for _ in range(3))[1]
    return told(f"{f'{len(keys):,} bills in one payment':<58}{seconds:>10.2f} s  aim 20")
