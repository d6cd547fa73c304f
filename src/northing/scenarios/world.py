"""Laying a scenario's world into an empty database, and the people who act in it."""

from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time
from decimal import Decimal
from typing import Any

from northing.access.acts import Act
from northing.access.models import Grant, Person
from northing.access.permissions import OF_LINKS, ROLES
from northing.core.checks import CHECKS
from northing.core.quality.sampling import AQLS
from northing.masterdata.models import (
    Bin,
    Company,
    CountryGroup,
    ExchangeRate,
    InspectionRule,
    Item,
    Pack,
    Party,
    RateCard,
    Site,
    TariffRule,
    TaxCode,
    Territory,
)
from northing.scenarios.shapes import NotScenario, WorldShape
from northing.scenarios.world_shapes import BinShape


@dataclass
class Laid:
    """The records of a world by their codes; a person who may do everything, and a second one who approves."""

    person: Person
    second: Person
    companies: dict[str, Company] = field(default_factory=dict)
    sites: dict[str, Site] = field(default_factory=dict)
    parties: dict[str, Party] = field(default_factory=dict)
    items: dict[str, Item] = field(default_factory=dict)
    bins: dict[tuple[str, str], Bin] = field(default_factory=dict)

    def act(self, day: date, person: Person | None = None) -> Act:
        """An act at noon of the day."""
        return Act(person or self.person, datetime.combine(day, time(12), UTC), channel="scenario")

    def one(self, kind: str, code: str):
        """A record by its code. Raises NotScenario where the world has none."""
        records = getattr(self, kind)
        if code not in records:
            raise NotScenario(f"world.{kind}: there is no {code!r}")
        return records[code]


def lay(world: WorldShape) -> Laid:
    """Write the world. Raises NotScenario where a code names nothing."""
    laid = Laid(*(Person.objects.create(username=name) for name in ("player", "second")))
    for one in world.companies:
        tax = one.import_tax
        laid.companies[one.code] = Company.objects.create(
            code=one.code,
            name=one.code,
            country=one.country,
            currency=one.currency,
            import_tax_rate=tax.rate if tax else Decimal(0),
            import_tax_base=list(tax.base) if tax else [],
            import_tax_reclaimed=tax.reclaimed if tax else Decimal(1),
            rates_stand_days=None,
            gs1_prefix=one.gs1_prefix,
            under_tolerance=one.under * 100 if one.under else None,
            bill_approval_above=one.approve_bills_above,
            payment_approval_above=one.approve_payments_above,
            **{check.code: one.checks.get(check.code.replace("_", " "), "warn") for check in CHECKS},
        )
    TaxCode.objects.bulk_create(
        TaxCode(company=laid.companies[one.code], code=code, name=code, rate=rate)
        for one in world.companies
        for code, rate in one.tax_codes.items()
    )
    Grant.objects.bulk_create(
        Grant(person=person, company=company, role=role)
        for person in (laid.person, laid.second)
        for company in laid.companies.values()
        for role in ROLES
        if role not in OF_LINKS
    )
    for one in world.sites:
        company = laid.one("companies", one.company)
        site = laid.sites[one.code] = Site.objects.create(
            company=company,
            code=one.code,
            name=one.code,
            without_order=_coded(one.without_order),
            queues_putaway=one.putaway == "later",
        )
        for code, bin in one.bins.items():
            laid.bins[one.code, code] = Bin.objects.create(site=site, code=code, **_facts_of(bin))
    _lay_parties(laid, world)
    _lay_items(laid, world)
    _lay_homes(laid, world)
    _lay_inspection(laid, world)
    _lay_rates(laid, world)
    _lay_tariffs(laid, world)
    _lay_rate_cards(laid, world)
    return laid


def _facts_of(bin: str | BinShape) -> dict[str, Any]:
    """The facts of a bin; the item that has its place there is laid later."""
    if isinstance(bin, str):
        return {"purpose": bin}
    return {"most_units": bin.most} | bin.model_dump(exclude={"most", "home_of"})


def _lay_homes(laid: Laid, world: WorldShape) -> None:
    """Bins in which an item has its place."""
    for site in world.sites:
        for code, bin in site.bins.items():
            if isinstance(bin, BinShape) and bin.home_of:
                made = laid.bins[site.code, code]
                made.home_of = laid.one("items", bin.home_of)
                made.save(update_fields=["home_of"])


def _coded(words: str) -> str:
    """Words of a file as they are kept."""
    return words.replace(" ", "_")


def _lay_parties(laid: Laid, world: WorldShape) -> None:
    home = next(iter(laid.companies.values()))
    for one in world.suppliers:
        laid.parties[one.code] = Party.objects.create(
            kind=Party.Kind.SUPPLIER,
            code=one.code,
            name=one.code,
            currency=one.currency,
            country=one.country,
            over_tolerance=one.over * 100,
            under_tolerance=one.under * 100 if one.under else None,
            without_order=_coded(one.without_order),
        )
    for kind, rows in ((Party.Kind.PROVIDER, world.providers), (Party.Kind.CUSTOMS, world.offices)):
        for one in rows:
            laid.parties[one.code] = Party.objects.create(
                kind=kind, code=one.code, name=one.code, currency=home.currency, country=home.country
            )


def _lay_items(laid: Laid, world: WorldShape) -> None:
    for one in world.items:
        item = laid.items[one.code] = Item.objects.create(
            code=one.code,
            description=one.code,
            group="",
            unit=one.unit,
            decimals=one.decimals,
            weight_kg=one.weight_kg,
            net_weight_kg=one.net_weight_kg,
            duty_unit=one.duty_unit.lower(),
            duty_units=one.duty_units,
            volume_m3=one.volume_m3,
            hs_code=one.hs,
            origin=one.origin,
            duty_rate=one.duty_rate,
            inspected=one.inspected,
            zone=one.zone,
            keeps_lot=one.lot,
            keeps_best_before=one.best_before,
            keeps_serial=one.serial,
            least_days=one.least_days,
            over_tolerance=one.over * 100 or None,
            under_tolerance=one.under * 100 or None,
        )
        Pack.objects.create(item=item, name=one.unit, factor=1)
        Pack.objects.bulk_create(
            Pack(item=item, name=f"pack {number}", factor=pack.pack, gtin=pack.gtin)
            for number, pack in enumerate(one.gtins, 1)
        )


def _lay_inspection(laid: Laid, world: WorldShape) -> None:
    for one in world.inspection:
        if one.aql not in AQLS or (one.aql_minor is not None and one.aql_minor not in AQLS):
            raise NotScenario(f"world: {one.aql} is no AQL of the standard")
        InspectionRule.objects.create(
            item=laid.one("items", one.item) if one.item else None,
            supplier=laid.one("parties", one.supplier) if one.supplier else None,
            how=one.how,
            level=one.level,
            aql=one.aql,
            aql_minor=one.aql_minor,
            reduces=one.reduced,
            skip_after=one.skip_after,
            skip_one_in=one.one_in,
        )


def _lay_tariffs(laid: Laid, world: WorldShape) -> None:
    for one in world.territory:
        kinds = {"value_kinds": one.value_kinds, "basis": one.basis, "per": one.per}
        Territory.objects.create(code=one.country, unit=one.unit, way=one.way, **kinds)
    for number, rule in enumerate(world.tariffs, 1):
        several = len(rule.origins) > 1
        names = {"code": f"G{number}", "name": f"G{number}", "countries": " ".join(rule.origins)}
        specific = rule.specific
        TariffRule.objects.create(
            territory=rule.country,
            kind=rule.kind,
            hs=rule.hs,
            origin="" if several or not rule.origins else rule.origins[0],
            group=CountryGroup.objects.create(**names) if several else None,
            supplier=laid.one("parties", rule.supplier) if rule.supplier else None,
            name=rule.name,
            proof=rule.proof,
            ad_valorem=rule.ad_valorem,
            amount=specific.amount if specific else None,
            currency=specific.currency if specific else "",
            per=specific.per if specific else "kg",
            combine=rule.combine,
            valid_from=rule.since,
            valid_until=rule.until,
        )


def _lay_rate_cards(laid: Laid, world: WorldShape) -> None:
    for one in world.rate_cards:
        facts = one.model_dump(exclude={"provider", "since", "until"})
        days = {"valid_from": one.since, "valid_until": one.until}
        RateCard.objects.create(provider=laid.one("parties", one.provider), **facts, **days)


def _lay_rates(laid: Laid, world: WorldShape) -> None:
    for one in world.rates:
        for company in laid.companies.values():
            if company.currency != one.base:
                continue
            for purpose in ExchangeRate.Purpose.values:
                rate = getattr(one, purpose)
                if rate is not None:
                    ExchangeRate.objects.create(
                        company=company, currency=one.currency, purpose=purpose, day=one.day, rate=rate
                    )
