"""The columns of the line book: how each is called, where it comes from, how it sorts."""

from dataclasses import dataclass

from northing.core.positions.places import PLACES


@dataclass(frozen=True, slots=True)
class Column:
    """A column. `sql` reads from b (the line summary) and its joins; `order` is what it sorts by, empty for none."""

    key: str
    label: str
    kind: str  # link, text, strip, quantity, money, base, day, days, move
    sql: str
    order: str = ""
    width: int = 70
    nullable: bool = False
    joins: str = ""


def _quantity(key: str, label: str) -> Column:
    return Column(key, label, "quantity", f"b.{key}", f"b.{key}")


def _day(key: str, label: str, nullable: bool = True) -> Column:
    return Column(key, label, "day", f"b.{key}", f"b.{key}", 80, nullable)


ITEM = "join masterdata_item i on i.id = b.item_id"
SUPPLIER = "join masterdata_party s on s.id = b.supplier_id"
SITE = "join masterdata_site w on w.id = b.site_id"
BUYER = "join access_person h on h.id = b.buyer_id"
COMPANY = "join masterdata_company c on c.id = b.company_id"
# What has not happened is not expected before today, whenever the date was last worked out.
SLACK = "(b.need_by - greatest(b.expected_on, %(today)s::date))"
_ALL = [
    Column("line", "Line", "link", "o.number || '/' || l.number", "b.order_id", 122),
    Column("item", "Item", "item", "i.code", "i.code", 150, joins=ITEM),
    Column("supplier", "Supplier", "text", "s.name", "s.name", 120, joins=SUPPLIER),
    Column("strip", "Where the units are", "strip", "b.ordered", "", 178),
    _quantity("ordered", "Ordered"),
    _quantity("agreed", "Agreed"),
    *(_quantity(place, place.replace("_", " ").capitalize()) for place in PLACES),
    _quantity("received", "Received"),
    _quantity("outstanding", "Out\u00adstanding"),
    _quantity("billed", "Billed"),
    _quantity("unbilled", "Unbilled"),
    _day("requested_on", "Requested", False),
    _day("first_promise", "First promise"),
    _day("promise", "Latest promise"),
    _day("expected_on", "Expected"),
    _day("need_by", "Need by", False),
    Column("slip", "Slip", "days", "b.slip", "b.slip", 58, True),
    Column("slack", "Slack", "days", SLACK, SLACK, 84, True),
    Column("value", "Value out", "money", "b.value", "b.value_base", 104),
    Column("value_base", "Value out, base", "base", "b.value_base", "b.value_base", 118),
    Column("move", "Move", "move", "b.party", "b.party", 112),
    _day("since", "Since"),
    _day("due", "Due"),
    Column("reason", "Why", "text", "b.reason", "b.reason", 190),
    Column("site", "Site", "text", "w.name", "w.name", 110, joins=SITE),
    Column("port", "Port", "text", "b.port", "b.port", 70),
    Column("company", "Company", "text", "c.code", "c.code", 80, joins=COMPANY),
    Column(
        "buyer",
        "Buyer",
        "text",
        "coalesce(nullif(trim(h.first_name || ' ' || h.last_name), ''), h.username)",
        "h.username",
        110,
        joins=BUYER,
    ),
    Column("group", "Group", "text", 'i."group"', 'i."group"', 100, joins=ITEM),
    Column("hs", "HS code", "text", "i.hs_code", "i.hs_code", 80, joins=ITEM),
]
COLUMNS = {column.key: column for column in _ALL}
DEFAULT = (
    "line",
    "item",
    "supplier",
    "strip",
    "ordered",
    "outstanding",
    "value",
    "need_by",
    "expected_on",
    "slack",
    "move",
)
NARROWEST, WIDEST, MOST = 48, 600, 24


def read_columns(text: str) -> list[tuple[Column, int]]:
    """The chosen columns with their widths in pixels, from `line,item:240`; the default where none is known.

    >>> [(column.key, width) for column, width in read_columns("need_by:90,nonsense,line")]
    [('line', 122), ('need_by', 90)]
    """
    chosen: dict[str, int] = {}
    for part in text.split(",")[: len(COLUMNS) * 2]:
        key, _, width = part.partition(":")
        if key in COLUMNS and key not in chosen:
            wide = int(width) if width.isascii() and width.isdigit() and len(width) < 5 else COLUMNS[key].width
            chosen[key] = min(max(wide, NARROWEST), WIDEST)
    if not chosen:
        chosen = {key: COLUMNS[key].width for key in DEFAULT}
    # The line's own name stays first: rows are opened by it.
    first = {"line": chosen.pop("line", COLUMNS["line"].width)}
    return [(COLUMNS[key], width) for key, width in list({**first, **chosen}.items())[:MOST]]


def write_columns(chosen: list[tuple[Column, int]]) -> str:
    """The columns as they stand in an address; a usual width is not said."""
    return ",".join(column.key if width == column.width else f"{column.key}:{width}" for column, width in chosen)
