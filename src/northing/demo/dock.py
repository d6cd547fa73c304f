"""The dock of the demo world: pallets without an order, and a delivery that is shorter than the dock may close."""

from datetime import timedelta
from decimal import Decimal

from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.receiving.scans import Context, Scanned, goods_of, rows_of
from northing.demo.hand import Hand
from northing.masterdata.models import Company, Pack, Site
from northing.orders.models import Instalment

# Under which the companies number their pallets; 952 is kept for examples.
PREFIXES = {"KLN": "9521000", "KLA": "9521001"}


def lay_dock(world: Hand) -> None:
    """The last days at the dock of Tauranga."""
    for code, prefix in PREFIXES.items():
        Company.objects.filter(code=code).update(gs1_prefix=prefix, under_tolerance=Decimal(3))
    _wraps_nobody_ordered(world)
    _short_wraps(world)


def _wraps_nobody_ordered(world: Hand) -> None:
    """Two pallets of gift wraps came by themselves yesterday; an order for them is open."""
    site = Site.objects.select_related("company").get(code="TRG")
    pack = Pack.objects.filter(item__code="WRP-03", gtin__isnull=False).order_by("-factor").first()
    where = Context(site, supplier=world.parties["DAL"].pk)
    goods, bin = goods_of([Scanned(f"(01){pack.gtin.zfill(14)}(37)24", 2)], where)
    rows = tuple(rows_of(goods, where, bin))
    day = world.today - timedelta(days=1)
    head = (None, site.pk, "DL-60881", day, rows, False, where.supplier)
    receive(world.act("rua", -1), ReceiveRequest(*head, "The driver had no order number"))


def _short_wraps(world: Hand) -> None:
    """Gift bags came yesterday, a tenth short; the driver says that it is all."""
    order = world.order("DAL", {"BAG-25": 2000}, -40, -2)
    part = Instalment.objects.get(line__order=order)
    rows = (ReceiveRow(None, Decimal(1800), False, instalment=part.pk),)
    day = world.today - timedelta(days=1)
    receive(world.act("rua", -1), ReceiveRequest(None, part.line.order.site_id, "DL-60882", day, rows))
