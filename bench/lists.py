"""The dock's lists against the leanest view: the same statements through a raw cursor into one plain template loop, in
the same frame, behind the same sign-in."""

from types import ModuleType

from django.conf import settings
from django.db import connection
from django.http import HttpResponse
from django.template import Context, Template
from django.template.loader import render_to_string
from django.test import Client, override_settings
from django.urls import include, path, reverse
from tests.worlds import World

from bench.timing import execute, measured, side_by_side
from northing.access.models import Person
from northing.orders.models import PurchaseOrder
from northing.receiving.models import ReceiptLine
from northing.web.common.permissions import open_page

AIM = 1.3
# As many as our lists show of a row; records are read with more.
COLUMNS = 10
# A receipt for every ten instalments that have none yet.
RECEIPTS = """
with chosen as (
  select n.id as part, l.item_id, n.quantity, (row_number() over (order by n.id) - 1) / 10 as place
    from orders_instalment n join orders_orderline l on l.id = n.line_id
   where not exists (select 1 from receiving_receiptline r where r.instalment_id = n.id)
), stood as (
  insert into shipping_shipmentline (instalment_id, quantity, accounted, opening_billed)
  select part, quantity, quantity, false from chosen returning id, instalment_id
), told as (
  insert into activity_historyentry (action, actor_id, channel, at, occurred_on, text, changes)
  select 'receive', %(buyer)s, 'file', now(), %(today)s::date - (place %% 700)::int, 'bulk', '[]'
    from (select distinct place from chosen) s(place) returning id, occurred_on
), entries as (
  insert into ledger_entry (history_id, actor_id, action, text, occurred_on, at)
  select id, %(buyer)s, 'receive', 'bulk', occurred_on, now() from told returning id, history_id, occurred_on
), receipts as (
  insert into receiving_receipt (company_id, number, site_id, delivery_note, occurred_on, received_by_id, at, entry_id,
         history_id, proves_departure, proves_arrival)
  select %(company)s, 'B-R' || id, %(site)s, 'DN-' || id, occurred_on, %(buyer)s, now(), id, history_id, false, false
    from entries returning id
)
insert into receiving_receiptline (receipt_id, item_id, shipment_line_id, instalment_id, quantity, missing, beyond,
       excess, dropped, back, back_amount, back_base, lot, bin_id, recognised_units, recognised_amount, recognised_base)
select r.id, c.item_id, s.id, c.part, c.quantity, 0, 0, 0, 0, 0, 0, 0, '', %(bin)s, 0, 0, 0
  from chosen c join stood s on s.instalment_id = c.part
  join (select id, row_number() over (order by id) - 1 as place from receipts) r on r.place = c.place
"""
PLAIN = Template(
    "<table>{% for row in rows %}<tr>{% for cell in row %}<td>{{ cell|default_if_none:'' }}</td>{% endfor %}</tr>"
    "{% endfor %}</table>"
)
SHOWN: dict[str, list[tuple[str, tuple]]] = {"statements": []}


@open_page
def lean(request):
    """The leanest view: what the page asks, in one plain loop, in the frame of every page."""
    rows = [row[:COLUMNS] for sql, values in SHOWN["statements"] for row in execute(sql, values)]
    frame = render_to_string("base.html", {}, request)
    table = PLAIN.render(Context({"rows": rows}))
    return HttpResponse(frame.replace("</main>", f"{table}</main>"))


def urls() -> ModuleType:
    """Every address of the application, and the leanest view."""
    made = ModuleType("bench_urls")
    made.urlpatterns = [path("lean/", lean, name="lean"), path("", include(settings.ROOT_URLCONF))]
    return made


def fill_receipts(world: World, values: dict) -> int:
    """A receipt line for each instalment without one. Returns how many there are."""
    execute(RECEIPTS, values)
    execute("analyze")
    return ReceiptLine.objects.count()


def addresses() -> list[tuple[str, str]]:
    """The dock's day in each of its lists, and the receipts: all, of an item, of a supplier, of an order."""
    dock, receipts = reverse("dock"), reverse("receipts")
    order = PurchaseOrder.objects.order_by("pk").first()
    ways = [(f"dock by {by or 'deliveries'}", f"{dock}?by={by}") for by in ("", "shipments", "orders", "pallets")]
    named = [("of an item", "item=BI-00042"), ("of an order", f"order={order.number}")]
    return [*ways, ("receipts", receipts), *((f"receipts {name}", f"{receipts}?{said}") for name, said in named)]


def everything(world: World) -> list[str]:
    """A row for each list."""
    client = Client(headers={"host": "localhost"})
    client.force_login(Person.objects.get(username="dock"))
    with override_settings(ROOT_URLCONF=urls()):
        return [against(client, name, address) for name, address in addresses()]


def against(client: Client, name: str, address: str) -> str:
    """One list, as we show it, and as lean as can be."""
    SHOWN["statements"] = []
    frame = {one[0] for one in asked(client, "/lean/")}
    SHOWN["statements"] = [one for one in asked(client, address) if one[0] not in frame]
    ours, least = side_by_side(lambda: client.get(address), lambda: client.get("/lean/"), 9)
    return measured(f"{name}, {len(SHOWN['statements'])} statements / leanest view", (ours, least), AIM)


def asked(client: Client, address: str) -> list[tuple[str, tuple]]:
    """The statements of a page that read."""
    found: list[tuple[str, tuple]] = []

    def keep(execute_it, sql, values, many, context):
        if str(sql).lstrip().lower().startswith(("select", "with", "(select")):
            found.append((sql, values))
        return execute_it(sql, values, many, context)

    client.get(address)
    with connection.execute_wrapper(keep):
        page = client.get(address)
    assert page.status_code == 200, (address, page.status_code)
    return found
