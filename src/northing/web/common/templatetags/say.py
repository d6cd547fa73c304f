"""Filters that say numbers and dates as people read them."""

import uuid
from datetime import date
from decimal import Decimal
from zoneinfo import ZoneInfo

from django import template
from django.utils import timezone
from django.utils.html import format_html
from django.utils.safestring import mark_safe

from northing.core.costing.landed_cost import unit_price_of
from northing.core.money.exact import plain as exact_plain
from northing.core.money.money import minor_units
from northing.core.positions.places import COLUMNS
from northing.drawings import figures
from northing.drawings.arrival import arrival
from northing.drawings.bill_band import band as draw_band
from northing.drawings.due_line import due_line as draw_due_line
from northing.drawings.fill import fill as draw_fill
from northing.drawings.lots_line import lots_line as draw_lots_line
from northing.drawings.quarters import quarter_bars as draw_quarter_bars
from northing.drawings.settled import settled as draw_settled
from northing.drawings.strip import ALONE
from northing.drawings.strip import legend as draw_legend
from northing.drawings.strip import strip as draw_strip
from northing.ledger.models import Account
from northing.web.common.addresses import address_of

register = template.Library()
NOTHING = "–"


@register.filter
def count(value):
    """A quantity."""
    return NOTHING if value is None or value == "" else figures.count(Decimal(value))


@register.filter
def plain(value):
    """A number as programs read it: no grouping, no trailing zeros; empty where there is none."""
    return "" if value in (None, "") else exact_plain(Decimal(value))


@register.filter
def size(value, places):
    """A volume or a weight, rounded to so many places."""
    return NOTHING if value is None else figures.count(round(Decimal(value), places))


@register.simple_tag
def arrival_drawing(found, need_by=None):
    """The range of a day at the dock, drawn; nothing where there is none."""
    if found.likely is None:
        return ""
    year = timezone.localdate().year
    return mark_safe(arrival(found.spread, found.base, found.likely, found.safe, need_by, year))


@register.simple_tag
def fill_drawing():
    """The drawing of a container that is still empty; what is typed fills it."""
    return mark_safe(draw_fill(Decimal(0), Decimal(0), "how full it is"))


@register.filter
def place(name):
    """A place where units are, in words."""
    return name.replace("_", " ")


@register.filter
def some(value):
    """A quantity, or a dash where there is none."""
    return count(value) if value else NOTHING


@register.filter
def money(value, currency):
    """An amount, without its code."""
    return NOTHING if value is None else figures.money(value, currency)


@register.filter
def price(value, how=2):
    """A price or a rate: `how` is its currency, or how many decimals at least."""
    return NOTHING if value is None else figures.price(value, how)


@register.filter
def day(value):
    """A date, or the day of an instant."""
    if not value:
        return NOTHING
    if hasattr(value, "hour"):
        value = timezone.localtime(value).date()
    return figures.day(value, timezone.now().year)


@register.filter
def at_place(instant, call):
    """The time of day of an instant by the clock of the port, where it has one."""
    zone = ZoneInfo(call.port.time_zone) if call and call.port.time_zone else None
    return timezone.localtime(instant, zone).strftime("%H:%M") + (" there" if zone else "") if instant else ""


@register.filter
def to_come(value):
    """A date that has not happened: never before today, whenever it was last worked out."""
    return max(value, timezone.localdate()) if value else value


@register.filter
def dated(value):
    """A date with its weekday."""
    return f"{figures.weekday(value)} {day(value)}" if value else NOTHING


@register.filter
def iso_day(text):
    """A day that is kept as text, such as 2026-12-16, as people read it."""
    return dated(date.fromisoformat(text)) if text else NOTHING


@register.filter
def coded(value, currency):
    """An amount with its currency in small grey."""
    if value is None:
        return NOTHING
    return format_html(
        '<span class="num">{}</span> <small class="unit">{}</small>', figures.money(value, currency), currency
    )


@register.filter
def strip(position, agreed):
    """The position strip of anything that has the columns of a position."""
    if position is None:
        return mark_safe(draw_strip({}, Decimal(0)))
    places = {name: getattr(position, name) for name in COLUMNS}
    return mark_safe(draw_strip(places, agreed or Decimal(0)))


@register.filter
def long_strip(position, agreed):
    """The strip as wide as a page."""
    places = {name: getattr(position, name) for name in COLUMNS} if position else {}
    return mark_safe(draw_strip(places, agreed or Decimal(0), size=ALONE))


@register.filter
def units_strip(places):
    """So many units by where they are, drawn and in words."""
    return mark_safe(draw_strip(places, Decimal(0), size=ALONE) + draw_legend(places, Decimal(0)))


@register.filter
def legend(position, agreed):
    """The strip in words."""
    places = {name: getattr(position, name) for name in COLUMNS} if position else {}
    return mark_safe(draw_legend(places, agreed or Decimal(0)))


@register.filter
def words(value):
    """A code of ours as words: in_store becomes in store."""
    return str(value).replace("_", " ")


@register.filter
def percent(value):
    """A fraction as per cent."""
    return f"{figures.count(Decimal(value) * 100)} %"


@register.filter
def signed(value):
    """A whole number with its sign."""
    return f"+{value}" if value > 0 else f"{figures.MINUS}{-value}" if value < 0 else "0"


@register.filter
def days_lost(days):
    """Days on average, one decimal, with what they are."""
    off = round(Decimal(days), 1)
    return f"{figures.count(abs(off))} days {'lost' if off > 0 else 'gained' if off < 0 else 'off plan'}"


@register.filter
def slip(shipment):
    """Days between the planned and the expected dock date."""
    if not (shipment.planned_dock and shipment.expected_dock):
        return NOTHING
    days = (shipment.expected_dock - shipment.planned_dock).days
    return f"{signed(days)} d" if days else "on time"


@register.filter
def unit_cost(total, quantity):
    """Cost of one unit, four decimals."""
    return figures.price(unit_price_of(total, quantity), 4)


@register.filter
def of(mapping, key):
    """The value of a key, or nothing."""
    return mapping.get(key)


@register.filter
def negated(value):
    """The amount with the other sign."""
    return -value


@register.filter
def exact_count(value):
    """A quantity that is kept as text."""
    return figures.count(Decimal(value))


@register.filter
def exact_day(value):
    """A day that is kept as text."""
    return day(date.fromisoformat(value))


@register.filter
def exact_price(value, currency):
    """A price that is kept as text."""
    return figures.price(Decimal(value), currency)


@register.filter
def exact_money(value, currency):
    """An amount that is kept as text."""
    return figures.money(Decimal(value), currency)


DOORS = {
    "rule": "by rule",
    "demo": "",
    "page": "",
    "job": "",
    "link": "supplier's link",
    "file": "from a file",
    "opening": "from an opening file",
    "api": "by API",
}


@register.filter
def who_did(entry):
    """Return who or what acted, and through which channel."""
    channel = DOORS.get(entry.channel, entry.channel)
    return " ".join(
        filter(None, [str(entry.actor) if entry.actor else "", f"({channel})" if entry.actor and channel else channel])
    )


@register.simple_tag
def fresh_key():
    """A key that makes a form's action happen once."""
    return uuid.uuid4().hex


@register.simple_tag
def address(kind: str, record: int | None) -> str:
    """The address of a record's page; empty where it has none."""
    return address_of(kind, record)


@register.simple_tag
def bill_band(one, now):
    """The bars of an order line on a bill."""
    return mark_safe(draw_band(one.ordered, one.ours, one.billed, now or Decimal(0), one.line.item.unit))


@register.simple_tag
def settled_bar(settlement, currency):
    """How far a bill is settled, drawn."""
    return mark_safe(draw_settled(settlement.parts, currency))


@register.simple_tag
def due_line(days, today, currency, balance=None):
    """What is due by day, drawn; with a bank balance, how far it reaches."""
    return mark_safe(draw_due_line(days, today, currency, balance))


@register.filter
def decimals(currency):
    """How many decimals a currency has."""
    return minor_units(currency)


@register.filter
def finding_word(strength):
    """What a finding asks of a person, in a word."""
    return {"warn": "Mind:", "ask": "Decide:", "block": "Stops:"}[str(strength)]


@register.filter
def account_word(account):
    """An account by its name for people."""
    return Account(account).label


@register.simple_tag
def quarter_bars(title, bars, most=None):
    """A measure over quarters, drawn."""
    return mark_safe(draw_quarter_bars(title, bars, most=most))


@register.simple_tag
def lots_line(lots, aql):
    """Lots one after the other and what their samples said, drawn."""
    return mark_safe(draw_lots_line(lots, aql))
