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
from northing.formats import facts as of
from northing.masterdata.cost_kinds import COSTS
from northing.masterdata.facts import LARGEST, ZERO, Fact, Kind, address, choice, code, measure, percent, yes
from northing.masterdata.models import (
    Agreement,
    BankAccount,
    Bin,
    Company,
    Item,
    Pack,
    Party,
    PaymentMethod,
    PaymentTerms,
    Port,
    Site,
    TaxCode,
    WithoutOrder,
)
from northing.masterdata.planning_kinds import PLANNING
from northing.masterdata.quality_kinds import QUALITY
from northing.masterdata.tariff_kinds import TARIFFS, unit_of_duty

TOLERANCE = of.number(ZERO, Decimal(100), 2)
NAME = Fact("name", "Name", of.text(120))
CLAIM_DAYS = (
    Fact("notice_days", "Notice of damage or loss within days", of.whole(0, 3650), None),
    Fact("claim_days", "Claims within days of delivery", of.whole(0, 3650), None),
    Fact("remind_days", "Reminded of a case after days without an answer", of.whole(1, 365), None),
)
PENALTY = (
    Fact("late_percent", "Late goods cost them % of the price a week", of.number(ZERO, Decimal(100), 2), ZERO),
    Fact("late_most", "and at most %", of.number(ZERO, Decimal(100), 2), ZERO),
)
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
                Fact("under_tolerance", "The dock may close what is short by %", TOLERANCE, None),
                Fact("line_tolerance", "A bill's line may be above the agreed price by %", TOLERANCE, Decimal(2)),
                Fact("line_tolerance_money", "and by (base currency)", of.number(ZERO, LARGEST, 2), Decimal(50)),
                Fact("bill_tolerance", "A bill may be above what was agreed by %", TOLERANCE, Decimal(1)),
                Fact(
                    "bill_tolerance_money", "and in all by (base currency)", of.number(ZERO, LARGEST, 2), Decimal(200)
                ),
                Fact("bill_approval_above", "A second person approves bills above", of.number(ZERO, LARGEST, 2), None),
                Fact("payment_approval_above", "and payments above", of.number(ZERO, LARGEST, 2), None),
                yes("asks_second_factor", "People need a second factor"),
                Fact("gs1_prefix", "GS1 company prefix", of.gs1_prefix, ""),
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
                choice("without_order", "Goods without an order", WithoutOrder.values, absent=WithoutOrder.ALLOWED),
                yes("queues_putaway", "Goods are put away later"),
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
                Fact("zone", "Zone", of.text(16), ""),
                Fact("home_of", "Is the place of", absent=None, refers="item"),
                yes("one_item", "Holds one item only"),
                yes("one_lot", "Holds one lot only"),
                Fact("most_units", "Holds at most, units", of.number(ZERO, LARGEST, 6), None),
                Fact("blocked", "Blocked, because", of.text(80), ""),
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
                Fact("instalments", "Instalments (per cent:days, 30:0 70:60)", of.instalments, ""),
                percent("deposit", "Deposit with the order %"),
            ),
            ("keep_house", "keep_supplier"),
        ),
        Kind(
            "tax-code",
            "tax code",
            "tax codes",
            TaxCode,
            ("company", "code"),
            (
                Fact("company", "Company", refers="company", fixed=True),
                code(16),
                NAME,
                percent("rate", "Rate %"),
            ),
            ("keep_house",),
            company="company",
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
                Fact("under_tolerance", "The dock may close what is short by %", TOLERANCE, None),
                Fact("line_tolerance", "A bill's line may be above the agreed price by %", TOLERANCE, None),
                Fact("line_tolerance_money", "and by (base currency)", of.number(ZERO, LARGEST, 2), None),
                Fact("bill_tolerance", "A bill may be above what was agreed by %", TOLERANCE, None),
                Fact("bill_tolerance_money", "and in all by (base currency)", of.number(ZERO, LARGEST, 2), None),
                choice("without_order", "Goods without an order", WithoutOrder.values, absent=WithoutOrder.WITH_REASON),
                *CLAIM_DAYS,
                *PENALTY,
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
            (*PARTY, choice("service", "What they do", Party.Service.values, absent=""), *CLAIM_DAYS),
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
                measure("net_weight_kg", "Net weight of one, kg, for duties", 6, None),
                Fact("duty_unit", "Other unit of duties (l, pair, m2)", unit_of_duty, ""),
                measure("duty_units", "How many of it are in one", 6, None),
                measure("volume_m3", "Volume of one, m³", 8),
                percent("duty_rate", "Duty %"),
                yes("keeps_lot", "Keeps a lot"),
                yes("keeps_best_before", "Keeps best before"),
                yes("keeps_serial", "Keeps serial numbers"),
                Fact("least_days", "Days it must keep when it comes", of.whole(0, 9999), None),
                Fact("over_tolerance", "May come over by %", TOLERANCE, None),
                Fact("under_tolerance", "The dock may close what is short by %", TOLERANCE, None),
                yes("inspected", "Is inspected"),
                Fact("zone", "Zone in the store", of.text(16), ""),
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
        *PLANNING,
        *QUALITY,
        *TARIFFS,
        *COSTS,
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
