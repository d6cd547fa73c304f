"""The passage: a voyage that slips, its ripple, the board; then carriers' events (bench.replay)."""

import time
from datetime import timedelta

from django.template import Context, Template
from django.test import Client
from tests.worlds import TODAY, World

from bench import replay, smooth
from bench.timing import execute, measured, side_by_side, told, undone
from northing.actions.shipping import milestones, pack
from northing.formats.identifiers import with_container_check_digit, with_imo_check_digit
from northing.orders.models import Instalment
from northing.shipping.models import Container, PortCall
from northing.shipping.operations import CallPlan, LegPlan

DAY = timedelta(days=1)
PARTS, SHIPMENTS = 10_000, 20
VOYAGES, BOXES = 200, 2_000
# Of each shipment of them, in its first container.
ABOARD = 5


def everything(world: World) -> list[str]:
    """All of it, in words. The lines are there already."""
    call, parts = big_voyage(world)
    results = [measured(f"slip of {PARTS:,} parts, saved / bare UPDATE of them", slip(world, call, parts), 3)]
    both = ripple(world, call, parts)
    results.append(measured(f"ripple of {PARTS:,} parts / bare SELECT, plainly rendered", both, 2))
    results += board(world)
    results += replay.replay(world)
    return results


def voyage(world: World, number: int) -> int:
    """A voyage that leaves in some days."""
    imo = with_imo_check_digit(f"{900000 + number:06d}")
    leaves = TODAY + (number % 60) * DAY
    calls = (CallPlan("CNNGB", None, leaves), CallPlan("NZTRG", leaves + 25 * DAY, None))
    asked = pack.VoyageRequest(f"Vessel {number}", imo, f"{number}S", world.parties["provider"].pk, calls)
    return pack.create_voyage(world.act("shipping"), asked)


def plans(number: int) -> tuple[LegPlan, ...]:
    """Sea and road."""
    leaves = TODAY + (number % 60) * DAY
    return (
        LegPlan("sea", "CNNGB", "NZTRG", leaves, leaves + 25 * DAY, True),
        LegPlan("road", "NZTRG", "TRG", leaves + 27 * DAY, leaves + 28 * DAY),
    )


def big_voyage(world: World) -> tuple[PortCall, list[int]]:
    """One voyage whose SHIPMENTS shipments carry PARTS instalments."""
    key, act = voyage(world, 1), world.act("shipping")
    waiting = Instalment.objects.filter(position__with_supplier__gt=0).order_by("pk")
    parts = list(waiting.values_list("pk", "position__with_supplier")[:PARTS])
    each = PARTS // SHIPMENTS
    for number in range(SHIPMENTS):
        shipment = pack.create_shipment(act, pack.ShipmentRequest())
        pack.plan_passage(act, pack.PassageRequest(shipment, key, plans(1)))
        box = with_container_check_digit(f"QXNU7{number:05d}")
        container = pack.add_container(act, pack.ContainerRequest(shipment, box, "45G1"))
        rows = tuple(parts[number * each : (number + 1) * each])
        pack.stow(act, pack.StowRequest(container, rows))
        told(f"packed {(number + 1) * each:,} parts")
    return PortCall.objects.get(voyage=key, port="NZTRG"), [part for part, _ in parts]


def slip(world: World, call: PortCall, parts: list[int]) -> tuple[float, float]:
    """Saving that a voyage comes nine days later, against one bare UPDATE of the expected days of its parts."""
    days = iter(range(9, 90))

    def ours():
        value = call.planned_arrival + next(days) * DAY
        milestones.say_date(
            world.act("shipping"), milestones.DateRequest(None, "arrival", "estimated", value, call=call.pk)
        )

    bare = "update orders_instalment set expected_on = expected_on + 9 where id = any(%s)"
    return side_by_side(undone(ours), undone(lambda: execute(bare, [parts])), 7)


SHOWN = """select l.id, o.number, l.number, i.code, i.description, l.need_by, s.quantity, h.expected_dock
  from shipping_shipmentline s join shipping_container c on c.id = s.container_id
  join shipping_shipment h on h.id = c.shipment_id
  join orders_instalment n on n.id = s.instalment_id join orders_orderline l on l.id = n.line_id
  join orders_purchaseorder o on o.id = l.order_id join masterdata_item i on i.id = l.item_id
 where n.id = any(%s) order by h.expected_dock, l.id"""
PLAIN = Template("{% for row in rows %}<tr>{% for cell in row %}<td>{{ cell }}</td>{% endfor %}</tr>{% endfor %}")
RIPPLED = Template(
    "{% for line in lines %}<tr><td>{{ line.name }}<td>{{ line.item }}<td>{{ line.description }}<td>{{ line.quantity }}"
    "<td>{{ line.old }}<td>{{ line.new }}<td>{{ line.days }}<td>{{ line.need_by }}</tr>{% endfor %}"
)


def ripple(world: World, call: PortCall, parts: list[int]) -> tuple[float, float]:
    """The ripple with all of its lines rendered, against a bare SELECT of the same rows rendered as plainly."""
    asked = milestones.DateRequest(None, "arrival", "estimated", call.planned_arrival + 9 * DAY, call=call.pk)
    companies = {world.nz.pk, world.au.pk}

    def ours():
        found = milestones.preview(asked, TODAY, companies)
        RIPPLED.render(Context({"lines": found.lines}))

    def lean():
        PLAIN.render(Context({"rows": execute(SHOWN, [parts])}))

    return side_by_side(ours, lean, 7)


def board(world: World) -> list[str]:
    """The board with so many VOYAGES and BOXES: server time, queries, weight."""
    keys = [voyage(world, number) for number in range(2, VOYAGES + 1)]
    act, each = world.act("shipping"), BOXES // VOYAGES // 2
    open_parts = Instalment.objects.filter(position__with_supplier__gt=0).order_by("pk")
    waiting = open_parts.values_list("pk", "position__with_supplier").iterator()
    for number, key in enumerate(keys, 2):
        for half in range(2):
            shipment = pack.create_shipment(act, pack.ShipmentRequest())
            pack.plan_passage(act, pack.PassageRequest(shipment, key, plans(number)))
            numbers = [f"QX{'UV'[half]}U{number:03d}{box:03d}0" for box in range(each)]
            boxes = Container.objects.bulk_create(
                Container(shipment_id=shipment, number=one, size_type="45G1") for one in numbers
            )
            pack.stow(act, pack.StowRequest(boxes[0].pk, tuple(next(waiting) for _ in range(ABOARD))))
    client = Client(SERVER_NAME="127.0.0.1")
    client.force_login(world.people["shipping"])
    took = []
    for _ in range(7):
        started = time.perf_counter()
        page = client.get("/shipping/board/?zoom=half")
        assert page.status_code == 200, page.status_code
        took.append((time.perf_counter() - started) * 1000)
    weight = len(page.content) / 1024
    count = Container.objects.filter(shipment__legs__load_call__isnull=False).distinct().count()
    return [
        f"board, half a year, {VOYAGES} voyages, {count:,} containers: {sorted(took)[3]:.0f} ms, {weight:,.0f} KiB, "
        f"{page.content.count(b'<rect')} rectangles",
        f"the board scrolled: {smooth.scrolled(client, '/shipping/board/?zoom=half', '.board-paper')}",
        chart(client),
    ]


def chart(client: Client) -> str:
    """The chart of the same: server time, weight."""
    took = []
    for _ in range(7):
        started = time.perf_counter()
        page = client.get("/shipping/chart/")
        assert page.status_code == 200, page.status_code
        took.append((time.perf_counter() - started) * 1000)
    return f"chart of them: {sorted(took)[3]:.0f} ms, {len(page.content) / 1024:,.0f} KiB, and the land once"
