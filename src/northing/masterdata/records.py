"""The records of the house: of which facts each consists, by which it is known, and what of it never changes.

One description serves the page, the file and the API: a fact is read from text and said as text.
"""

from collections.abc import Iterable
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any
from zoneinfo import available_timezones

from django.db import models

from northing.core.costing.landed_cost import KINDS as CHARGE_KINDS
from northing.core.planning.calendars import CALENDAR, WORKING, read_rest
from northing.core.planning.free_time import read_tiers
from northing.core.problems import Problem
from northing.formats import facts as of
from northing.masterdata.models import (
    Agreement,
    Bin,
    Company,
    FreeTime,
    Holiday,
    Item,
    Pack,
    Party,
    PastPassage,
    Port,
    RouteLeg,
    Site,
    WorkingWeek,
)

ZERO, LARGEST = Decimal(0), Decimal("999999999")
NEEDED = object()


@dataclass(frozen=True)
class Fact:
    """A fact of a record: its column, its words, how it is read; without it a new record has `absent`."""

    name: str
    words: str
    read: of.Reader = of.text(60)
    absent: Any = NEEDED
    # The kind of record that it names by its code.
    refers: str = ""
    choices: tuple[str, ...] = ()
    fixed: bool = False
    # Fixed once something stands upon it.
    settles: bool = False
    percent: bool = False

    def said(self, value: object) -> str:
        """The value as people write it."""
        if self.refers:
            return str(getattr(value, "code", "") or "")
        return of.written(value * 100 if self.percent and isinstance(value, Decimal) else value)


@dataclass(frozen=True)
class Kind:
    """A kind of record. `permissions`: any one of them is enough to keep it; `company`: the path to its company."""

    name: str
    words: str
    many: str
    model: type[models.Model]
    key: tuple[str, ...]
    facts: tuple[Fact, ...]
    permissions: tuple[str, ...]
    company: str = ""
    history: str = ""
    given: dict[str, Any] = field(default_factory=dict)

    @property
    def needed(self) -> list[str]:
        """The columns that a file has to have."""
        return [fact.name for fact in self.facts if fact.absent is NEEDED]

    def fact(self, name: str) -> Fact:
        """The fact of that name. Raises KeyError."""
        return {fact.name: fact for fact in self.facts}[name]

    def rows(self) -> models.QuerySet:
        """All records of the kind, with what their facts refer to."""
        found = self.model._default_manager.filter(**self.given)
        return found.select_related(*[fact.name for fact in self.facts if fact.refers]).order_by(*self.key)

    def texts(self, record: models.Model) -> dict[str, str]:
        """The record's facts as people write them."""
        return {fact.name: fact.said(getattr(record, fact.name)) for fact in self.facts}


def _code(longest: int) -> Fact:
    return Fact("code", "Code", of.code(longest), fixed=True)


def _percent(name: str, words: str, absent: Any = ZERO) -> Fact:
    return Fact(name, words, of.percent(), absent, percent=True)


def _choice(name: str, words: str, choices: Iterable[str], **more: Any) -> Fact:
    choices = tuple(choices)
    return Fact(name, words, of.one_of(choices), choices=choices, **more)


def _yes(name: str, words: str) -> Fact:
    return Fact(name, words, of.yes_no, False, choices=("no", "yes"))


def _measure(name: str, words: str, decimals: int, absent: Any = ZERO) -> Fact:
    return Fact(name, words, of.number(ZERO, LARGEST, decimals), absent)


def _address(name: str, words: str) -> Fact:
    return Fact(name, words, of.lines(400), "")


NAME = Fact("name", "Name", of.text(120))
PORT = Fact("port", "Port", absent=None, refers="port")
TAX_BASE = ("customs_value", "duty", *CHARGE_KINDS)
PARTY = (
    _code(16),
    NAME,
    Fact("currency", "Currency", of.currency, settles=True),
    Fact("country", "Country", of.country),
    Fact("city", "City", of.text(80), ""),
)


def _tiers(said: str) -> str:
    read_tiers(said)
    return said


def _rest(said: str) -> str:
    return " ".join(str(day) for day in sorted(read_rest(said)))


def _time_zone(said: str) -> str:
    if said not in available_timezones():
        raise ValueError("is no time zone such as Pacific/Auckland")
    return said


MILESTONES = ("discharged", "gate_out", "returned")
KINDS = {
    kind.name: kind
    for kind in (
        Kind(
            "port",
            "port",
            "ports",
            Port,
            ("code",),
            (
                Fact("code", "UN/LOCODE", of.locode, fixed=True),
                NAME,
                Fact("country", "Country", of.country),
                Fact("latitude", "Latitude, south below 0", of.number(Decimal(-90), Decimal(90), 4), None),
                Fact("longitude", "Longitude, west below 0", of.number(Decimal(-180), Decimal(180), 4), None),
                Fact("time_zone", "Time zone", _time_zone, ""),
            ),
            ("keep_house",),
        ),
        Kind(
            "company",
            "company",
            "companies",
            Company,
            ("code",),
            (
                _code(8),
                NAME,
                Fact("country", "Country", of.country),
                Fact("currency", "Base currency", of.currency, settles=True),
                _address("address", "Address for invoices"),
                _percent("import_tax_rate", "Import tax %"),
                Fact("import_tax_base", "Import tax is on", of.some_of(TAX_BASE), list),
                _percent("import_tax_reclaimed", "Import tax reclaimed %", Decimal(1)),
                Fact("rates_stand_days", "A book rate stands for days", of.whole(1, 3650), 10),
            ),
            ("keep_house",),
            company="pk",
            history="company",
        ),
        Kind(
            "site",
            "site",
            "sites",
            Site,
            ("code",),
            (
                _code(8),
                Fact("name", "Name", of.text(80)),
                Fact("company", "Company", refers="company", fixed=True),
                PORT,
                _address("address", "Address for deliveries"),
            ),
            ("keep_house",),
            company="company",
            history="site",
        ),
        Kind(
            "bin",
            "bin",
            "bins",
            Bin,
            ("site", "code"),
            (
                Fact("site", "Site", refers="site", fixed=True),
                _code(16),
                _choice("purpose", "Purpose", Bin.Purpose.values, settles=True),
            ),
            ("keep_house",),
            company="site__company",
        ),
        Kind(
            "supplier",
            "supplier",
            "suppliers",
            Party,
            ("code",),
            (
                *PARTY,
                PORT,
                Fact("email", "Mail address", of.mail, ""),
                Fact("passage_days", "Days from ready to our dock", of.whole(0, 400), 40),
                _percent("tax_rate", "Purchase tax %"),
                _address("order_address", "Orders go to"),
                _address("despatch_address", "Goods are fetched from"),
                _address("return_address", "Returns go to"),
                _address("remit_address", "Payments go to"),
            ),
            ("keep_house", "keep_supplier"),
            history="party",
            given={"kind": Party.Kind.SUPPLIER},
        ),
        Kind(
            "provider",
            "service provider",
            "service providers",
            Party,
            ("code",),
            PARTY,
            ("keep_house", "keep_supplier"),
            history="party",
            given={"kind": Party.Kind.PROVIDER},
        ),
        Kind(
            "customs",
            "customs office",
            "customs offices",
            Party,
            ("code",),
            PARTY,
            ("keep_house",),
            history="party",
            given={"kind": Party.Kind.CUSTOMS},
        ),
        Kind(
            "item",
            "item",
            "items",
            Item,
            ("code",),
            (
                _code(32),
                Fact("description", "Description", of.text(200)),
                Fact("group", "Group", of.text(40), ""),
                Fact("hs_code", "HS code", of.hs_code),
                Fact("origin", "Origin", of.country),
                Fact("unit", "Unit", of.text(8), "pc", settles=True),
                Fact("decimals", "Decimals it is counted in", of.whole(0, 6), 0, settles=True),
                _measure("weight_kg", "Weight of one, kg", 6),
                _measure("volume_m3", "Volume of one, m³", 8),
                _percent("duty_rate", "Duty %"),
                _yes("keeps_lot", "Keeps a lot"),
                _yes("keeps_best_before", "Keeps best before"),
                _yes("inspected", "Is inspected"),
                _yes("stows_apart", "Travels apart from other groups"),
            ),
            ("keep_house", "keep_supplier"),
            history="item",
        ),
        Kind(
            "pack",
            "pack",
            "packs",
            Pack,
            ("item", "name"),
            (
                Fact("item", "Item", refers="item", fixed=True),
                Fact("name", "Name", of.text(16), fixed=True),
                Fact("factor", "Units in it", of.number(Decimal("0.000001"), LARGEST, 6)),
                Fact("gtin", "GTIN", of.gtin, None),
            ),
            ("keep_house", "keep_supplier"),
        ),
        Kind(
            "holiday",
            "holiday",
            "holidays",
            Holiday,
            ("country", "day", "site"),
            (
                Fact("country", "Country", of.country, fixed=True),
                Fact("day", "Day", of.day, fixed=True),
                Fact("name", "Name", of.text(80), ""),
                Fact("site", "Only at the site", absent=None, refers="site", fixed=True),
            ),
            ("keep_house", "estimate_charge"),
        ),
        Kind(
            "working-week",
            "working week",
            "working weeks",
            WorkingWeek,
            ("country",),
            (
                Fact("country", "Country", of.country, fixed=True),
                Fact("rest", "Days of rest, 1 is Monday", _rest, ""),
            ),
            ("keep_house", "estimate_charge"),
        ),
        Kind(
            "route",
            "route leg",
            "route patterns",
            RouteLeg,
            ("route", "number"),
            (
                Fact("route", "Route", of.text(60), fixed=True),
                Fact("number", "Leg", of.whole(1, 20), fixed=True),
                _choice("mode", "By", ("road", "sea", "customs", "rail", "air")),
                Fact("origin", "From", of.text(60)),
                Fact("destination", "To", of.text(60)),
                Fact("wait_days", "Days before it starts", of.whole(0, 99), 0),
                Fact("days", "Days on it", of.whole(0, 199)),
                _choice("days_in", "Days are", (CALENDAR, WORKING), absent=CALENDAR),
                Fact("country", "Working days of the country", of.country, ""),
                Fact("site", "and of the site", absent=None, refers="site"),
            ),
            ("keep_house", "pack"),
        ),
        Kind(
            "past-passage",
            "past passage",
            "past passages",
            PastPassage,
            ("reference",),
            (
                Fact("reference", "Reference", of.text(40), fixed=True),
                Fact("supplier", "Supplier", absent=None, refers="supplier"),
                Fact("carrier", "Carrier", absent=None, refers="provider"),
                Fact("load_port", "Port of loading", refers="port"),
                Fact("discharge_port", "Port of discharge", refers="port"),
                Fact("planned_departure", "Planned departure", of.day),
                Fact("departed_on", "Departed", of.day),
                Fact("planned_arrival", "Planned arrival", of.day),
                Fact("arrived_on", "Arrived", of.day),
                Fact("planned_dock", "Planned at the dock", of.day, None),
                Fact("received_on", "Received", of.day, None),
            ),
            ("keep_house", "pack"),
        ),
        Kind(
            "free-time",
            "free time",
            "free times",
            FreeTime,
            ("carrier", "port", "size_type", "covers", "valid_from"),
            (
                Fact("carrier", "Carrier", refers="provider", fixed=True),
                Fact("port", "Port", absent=None, refers="port", fixed=True),
                Fact("size_type", "Container type", of.text(4), "", fixed=True),
                _choice("covers", "Is for", FreeTime.Covers.values, fixed=True),
                Fact("valid_from", "From", of.day, fixed=True),
                _choice("starts", "Starts", MILESTONES[:2]),
                _choice("ends", "Ends", MILESTONES[1:]),
                Fact("free_days", "Free days", of.whole(0, 365)),
                Fact("first_day_counts", "First day counts", of.yes_no, True, choices=("yes", "no")),
                _choice("free_in", "Free days are", (CALENDAR, WORKING), absent=CALENDAR),
                _choice("paid_in", "Paid days are", (CALENDAR, WORKING), absent=CALENDAR),
                Fact("tiers", "Price by paid day, as 1: 80; 6: 120", _tiers),
                Fact("currency", "Currency", of.currency),
            ),
            ("keep_house", "estimate_charge"),
        ),
        Kind(
            "price",
            "price",
            "prices",
            Agreement,
            ("supplier", "item", "valid_from", "from_quantity"),
            (
                Fact("supplier", "Supplier", refers="supplier", fixed=True),
                Fact("item", "Item", refers="item", fixed=True),
                Fact("valid_from", "From", of.day, fixed=True),
                Fact("from_quantity", "From this quantity on", of.number(ZERO, LARGEST, 6), ZERO, fixed=True),
                Fact("price", "Price per unit", of.number(ZERO, LARGEST, 10)),
                Fact("supplier_code", "Their code", of.text(32), ""),
                _measure("minimum", "Minimum", 6),
                _measure("multiple", "Multiple of", 6),
                Fact("lead_days", "Days to make it", of.whole(0, 999), 30),
            ),
            ("keep_house", "keep_supplier"),
        ),
    )
}


class Reading:
    """Reads the facts of records of one kind; what they refer to is looked up once for all."""

    def __init__(self, kind: Kind):
        self.kind = kind
        self._known: dict[str, dict[str, Any]] = {}

    def read(self, texts: dict[str, str], new: bool) -> tuple[dict[str, Any], list[Problem]]:
        """Facts by name; of a new record all, of another those that are given. With what is wrong with them."""
        found, problems = {}, []
        for fact in self.kind.facts:
            text = texts.get(fact.name)
            if text is None and not new:
                continue
            text = (text or "").strip()
            if not text and fact.absent is not NEEDED:
                found[fact.name] = fact.absent() if callable(fact.absent) else fact.absent
                continue
            try:
                found[fact.name] = self._value(fact, text)
            except ValueError as error:
                what = f"{fact.words}: {text[:40]!r} {error}." if text else f"{fact.words} is needed."
                problems.append(Problem(what, fact.name))
        return found, problems

    def _value(self, fact: Fact, text: str) -> Any:
        if not fact.refers:
            if not text:
                raise ValueError("is needed")
            return fact.read(text)
        known = self._codes(fact.refers)
        if text.upper() not in known:
            raise ValueError(f"is not the code of a {KINDS[fact.refers].words}")
        return known[text.upper()]

    def _codes(self, kind: str) -> dict[str, Any]:
        if kind not in self._known:
            self._known[kind] = {row.code.upper(): row for row in KINDS[kind].rows()}
        return self._known[kind]
