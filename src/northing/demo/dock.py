"""The dock of the demo world: pallets without an order, and a delivery that is shorter than the dock may close."""

from datetime import timedelta
from decimal import Decimal

from northing.actions.inventory.move import MoveRequest
from northing.actions.inventory.transfer import SendRequest, send_goods
from northing.actions.receiving.receive import ReceiveRequest, ReceiveRow, receive
from northing.actions.receiving.scans import Context, Scanned, goods_of, rows_of
from northing.demo.hand import Hand
from northing.inventory.models import OnHand
from northing.masterdata.models import Bin, Company, Item, Pack, Site
from northing.orders.models import Instalment

# Under which the companies number their pallets; 952 is kept for examples.
PREFIXES = {"KLN": "9521000", "KLA": "9521001"}


def lay_dock(world: Hand) -> None:
    """The last days at the dock of Tauranga."""
    for code, prefix in PREFIXES.items():
        Company.objects.filter(code=code).update(gs1_prefix=prefix, under_tolerance=Decimal(3))
    _wraps_nobody_ordered(world)
    _short_wraps(world)
    _shelves()
    _kettles_to_the_shop(world)


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
    # They still lie at the dock.
    dock = Bin.objects.get(site=part.line.order.site_id, purpose="dock").pk
    rows = (ReceiveRow(None, Decimal(1800), False, instalment=part.pk, bin=dock),)
    day = world.today - timedelta(days=1)
    receive(world.act("rua", -1), ReceiveRequest(None, part.line.order.site_id, "DL-60882", day, rows))


# Bins of Tauranga: code, zone, most units, whether one item only, why it is blocked, whose place it is.
SHELVES = (
    ("C-01", "wraps", 1500, True, "", "BAG-25"),
    ("C-02", "wraps", 1500, True, "", ""),
    ("C-03", "wraps", None, False, "upright bent by the truck", ""),
    ("T-01", "tea", None, False, "", ""),
    ("T-02", "tea", 5000, False, "", ""),
)
ZONES = {"BAG-25": "wraps", "WRP-03": "wraps"}


def _shelves() -> None:
    """Some bins of Tauranga say what they hold; paper has a zone of its own."""
    site, items = Site.objects.get(code="TRG"), {item.code: item for item in Item.objects.all()}
    Bin.objects.bulk_create(
        Bin(
            site=site,
            code=code,
            purpose="store",
            zone=zone,
            most_units=most,
            one_item=one_item,
            blocked=blocked,
            home_of=items.get(home),
        )
        for code, zone, most, one_item, blocked, home in SHELVES
    )
    for code, zone in ZONES.items():
        Item.objects.filter(code=code).update(zone=zone)


def _kettles_to_the_shop(world: Hand) -> None:
    """The shop of the same company has bins of its own; a few kettles are on their way there."""
    shop = Site.objects.create(company=Company.objects.get(code="KLN"), code="SHP", name="Harbour shop")
    for code, purpose in (("SD-1", "dock"), ("SQ-1", "quarantine"), ("S-1", "store")):
        Bin.objects.create(site=shop, code=code, purpose=purpose)
    lies = OnHand.objects.filter(bin__site__code="TRG", status="in_store", layer__item__code="KET-17", quantity__gte=12)
    lies = lies.order_by("pk").first()
    if lies:
        row = MoveRequest(lies.layer_id, lies.bin_id, "in_store", Decimal(12), 0)
        day = world.today - timedelta(days=1)
        send_goods(world.act("rua", -1), SendRequest(shop.pk, (row,), day, "van"))
