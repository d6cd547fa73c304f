"""Costs measured: a cost sheet, the expected cost of many open lines, a bill over many parts."""

import statistics
from decimal import Decimal as D

from django.utils import timezone
from tests.worlds import TODAY, World

from bench import dock
from bench.timing import clocked, told, undone
from northing.actions.billing.bills import book_bill
from northing.actions.billing.request import BillLineRequest, BillRequest
from northing.actions.costing import charges
from northing.core.costing.landed_cost import KINDS
from northing.masterdata.models import Item, RateCard, TariffRule
from northing.masterdata.tariffs import Earlier
from northing.orders.models import OrderLine
from northing.reports.cost_pieces import parts_of_shipments, pieces_of
from northing.reports.cost_sheet import cost_sheet
from northing.reports.expected_cost import Expectations
from northing.reports.tariff_changes import lines_moved
from northing.reports.tariff_moves import tariff_moves
from northing.shipping.models import Shipment

PARTS, CHARGES, MANY, OPEN = 500, 12, 5_000, 10_000


def everything(world: World) -> list[str]:
    """A line for each figure, with its aim."""
    Item.objects.update(volume_m3=D("0.0171"), weight_kg=D("1.7"), hs_code="851610", duty_rate=D("0.05"))
    found = [_sheet(world), _bill(world)]
    return [*found, *_expected(world)]


def _line(name: str, seconds: float, aim: float) -> str:
    verdict = "met" if seconds <= aim else "MISSED"
    return told(f"{name:<66}{seconds * 1000:>10.1f} ms  aim {aim * 1000:.0f}  {verdict}")


def _median(work, rounds: int = 7) -> float:
    work()
    return statistics.median(clocked(work) for _ in range(rounds))


def _cards(world: World) -> None:
    for place, kind in enumerate(KINDS[:4]):
        facts = {"code": f"B{place}", "provider": world.parties["provider"], "kind": kind, "currency": "USD"}
        RateCard.objects.get_or_create(**facts, per="container", price=D(900), valid_from=TODAY.replace(year=2025))


def _sheet(world: World) -> str:
    """500 parts and 12 charges: read, reckoned, ready to be drawn."""
    key, _ = dock.packed_shipment(world, PARTS)
    payee = world.parties["provider"].pk
    for place in range(CHARGES):
        asked = charges.ChargeRequest(
            world.nz.pk, payee, KINDS[place % 6], "volume", "USD", D(1000 + place), TODAY, (key,)
        )
        charges.enter_estimate(world.act("costs"), asked)
    shipment = Shipment.objects.get(pk=key)

    def sheet():
        (found,) = cost_sheet(shipment, parts_of_shipments([key]), {world.nz.pk}, TODAY)
        return found.table, found.by_state, found.known, [row.unit for row in found.rows]

    return _line(f"cost sheet of {PARTS} parts x {CHARGES} charges", _median(sheet), 0.15)


def _bill(world: World) -> str:
    """A bill of one charge over 5,000 parts."""
    key, _ = dock.packed_shipment(world, MANY)
    line = BillLineRequest(D("4200.00"), kind="freight", basis="volume", shipments=(key,))
    bill = BillRequest(world.nz.pk, world.parties["provider"].pk, "BENCH", TODAY, "USD", (line,))
    return _line(f"a bill over {MANY:,} parts", _median(undone(lambda: book_bill(world.act("costs"), bill)), 3), 2)


def _expected(world: World) -> list[str]:
    """The expected cost of 10,000 open lines, after a rule of the tariff was added; and which of them it moves."""
    _cards(world)
    rule = {"territory": "NZ", "hs": "85", "ad_valorem": D("0.07"), "kind": "duty"}
    TariffRule.objects.get_or_create(**rule, valid_from=timezone.localdate().replace(year=2027))
    lines = OrderLine.objects.filter(instalments__position__with_supplier__gt=0).distinct()
    lines = lines.select_related("item", "order__company", "order__supplier", "order__site")
    keys = list(lines.order_by("pk").values_list("pk", flat=True)[:OPEN])

    def anew():
        some = list(lines.filter(pk__in=keys).prefetch_related("instalments__position").order_by("pk"))
        pieces = pieces_of([], TODAY, some).all
        return Expectations(TODAY).of(pieces)

    rows = [
        _line(f"expected cost of {len(keys):,} open lines anew", _median(anew, 3), 10),
        _line(
            "the lines that a change of the tariff moves", _median(lambda: tariff_moves({world.nz.pk}, TODAY), 3), 10
        ),
    ]
    levy = TariffRule(territory="NZ", hs="8", ad_valorem=D("0.08"), kind="extra", name="levy", valid_from=TODAY)
    levy.save()
    found = []

    def after_change():
        found[:] = lines_moved(Earlier([], [levy.pk], {}, {}), TODAY, lambda done, total: None)

    took = _median(after_change, 3)
    levy.delete()
    return [*rows, _line(f"{len(found):,} open lines before and after a change of the tariff", took, 10)]
