"""Quality measured: a return of 200 layers, and the lists of cases, inspections and returns at 100,000."""

from django.db import connection, transaction
from django.test import Client, override_settings
from django.urls import reverse
from tests.worlds import TODAY, World

from bench import dock, lists
from bench.timing import execute, insert_again, measured, side_by_side, undone
from northing.access.models import Person
from northing.actions.claims.return_all import ReturnAllRequest, return_all
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.shipping import milestones
from northing.claims.models import Claim
from northing.receiving.models import Receipt
from northing.shipping.models import Leg, ShipmentLine

LAYERS = 200
# What a return inserts.
WRITTEN = [
    "activity_historyentry",
    "activity_historylink",
    "ledger_entry",
    "claims_claim",
    "claims_goodsreturn",
    "claims_returnnote",
    "positions_movement",
    "inventory_stockmovement",
    "ledger_layertake",
    "ledger_posting",
]
# Each case that is there, so many times.
TIMES = 10
AGAIN = """
insert into claims_claim
       (company_id, kind, layer_id, supplier_id, against_id, reason, quantity, ended, authorised, opened_on)
select company_id, kind, layer_id, supplier_id, against_id, reason, quantity, ended, authorised, opened_on - n
  from claims_claim cross join generate_series(2, %(times)s) as n
"""
# Matters of the cases that are there, an inspection and a return note of each.
MORE = """
with matters as (
  insert into worklist_matter (kind, record, company_id, party, reason, since, at_stake)
  select 'case', id, company_id, 'us', 'rejected: bulk', opened_on, 0 from claims_claim returning record
), told as (
  insert into activity_historyentry (action, actor_id, channel, at, occurred_on, text, changes)
  select 'bulk', %(buyer)s, 'file', now(), %(today)s, 'bulk', '[]' from matters returning id
), entries as (
  insert into ledger_entry (history_id, actor_id, action, text, occurred_on, at)
  select id, %(buyer)s, 'bulk', 'bulk', %(today)s, now() from told returning id
), returns as (
  insert into claims_goodsreturn (company_id, site_id, supplier_id, number, reference, reason, haulier, occurred_on, at,
         despatched_at)
  select %(company)s, %(site)s, %(supplier)s, 'B-B' || record, 'RA', 'bulk', '', %(today)s, now(), now() from matters
  returning id
), looked as (
  insert into quality_inspection
         (company_id, layer_id, passed, failed, reason, inspector_id, occurred_on, at, history_id)
  select c.company_id, c.layer_id, 1, 1, 'bulk', %(buyer)s, %(today)s, now(), t.id
    from (select *, row_number() over (order by id) as n from claims_claim) c
    join (select id, row_number() over (order by id) as n from told) t using (n)
)
insert into claims_returnnote
       (goods_return_id, company_id, case_id, reference, quantity, cost, claimed, lost, occurred_on, returned_by_id, at,
        entry_id)
select r.id, c.company_id, c.id, 'RA', 1, 1, 1, 0, %(today)s, %(buyer)s, now(), e.id
  from (select *, row_number() over (order by id) as n from claims_claim) c
  join (select id, row_number() over (order by id) as n from returns) r using (n)
  join (select id, row_number() over (order by id) as n from entries) e using (n)
"""


def back(world: World) -> str:
    """All of a receipt of 200 lines goes back, against executemany of the same rows."""
    key, box = dock.packed_shipment(world, LAYERS)
    leg = Leg.objects.get(shipment=key)
    milestones.say_date(world.act("shipping"), milestones.DateRequest(leg.pk, "departure", "actual", TODAY))
    rows = tuple(ReceiveRow(part.pk, part.quantity) for part in ShipmentLine.objects.filter(container=box))
    receive(world.act("dock"), ReceiveRequest(box, world.site.pk, "DN-BACK", TODAY, rows))
    receipt = Receipt.objects.get(delivery_note="DN-BACK")
    request = ReturnAllRequest("RA-1", "bulk", TODAY, receipt=receipt.pk)
    tables = written(world, request)
    ours = undone(lambda: return_all(world.act("inspector"), request))
    figures = side_by_side(ours, undone(lambda: again(tables, receipt.pk)), 5)
    return measured(f"return of {LAYERS} layers / executemany", figures, 2)


def written(world: World, request: ReturnAllRequest) -> dict:
    """What one return inserts, table by table, as plain rows."""
    before = {table: execute(f"select coalesce(max(id), 0) from {table}")[0][0] for table in WRITTEN}
    found = {}
    with transaction.atomic():
        return_all(world.act("inspector"), request)
        for table in WRITTEN:
            with connection.cursor() as cursor:
                cursor.execute(f"select * from {table} where id > %s order by id", [before[table]])
                found[table] = ([column.name for column in cursor.description], cursor.fetchall())
        transaction.set_rollback(True)
    return found


def again(tables: dict, receipt: int) -> None:
    """The same rows, by executemany, and the same updates of layers, stock and positions."""
    layers = execute(
        "select l.id, s.instalment_id from ledger_costlayer l join receiving_receiptline r on r.id = l.receipt_line_id"
        " join shipping_shipmentline s on s.id = l.shipment_line_id where r.receipt_id = %s",
        [receipt],
    )
    with connection.cursor() as cursor:
        insert_again(cursor, tables)
        cursor.executemany("update ledger_costlayer set gone = received where id = %s", [(one,) for one, _ in layers])
        cursor.executemany("delete from inventory_onhand where layer_id = %s", [(one,) for one, _ in layers])
        cursor.executemany(
            "update positions_position set returned = returned + in_store, in_store = 0 where instalment_id = %s",
            [(part,) for _, part in layers],
        )


def everything(world: World, values: dict) -> list[str]:
    """The return, and a row for each list."""
    found = [back(world)]
    execute(AGAIN, {"times": TIMES})
    execute(MORE, values)
    execute("analyze")
    print(f"{Claim.objects.count():,} cases, each with an inspection and a return note")
    client = Client(headers={"host": "localhost"})
    client.force_login(Person.objects.get(username="inspector"))
    pages = [
        ("cases", reverse("quality")),
        ("inspections", reverse("inspections")),
        ("returns", reverse("goods-returns")),
    ]
    with override_settings(ROOT_URLCONF=lists.urls()):
        return found + [lists.against(client, name, address) for name, address in pages]
