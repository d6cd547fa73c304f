"""The kinds of records that duty is reckoned by: territories, groups of countries, rules of the tariff."""

import re

from northing.core.costing import customs, tariff
from northing.core.costing.landed_cost import KINDS
from northing.formats import facts as of
from northing.masterdata.facts import LARGEST, ZERO, Fact, Kind, choice, code, measure, percent
from northing.masterdata.models import CountryGroup, TariffRule, Territory

UNIT = re.compile(r"[a-z][a-z0-9%]{0,7}")


def _countries(said: str) -> str:
    found = sorted({of.country(one) for one in said.replace(",", " ").split()})
    if not found:
        raise ValueError("names no country")
    return " ".join(found)


def _prefix(said: str) -> str:
    kept = said.replace(".", "").replace(" ", "")
    if kept and not (kept.isascii() and kept.isdigit() and 2 <= len(kept) <= 10):
        raise ValueError("is not the beginning of an HS code: 2 to 10 digits, or none for all")
    return kept


def _kinds(said: str) -> list[str]:
    found = list(dict.fromkeys(said.replace(",", " ").split()))
    if strange := [one for one in found if one not in KINDS]:
        raise ValueError(f"names {strange[0]}; kinds of charges are {', '.join(KINDS)}")
    return found


def _origin(said: str) -> str:
    return of.country(said) if said else ""


def _currency(said: str) -> str:
    return of.currency(said) if said else ""


def unit_of_duty(said: str) -> str:
    """A unit that duties may go by, in small letters; or none. Raises ValueError."""
    kept = of.text(8)(said).strip().lower()
    if kept and not UNIT.fullmatch(kept):
        raise ValueError("is no unit: letters, and digits after them, as l, pair or m2")
    if kept in customs.MEASURES:
        raise ValueError(f"goes without saying: every item has its {kept}")
    return kept


def _per(said: str) -> str:
    kept = said.strip().lower()
    if not kept:
        raise ValueError("says nothing: kg, unit, or a unit that items keep, as l or pair")
    return kept if kept in customs.MEASURES else unit_of_duty(kept)


TARIFFS = (
    Kind(
        "territory",
        "territory",
        "territories",
        Territory,
        ("code",),
        (
            Fact("code", "Country", of.country, fixed=True),
            choice("basis", "Customs value", customs.BASES, absent="price"),
            choice("per", "Duty by", customs.PER, absent="line"),
            Fact("unit", "Rounded to", of.number(ZERO, LARGEST, 4), None),
            choice("way", "Rounded", customs.WAYS, absent="half up"),
            Fact("value_kinds", "Kinds of charges that belong to the value", _kinds, []),
        ),
        ("keep_house", "estimate_charge"),
    ),
    Kind(
        "origins",
        "group of countries",
        "groups of countries",
        CountryGroup,
        ("code",),
        (code(16), Fact("name", "Name", of.text(80)), Fact("countries", "Countries", _countries)),
        ("keep_house", "estimate_charge"),
    ),
    Kind(
        "tariff",
        "rule of the tariff",
        "tariff",
        TariffRule,
        ("territory", "kind", "hs", "origin", "group", "supplier", "name", "valid_from"),
        (
            Fact("territory", "Territory", of.country, fixed=True),
            choice("kind", "Kind", tariff.KINDS, absent=tariff.DUTY, fixed=True),
            Fact("hs", "HS code begins with", _prefix, "", fixed=True),
            Fact("valid_from", "Valid from", of.day, fixed=True),
            Fact("valid_until", "Valid until", of.day, None),
            Fact("origin", "Origin, a country", _origin, "", fixed=True),
            Fact("group", "or a group of countries", absent=None, refers="origins", fixed=True),
            Fact("supplier", "Only from the supplier", absent=None, refers="supplier", fixed=True),
            Fact("name", "Name of the extra duty, or of the agreement", of.text(40), "", fixed=True),
            Fact("proof", "Proof that a preference needs", of.text(60), ""),
            percent("ad_valorem", "% of the customs value"),
            measure("amount", "Amount", 4, None),
            Fact("currency", "in the currency", _currency, ""),
            Fact("per", "per kg, per unit, or a unit that items keep", _per, "kg"),
            choice("combine", "Both together", customs.COMBINES, absent="sum"),
        ),
        ("keep_house", "estimate_charge"),
    ),
)
