"""The parties and goods of the demo world. All are made up but the ports; tariff rates are samples."""

import random
from datetime import date, timedelta
from decimal import Decimal

from django.utils import timezone

from northing.access.models import Grant, Person
from northing.actions.worklist.rates import refresh_rates
from northing.demo.cards import lay_cards
from northing.demo.people import PASSWORD, PEOPLE
from northing.demo.tariffs import lay_tariffs
from northing.formats.identifiers import with_gtin_check_digit
from northing.ledger.models import AskedRate
from northing.masterdata.models import (
    Agreement,
    BankAccount,
    Bin,
    Characteristic,
    ClaimDays,
    Company,
    Defect,
    ExchangeRate,
    FreeTime,
    Holiday,
    InspectionRule,
    Item,
    Pack,
    Party,
    PastPassage,
    PaymentTerms,
    Port,
    RouteLeg,
    Site,
    WorkingWeek,
)

SEED = 20261124
D = Decimal

# Code, name, country, degrees north and east, clock.
PORTS = [
    ("JPSMZ", "Shimizu", "JP", "35.0100", "138.5000", "Asia/Tokyo"),
    ("CNNGB", "Ningbo", "CN", "29.9300", "121.8500", "Asia/Shanghai"),
    ("VNSGN", "Ho Chi Minh City", "VN", "10.7700", "106.7200", "Asia/Ho_Chi_Minh"),
    ("PTLEI", "Leixoes", "PT", "41.1800", "-8.7000", "Europe/Lisbon"),
    ("LKCMB", "Colombo", "LK", "6.9500", "79.8500", "Asia/Colombo"),
    ("SGSIN", "Singapore", "SG", "1.2600", "103.8300", "Asia/Singapore"),
    ("NZTRG", "Tauranga", "NZ", "-37.6600", "176.1800", "Pacific/Auckland"),
    ("AUMEL", "Melbourne", "AU", "-37.8300", "144.9200", "Australia/Melbourne"),
]
# Route patterns: mode, from, to, days before it starts, days on it, country whose working days they are.
ROUTES = {
    "Ningbo to Tauranga": [
        ("road", "supplier", "CNNGB", 0, 1, "CN"),
        ("sea", "CNNGB", "NZTRG", 2, 28, ""),
        ("customs", "NZTRG", "NZTRG", 1, 2, "NZ"),
        ("road", "NZTRG", "Tauranga", 0, 1, "NZ"),
    ],
    "Shimizu to Tauranga": [
        ("road", "supplier", "JPSMZ", 0, 1, "JP"),
        ("sea", "JPSMZ", "NZTRG", 2, 23, ""),
        ("customs", "NZTRG", "NZTRG", 1, 2, "NZ"),
        ("road", "NZTRG", "Tauranga", 0, 1, "NZ"),
    ],
    "Ho Chi Minh City to Tauranga by Singapore": [
        ("road", "supplier", "VNSGN", 0, 1, "VN"),
        ("sea", "VNSGN", "SGSIN", 2, 3, ""),
        ("sea", "SGSIN", "NZTRG", 5, 17, ""),
        ("customs", "NZTRG", "NZTRG", 1, 2, "NZ"),
        ("road", "NZTRG", "Tauranga", 0, 1, "NZ"),
    ],
    "Leixoes to Tauranga by Singapore": [
        ("road", "supplier", "PTLEI", 0, 1, "PT"),
        ("sea", "PTLEI", "SGSIN", 2, 24, ""),
        ("sea", "SGSIN", "NZTRG", 4, 17, ""),
        ("customs", "NZTRG", "NZTRG", 1, 2, "NZ"),
        ("road", "NZTRG", "Tauranga", 0, 1, "NZ"),
    ],
    "Colombo to Melbourne": [
        ("road", "supplier", "LKCMB", 0, 1, "LK"),
        ("sea", "LKCMB", "AUMEL", 2, 22, ""),
        ("customs", "AUMEL", "AUMEL", 1, 2, "AU"),
        ("road", "AUMEL", "Melbourne", 0, 1, "AU"),
    ],
    "Ningbo to Melbourne": [
        ("road", "supplier", "CNNGB", 0, 1, "CN"),
        ("sea", "CNNGB", "AUMEL", 2, 18, ""),
        ("customs", "AUMEL", "AUMEL", 1, 2, "AU"),
        ("road", "AUMEL", "Melbourne", 0, 1, "AU"),
    ],
}
SUPPLIERS = [
    ("OZU", "Ozumeki Leaf", "JPY", "JP", "Shizuoka", "JPSMZ", 34),
    ("QIN", "Qinlaro Metalware", "USD", "CN", "Ningbo", "CNNGB", 36),
    ("DAL", "Dalongri Paper", "USD", "VN", "Ho Chi Minh City", "VNSGN", 33),
    ("TRE", "Tremsolva Ceramica", "EUR", "PT", "Porto", "PTLEI", 55),
    ("AMB", "Ambevila Tea", "USD", "LK", "Colombo", "LKCMB", 38),
]
# Where their orders go, and where their goods are fetched.
ADDRESSES = {
    "OZU": (
        "Sales\n3-14 Hatori Lane\nShizuoka 420-0900",
        "Leaf store 2\n88 Okitsu Wharf Road\nShizuoka 424-0200",
    ),
    "QIN": ("Export desk\n217 Jiangbei Mill Street\nNingbo 315021", "Works gate 4\n9 Beilun Forge Road\nNingbo 315800"),
    "DAL": ("12 Paper Yard\nDistrict 7\nHo Chi Minh City", "Warehouse C\n40 Riverside Way\nHo Chi Minh City"),
    "TRE": ("Rua do Forno Alto 51\n4100-220 Porto", "Cais da Louca 8\n4450-710 Matosinhos"),
    "AMB": ("77 Garden Terrace\nColombo 03", "Tea store 11\nDock Gate Road\nColombo 13"),
}
PROVIDERS = [
    ("QUI", "Quillmark Forwarding", "provider", "USD", "SG", "forwarder"),
    ("VAN", "Vantara Bight Lines", "provider", "USD", "SG", "carrier"),
    ("OSP", "Osprel Container Line", "provider", "USD", "JP", "carrier"),
    ("MAR", "Marlstone Cover", "provider", "NZD", "NZ", "insurer"),
    ("PEA", "Peaty Creek Haulage", "provider", "NZD", "NZ", "haulier"),
    ("FEN", "Tollgate & Fen Brokers", "provider", "NZD", "NZ", "broker"),
    ("CTG", "Customs office Tauranga", "customs", "NZD", "NZ", ""),
    ("CML", "Customs office Melbourne", "customs", "AUD", "AU", ""),
]
# code, description, group, supplier, price, weight kg, volume m3, HS, duty (sample), pack of, keeps lot, inspected
ITEMS = [
    ("KET-17", "Kettle, brushed steel, 1.7 l", "kettles", "QIN", "18.40", "1.7", "0.0171", "851610", "0.05", 6, 0, 1),
    ("KET-12", "Kettle, brushed steel, 1.2 l", "kettles", "QIN", "15.90", "1.4", "0.0132", "851610", "0.05", 6, 0, 1),
    (
        "KET-G8",
        "Gooseneck kettle, matt black, 0.8 l",
        "kettles",
        "QIN",
        "21.75",
        "1.1",
        "0.0098",
        "851610",
        "0.05",
        4,
        0,
        1,
    ),
    ("CUP-21", "Cup, celadon glaze, 210 ml", "tableware", "TRE", "2.15", "0.45", "0.00576", "691110", "0.05", 24, 0, 1),
    ("BWL-14", "Bowl, celadon glaze, 14 cm", "tableware", "TRE", "3.40", "0.52", "0.0062", "691110", "0.05", 12, 0, 1),
    ("TPT-09", "Teapot, unglazed, 0.9 l", "tableware", "TRE", "11.60", "0.98", "0.0094", "691200", "0.05", 6, 0, 1),
    ("INF-50", "Paper infusers, box of 50", "paper", "DAL", "1.07", "0.15", "0.0025", "482370", "0", 36, 0, 0),
    ("WRP-03", "Gift wrap, set of 3 sheets", "paper", "DAL", "0.84", "0.11", "0.0011", "481190", "0", 48, 0, 0),
    ("BAG-25", "Gift bag, kraft with ribbon", "paper", "DAL", "0.46", "0.07", "0.0016", "481940", "0", 100, 0, 0),
    ("SEN-01", "Sencha, first flush, 100 g", "tea", "OZU", "642", "0.12", "0.0009", "090210", "0", 40, 1, 0),
    ("HOJ-02", "Hojicha, roasted twig, 100 g", "tea", "OZU", "388", "0.12", "0.0011", "090220", "0", 40, 1, 0),
    ("UVA-10", "Black tea, high grown, 250 g", "tea", "AMB", "2.95", "0.28", "0.0017", "090230", "0", 24, 1, 0),
    ("DIM-10", "Black tea, western slopes, 250 g", "tea", "AMB", "2.70", "0.28", "0.0017", "090230", "0", 24, 1, 0),
]
# Today's rates; earlier weeks drift from them by the seed.
RATES = {
    ("KLN", "book"): {"USD": "1.6420", "EUR": "1.7815", "JPY": "0.010720", "AUD": "1.0895"},
    ("KLN", "customs"): {"USD": "1.6385", "EUR": "1.7790", "JPY": "0.010700", "AUD": "1.0880"},
    ("KLA", "book"): {"USD": "1.5071", "EUR": "1.6352", "JPY": "0.009840", "NZD": "0.9178"},
    ("KLA", "customs"): {"USD": "1.5040", "EUR": "1.6330", "JPY": "0.009820", "NZD": "0.9160"},
}


def lay_directory(today: date) -> None:
    """Companies, sites, people, parties, items, rates."""
    columns = ("code", "name", "country", "latitude", "longitude", "time_zone")
    Port.objects.bulk_create(Port(**dict(zip(columns, row, strict=True))) for row in PORTS)
    base = ["customs_value", "duty", "freight", "insurance"]
    _company("KLN", "Kestrel & Loam Ltd", "NZ", "NZD", D("0.15"), base, ("TRG", "Tauranga", "NZTRG"))
    _company("KLA", "Kestrel & Loam Australia Pty Ltd", "AU", "AUD", D("0.10"), base, ("MEL", "Melbourne", "AUMEL"))
    Company.objects.filter(code="KLN").update(approval_above=5_000, address="Accounts\n5 Loam Street\nTauranga 3110")
    Company.objects.filter(code="KLA").update(address="Accounts\nLevel 2, 60 Kestrel Walk\nMelbourne VIC 3000")
    Site.objects.filter(code="TRG").update(address="Goods in, dock 1\n140 Totara Street\nTauranga 3116")
    Site.objects.filter(code="MEL").update(address="Receiving\n22 Swanfield Road\nMelbourne VIC 3207")
    _routes()
    _people()
    _parties()
    _items(today)
    lay_tariffs(today)
    lay_cards(today)
    _rates(today)
    _free_time(today)
    _past_passages(today)


def _company(code, name, country, currency, tax, base, site) -> None:
    company = Company.objects.create(
        code=code, name=name, country=country, currency=currency, import_tax_rate=tax, import_tax_base=base
    )
    made = Site.objects.create(company=company, code=site[0], name=site[1], port_id=site[2])
    Bin.objects.bulk_create(
        Bin(site=made, code=bin_code, purpose=purpose)
        for bin_code, purpose in [
            ("D-01", "dock"),
            ("Q-01", "quarantine"),
            ("A-01", "store"),
            ("A-02", "store"),
            ("B-01", "store"),
        ]
    )


def _people() -> None:
    companies = {company.code: company for company in Company.objects.all()}
    for username, first, last, roles, where in PEOPLE:
        person = Person.objects.create_user(
            username,
            password=PASSWORD,
            first_name=first,
            last_name=last,
            email=f"{username}@kestrel-loam.example",
            keeps_house="administrator" in roles,
        )
        codes = list(companies) if where == "both" else [where]
        Grant.objects.bulk_create(
            Grant(person=person, company=companies[code], role=role) for code in codes for role in roles
        )


def _terms() -> dict[str, PaymentTerms]:
    """Terms by code, and the accounts of our companies."""
    for company in Company.objects.order_by("pk"):
        number = f"02-0400-00{company.pk:05d}-00"
        BankAccount.objects.create(
            code=f"BANK-{company.code}", company=company, bank="Harbour Bank", number=number, currency=company.currency
        )
    found = [
        PaymentTerms(code="N30", name="30 days net", days=30),
        PaymentTerms(code="M20", name="20th of the month after", days=0, from_month_end=True, day_of_month=20),
        PaymentTerms(code="D10", name="2 % in 10 days, 30 net", days=30, discount=D("0.02"), discount_days=10),
    ]
    return {terms.code: terms for terms in PaymentTerms.objects.bulk_create(found)}


def _parties() -> None:
    terms = _terms()
    Party.objects.bulk_create(
        Party(
            kind="supplier",
            code=code,
            name=name,
            currency=currency,
            country=country,
            city=city,
            port_id=port,
            passage_days=days,
            over_tolerance=D("2"),
            email=f"orders@{name.split()[0].lower()}.example",
            payment_terms=terms["D10" if code == "DAL" else "N30"],
            order_address=ADDRESSES[code][0],
            despatch_address=ADDRESSES[code][1],
        )
        for code, name, currency, country, city, port, days in SUPPLIERS
    )
    names = ("code", "name", "kind", "currency", "country", "service")
    Party.objects.bulk_create(
        Party(payment_terms=terms["M20"] if row[2] == "provider" else None, **dict(zip(names, row, strict=True)))
        for row in PROVIDERS
    )


# What kettles hold when they are filled to the mark, in ml.
MARKS = (("KET-17", 1680, 1720), ("KET-12", 1180, 1220), ("KET-G8", 785, 815))


def _looked_at() -> None:
    """What is looked at of kettles, and what units can have wrong."""
    names = ("code", "name", "severity")
    Defect.objects.bulk_create(Defect(**dict(zip(names, row, strict=True))) for row in DEFECTS)
    Characteristic.objects.create(group="kettles", name="Earth to body", unit="ohm", most=D("0.1"), severity="critical")
    Characteristic.objects.create(group="kettles", name="Lid fits", severity="minor")
    Party.objects.filter(code="TRE").update(late_percent=D("0.5"), late_most=D(5), notice_days=14, claim_days=60)
    Party.objects.filter(code="QIN").update(notice_days=10, claim_days=45, remind_days=7)
    ClaimDays.objects.bulk_create(
        ClaimDays(party=Party.objects.get(code=code), mode=mode, notice_days=notice, claim_days=claim)
        for code, mode, notice, claim in (("VAN", "sea", 3, 365), ("QUI", "sea", 3, 270), ("QUI", "air", 14, 270))
    )


# What units can have wrong: code, words, how grave.
DEFECTS = [
    ("DENT", "dents", "major"),
    ("CHIP", "chipped", "major"),
    ("CRACK", "glaze cracks", "major"),
    ("COLD", "does not heat", "major"),
    ("SPARK", "sparks", "critical"),
    ("COLOUR", "wrong colour", "minor"),
    ("CARTON", "wet cartons", "minor"),
]


def _items(today: date) -> None:
    suppliers = {party.code: party for party in Party.objects.filter(kind="supplier")}
    # Of kettles a sample, of tableware too where the lot says so.
    InspectionRule.objects.create(group="kettles", how="sampling", aql_minor=D("4.0"), papers="Certificate of the lot")
    _looked_at()
    InspectionRule.objects.create(group="tableware", supplier=suppliers["TRE"], how="skip-lot", skip_after=4)
    for index, row in enumerate(ITEMS):
        code, description, group, supplier, price, weight, volume, hs_code, duty, pack, lot, inspected = row
        item = Item.objects.create(
            code=code,
            description=description,
            group=group,
            weight_kg=D(weight),
            volume_m3=D(volume),
            hs_code=hs_code,
            origin=suppliers[supplier].country,
            duty_rate=D(duty),
            keeps_lot=bool(lot),
            keeps_best_before=bool(lot),
            inspected=bool(inspected),
        )
        for level, (name, factor) in enumerate((("pc", 1), ("carton", pack))):
            gtin = with_gtin_check_digit(f"{level}9521000{index:05d}")
            Pack.objects.create(item=item, name=name, factor=factor, gtin=gtin)
        Agreement.objects.create(
            supplier=suppliers[supplier],
            item=item,
            supplier_code=f"{supplier}/{index + 1:03d}",
            price=D(price),
            currency=suppliers[supplier].currency,
            valid_from=today - timedelta(days=420),
            multiple=pack,
            minimum=pack * 2 if index % 3 == 0 else 0,
        )
        if index % 4 == 1:
            Agreement.objects.create(
                supplier=suppliers[supplier],
                item=item,
                supplier_code=f"{supplier}/{index + 1:03d}",
                price=(D(price) * D("0.96")).quantize(D("0.01")),
                currency=suppliers[supplier].currency,
                valid_from=today - timedelta(days=420),
                from_quantity=pack * 100,
                multiple=pack,
            )
    Characteristic.objects.bulk_create(
        Characteristic(item=Item.objects.get(code=code), name="Water to the mark", unit="ml", least=least, most=most)
        for code, least, most in MARKS
    )


# carrier, port, covers, starts, ends, free days, the first counts, free in, paid in, tiers, currency
FREE_TIME = [
    ("OSP", "NZTRG", "demurrage", "discharged", "gate_out", 5, True, "calendar", "calendar", "1: 85; 4: 140", "USD"),
    ("OSP", None, "detention", "gate_out", "returned", 7, False, "calendar", "calendar", "1: 60; 8: 95", "USD"),
    ("VAN", None, "combined", "discharged", "returned", 10, False, "working", "calendar", "1: 75; 6: 130", "USD"),
]


def _free_time(today: date) -> None:
    carriers = {party.code: party for party in Party.objects.filter(kind="provider")}
    for carrier, port, covers, starts, ends, days, first, free_in, paid_in, tiers, currency in FREE_TIME:
        FreeTime.objects.create(
            carrier=carriers[carrier],
            port_id=port,
            covers=covers,
            starts=starts,
            ends=ends,
            free_days=days,
            first_day_counts=first,
            free_in=free_in,
            paid_in=paid_in,
            tiers=tiers,
            currency=currency,
            valid_from=today - timedelta(days=420),
        )
    # Public holidays are known; the depot in Tauranga also closes for stocktaking between the years.
    depot = Site.objects.get(name="Tauranga")
    days = [date(year, 12, day) for year in (today.year - 1, today.year) for day in (29, 30)]
    Holiday.objects.bulk_create(Holiday(country="NZ", day=day, name="Stocktaking", site=depot) for day in days)


def _routes() -> None:
    """How goods usually travel; inland days are working days of the country, at our end of our site."""
    sites = {site.name: site for site in Site.objects.all()}
    RouteLeg.objects.bulk_create(
        RouteLeg(
            route=route,
            number=number,
            mode=mode,
            origin=origin,
            destination=destination,
            wait_days=wait,
            days=days,
            days_in="working" if country else "calendar",
            country=country,
            site=sites.get(destination),
        )
        for route, legs in ROUTES.items()
        for number, (mode, origin, destination, wait, days, country) in enumerate(legs, 1)
    )
    # Sunday is the only day of rest for haulage at Colombo.
    WorkingWeek.objects.create(country="LK", rest="7")


# supplier, carrier, from, to, days at sea, how late it leaves, how late it arrives (on average), passages
LANES = [
    ("QIN", "VAN", "CNNGB", "NZTRG", 28, 1, 3, 26),
    ("DAL", "VAN", "VNSGN", "NZTRG", 24, 2, 4, 22),
    ("OZU", "OSP", "JPSMZ", "NZTRG", 23, 0, 1, 24),
    ("TRE", "OSP", "PTLEI", "NZTRG", 48, 3, 5, 14),
    ("AMB", "VAN", "LKCMB", "AUMEL", 22, 1, 1, 18),
    ("QIN", "VAN", "CNNGB", "AUMEL", 18, 1, 2, 4),
]


def _past_passages(today: date) -> None:
    """The passages finished before Northing, in the two years before the first demo order."""
    chance = random.Random(SEED + 4)
    parties = {party.code: party for party in Party.objects.all()}
    past = []
    for supplier, carrier, load, discharge, sea, leaves, late, count in LANES:
        for number in range(count):
            planned = today - timedelta(days=chance.randint(190, 900))
            departed = planned + timedelta(days=max(-2, round(chance.gauss(leaves, 2))))
            arrives = planned + timedelta(days=sea)
            arrived = departed + timedelta(days=sea + round(chance.gammavariate(2, late / 2 + 0.5)) - 1)
            dock = arrives + timedelta(days=3)
            received = arrived + timedelta(days=3 + round(chance.gammavariate(1.5, 0.8)))
            past.append(
                PastPassage(
                    reference=f"{supplier}-{discharge[2:]}-{number + 1:03d}",
                    supplier=parties[supplier],
                    carrier=parties[carrier],
                    load_port_id=load,
                    discharge_port_id=discharge,
                    planned_departure=planned,
                    departed_on=departed,
                    planned_arrival=arrives,
                    arrived_on=arrived,
                    planned_dock=dock,
                    received_on=received,
                )
            )
    PastPassage.objects.bulk_create(past)


def _rates(today: date) -> None:
    chance = random.Random(SEED)
    companies = {company.code: company for company in Company.objects.all()}
    rates = []
    for (company, purpose), table in RATES.items():
        for currency, now in table.items():
            for week in range(32):
                drift = D(1) if week == 0 else 1 + D(chance.randint(-180, 180)) / 10000
                places = D("0.000001") if currency == "JPY" else D("0.0001")
                day = today - timedelta(days=7 * week)
                rate = (D(now) * drift).quantize(places)
                rates.append(
                    ExchangeRate(company=companies[company], currency=currency, purpose=purpose, day=day, rate=rate)
                )
    ExchangeRate.objects.bulk_create(rates)
    # What the bank said of the yen yesterday is not believed yet.
    before = D(RATES["KLN", "book"]["JPY"])
    asked = AskedRate.objects.create(
        company=companies["KLN"],
        currency="JPY",
        purpose="book",
        day=today - timedelta(days=1),
        rate=before * D("1.4"),
        before=before,
        said_at=timezone.now(),
        source="central bank, through the euro",
    )
    refresh_rates([asked.pk])
