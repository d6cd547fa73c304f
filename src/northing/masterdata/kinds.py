"""The kinds of records of the house: of which facts each consists, by which it is known, and who keeps it.

One description serves the page, the file and the API.
"""

from decimal import Decimal
from typing import Any
from zoneinfo import available_timezones

from northing.core.checks import CHECKS, STRENGTHS
from northing.core.costing.landed_cost import KINDS as CHARGE_KINDS
from northing.core.costing.ownership import INCOTERMS
from northing.core.orders.orders import MODES
from northing.core.planning.calendars import CALENDAR, WORKING, read_rest
from northing.core.planning.free_time import read_tiers
from northing.formats import facts as of
from northing.masterdata.facts import LARGEST, ZERO, Fact, Kind, address, choice, code, measure, percent, yes
from northing.masterdata.models import (
    Agreement,
    BankAccount,
    Bin,
    Company,
    FreeTime,
    Holiday,
    Item,
    Pack,
    Party,
    PastPassage,
    PaymentMethod,
    PaymentTerms,
    Port,
    RouteLeg,
    Site,
    WorkingWeek,
)

NAME = Fact("name", "Name", of.text(120))
PORT = Fact("port", "Port", absent=None, refers="port")
TAX_BASE = ("customs_value", "duty", *CHARGE_KINDS)
PARTY = (
    code(16),
    NAME,
    Fact("currency", "Currency", of.currency, settles=True),
    Fact("country", "Country", of.country),
    Fact("city", "City", of.text(80), ""),
    Fact("payment_terms", "Payment terms", absent=None, refers="payment-terms"),
    choice("payment_method", "Is paid by", PaymentMethod.values, absent=PaymentMethod.TRANSFER),
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


def _accounts(name: str, whose: str, owner: Fact, within: dict[str, Any]) -> Kind:
    """Bank accounts of one kind of owner."""
    facts = (
        code(16),
        owner,
        Fact("bank", "Bank", of.text(80)),
        Fact("number", "Account number or IBAN", of.text(40)),
        Fact("bic", "BIC", of.text(11), ""),
        Fact("currency", "Currency", of.currency),
    )
    company = owner.name if owner.refers == "company" else ""
    many = f"bank accounts {whose}"
    return Kind(
        name,
        f"bank account {whose}",
        many,
        BankAccount,
        ("code",),
        facts,
        ("keep_house",),
        company=company,
        within=within,
    )


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
                code(8),
                NAME,
                Fact("country", "Country", of.country),
                Fact("currency", "Base currency", of.currency, settles=True),
                address("address", "Address for invoices"),
                percent("import_tax_rate", "Import tax %"),
                Fact("import_tax_base", "Import tax is on", of.some_of(TAX_BASE), list),
                percent("import_tax_reclaimed", "Import tax reclaimed %", Decimal(1)),
                Fact("approval_above", "A second person approves orders above", of.number(ZERO, LARGEST, 2), None),
                *(choice(one.code, one.words, STRENGTHS, absent=one.ships.value) for one in CHECKS),
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
                code(8),
                Fact("name", "Name", of.text(80)),
                Fact("company", "Company", refers="company", fixed=True),
                PORT,
                address("address", "Address for deliveries"),
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
                code(16),
                choice("purpose", "Purpose", Bin.Purpose.values, settles=True),
            ),
            ("keep_house",),
            company="site__company",
        ),
        Kind(
            "payment-terms",
            "payment terms",
            "payment terms",
            PaymentTerms,
            ("code",),
            (
                code(16),
                NAME,
                Fact("days", "Days", of.whole(0, 400), 30),
                yes("from_month_end", "From the end of the month"),
                Fact("day_of_month", "Then on this day of the month", of.whole(1, 31), None),
                percent("discount", "Discount %"),
                Fact("discount_days", "Discount within days", of.whole(0, 400), 0),
                percent("second_discount", "Second discount %"),
                Fact("second_discount_days", "Second discount within days", of.whole(0, 400), 0),
            ),
            ("keep_house", "keep_supplier"),
        ),
        _accounts("bank-account", "of ours", Fact("company", "Company", refers="company", fixed=True), {"party": None}),
        _accounts(
            "supplier-account",
            "of a supplier",
            Fact("party", "Supplier", refers="supplier", fixed=True),
            {"party__kind": Party.Kind.SUPPLIER},
        ),
        _accounts(
            "provider-account",
            "of a provider",
            Fact("party", "Service provider", refers="provider", fixed=True),
            {"party__kind": Party.Kind.PROVIDER},
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
                choice("incoterm", "Incoterms rule", INCOTERMS, absent=""),
                Fact("incoterm_place", "Incoterms place", of.text(60), ""),
                choice("mode", "Goods travel by", MODES, absent="sea"),
                Fact("passage_days", "Days from ready to our dock", of.whole(0, 400), 40),
                percent("tax_rate", "Purchase tax %"),
                address("order_address", "Orders go to"),
                address("despatch_address", "Goods are fetched from"),
                address("return_address", "Returns go to"),
                address("remit_address", "Payments go to"),
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
            (*PARTY, choice("service", "What they do", Party.Service.values, absent="")),
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
                code(32),
                Fact("description", "Description", of.text(200)),
                Fact("group", "Group", of.text(40), ""),
                Fact("hs_code", "HS code", of.hs_code),
                Fact("origin", "Origin", of.country),
                Fact("unit", "Unit", of.text(8), "pc", settles=True),
                Fact("decimals", "Decimals it is counted in", of.whole(0, 6), 0, settles=True),
                measure("weight_kg", "Weight of one, kg", 6),
                measure("volume_m3", "Volume of one, m³", 8),
                percent("duty_rate", "Duty %"),
                yes("keeps_lot", "Keeps a lot"),
                yes("keeps_best_before", "Keeps best before"),
                yes("inspected", "Is inspected"),
                yes("stows_apart", "Travels apart from other groups"),
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
                yes("works", "People work on this day all the same"),
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
                choice("mode", "By", ("road", "sea", "customs", "rail", "air")),
                Fact("origin", "From", of.text(60)),
                Fact("destination", "To", of.text(60)),
                Fact("wait_days", "Days before it starts", of.whole(0, 99), 0),
                Fact("days", "Days on it", of.whole(0, 199)),
                choice("days_in", "Days are", (CALENDAR, WORKING), absent=CALENDAR),
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
                choice("covers", "Is for", FreeTime.Covers.values, fixed=True),
                Fact("valid_from", "From", of.day, fixed=True),
                choice("starts", "Starts", MILESTONES[:2]),
                choice("ends", "Ends", MILESTONES[1:]),
                Fact("free_days", "Free days", of.whole(0, 365)),
                Fact("first_day_counts", "First day counts", of.yes_no, True, choices=("yes", "no")),
                choice("free_in", "Free days are", (CALENDAR, WORKING), absent=CALENDAR),
                choice("paid_in", "Paid days are", (CALENDAR, WORKING), absent=CALENDAR),
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
                measure("minimum", "Minimum", 6),
                measure("multiple", "Multiple of", 6),
                Fact("lead_days", "Days to make it", of.whole(0, 999), 30),
            ),
            ("keep_house", "keep_supplier"),
        ),
    )
}
