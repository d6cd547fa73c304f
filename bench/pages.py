"""Every page that grows with the house: its server time and its weight, at the size that the bench has filled."""

import statistics
import time

from django.test import Client
from django.urls import reverse
from tests.worlds import World

from northing.access.models import Grant, Person
from northing.orders.models import OrderLine, PurchaseOrder
from northing.shipping.models import Shipment

LISTS = ("watch", "lines", "orders", "answers", "chasers", "passage", "load-new", "board", "chart")
LISTS += ("dock", "quality", "stock", "costs", "bills", "ledger", "trial-balance")
MOST_MS, MOST_KIB = 100, 200


def everything(world: World) -> list[str]:
    """A row for each page: median of five requests, and what crosses the wire."""
    person = Person.objects.get(username="expediter")
    for role in ("shipping", "costs", "dock", "inspector", "accounts"):
        Grant.objects.get_or_create(person=person, company=world.nz, role=role)
    client = Client(SERVER_NAME="127.0.0.1")
    client.force_login(person)
    return [row(client, name, address) for name, address in addresses()]


def addresses() -> list[tuple[str, str]]:
    """The lists, and one record of each kind with many of its kind beside it."""
    order, line = PurchaseOrder.objects.latest("pk"), OrderLine.objects.latest("pk")
    records = [("order", order.pk), ("line", line.pk), ("shipment", Shipment.objects.latest("pk").pk)]
    found = [(name, reverse(name)) for name in LISTS]
    found += [(name, reverse(name, args=[key])) for name, key in records]
    return [*found, ("find", f"{reverse('find')}?q={order.number}")]


def row(client: Client, name: str, address: str) -> str:
    took, page = [], None
    for _ in range(5):
        started = time.perf_counter()
        page = client.get(address)
        took.append((time.perf_counter() - started) * 1000)
    assert page.status_code == 200, (address, page.status_code)
    median, weight = statistics.median(took), len(page.content) / 1024
    verdict = "met" if median <= MOST_MS and weight <= MOST_KIB else "MISSED"
    return f"page {name:<16}{median:>9.0f} ms{weight:>8.0f} KiB  {verdict}"
