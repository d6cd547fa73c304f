"""The country of a port, by its UN/LOCODE; the currency of a country, by the Unicode CLDR."""

import re
from datetime import date

from babel.numbers import get_territory_currencies


def country_of(port: str) -> str:
    """The country of a port, by its UN/LOCODE.

    >>> country_of("CNNGB"), country_of("")
    ('CN', '')
    """
    return port[:2].upper() if re.fullmatch(r"[A-Za-z]{2}[A-Za-z2-9]{3}", port) else ""


def currency_of(country: str, day: date) -> str:
    """The currency that a country uses on a day, by the Unicode CLDR; empty where it is not known.

    >>> currency_of("PT", date(2026, 11, 24)), currency_of("??", date(2026, 11, 24))
    ('EUR', '')
    """
    found = get_territory_currencies(country.upper(), day, day)
    return found[-1] if found else ""
