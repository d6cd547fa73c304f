"""Facts of records as people write them in a form, a file or a program: text in, a value or what is wrong with it out.

Each reader takes the trimmed text and raises ValueError in words that follow the name of the field.
"""

from collections.abc import Callable, Sequence
from datetime import date
from decimal import Decimal

from stdnum import ean

from northing.core.billing.terms import instalments_of
from northing.core.money.exact import plain, read_exact
from northing.core.money.money import MINOR_UNITS
from northing.core.money.periods import day_problems

Reader = Callable[[str], object]
YES, NO = {"yes", "y", "true", "1", "on"}, {"no", "n", "false", "0", "off", ""}


def text(longest: int) -> Reader:
    """A text of one line."""

    def read(said: str) -> str:
        if len(said) > longest or "\x00" in said:
            raise ValueError(f"is not a text of at most {longest} characters")
        return " ".join(said.split())

    return read


def lines(longest: int) -> Reader:
    """A text of some lines, such as an address; empty lines are dropped."""

    def read(said: str) -> str:
        if len(said) > longest or "\x00" in said:
            raise ValueError(f"is not a text of at most {longest} characters")
        return "\n".join(line.strip() for line in said.splitlines() if line.strip())

    return read


def code(longest: int) -> Reader:
    """A code that stands in files and on papers: letters, digits and - . / without spaces, in capitals.

    >>> code(8)("kln")
    'KLN'
    """

    def read(said: str) -> str:
        kept = said.upper()
        if not 0 < len(kept) <= longest or not all(c.isascii() and (c.isalnum() or c in "-./") for c in kept):
            raise ValueError(f"is not a code of at most {longest} letters, digits, - . or /")
        return kept

    return read


def country(said: str) -> str:
    """An ISO 3166-1 country code of two letters."""
    kept = said.upper()
    if len(kept) != 2 or not (kept.isascii() and kept.isalpha()):
        raise ValueError("is not a country's two letters, such as NZ")
    return kept


def instalments(said: str) -> str:
    """Parts of a bill as per cent and days, "30:0 70:60"; empty where it is due as a whole."""
    kept = " ".join(said.split())
    instalments_of(kept)
    return kept


def currency(said: str) -> str:
    """An ISO 4217 currency code."""
    if said.upper() not in MINOR_UNITS:
        raise ValueError("is not an ISO 4217 currency, such as NZD")
    return said.upper()


def locode(said: str) -> str:
    """A UN/LOCODE: the country's two letters and three letters or digits (2 to 9).

    >>> locode("nz trg")
    'NZTRG'
    """
    kept = said.upper().replace(" ", "")
    place = kept[2:]
    if len(kept) != 5 or not kept[:2].isalpha() or not all("A" <= c <= "Z" or "2" <= c <= "9" for c in place):
        raise ValueError("is not a UN/LOCODE, such as NZTRG")
    return kept


def hs_code(said: str) -> str:
    """A code of the Harmonized System, 6 to 10 digits; points and spaces are dropped.

    >>> hs_code("8516.10")
    '851610'
    """
    kept = said.replace(".", "").replace(" ", "")
    if not (kept.isascii() and kept.isdigit() and 6 <= len(kept) <= 10):
        raise ValueError("is not an HS code of 6 to 10 digits")
    return kept


def gtin(said: str) -> str | None:
    """A GTIN of 8, 12, 13 or 14 digits, kept as 14; its check digit is verified. Empty: none.

    >>> gtin("9521000000124")
    '09521000000124'
    """
    if not said:
        return None
    if not (said.isascii() and said.isdigit() and len(said) in (8, 12, 13, 14)):
        raise ValueError("is not a GTIN of 8, 12, 13 or 14 digits")
    right = ean.calc_check_digit(said[:-1].zfill(13))
    if right != said[-1]:
        raise ValueError(f"has the wrong check digit; for these digits it would be {right}")
    return said.zfill(14)


def gs1_prefix(said: str) -> str:
    """A GS1 company prefix: the 4 to 12 digits with which all numbers of a company begin.

    >>> gs1_prefix("952 1000")
    '9521000'
    """
    digits = "".join(said.split())
    if digits and not (4 <= len(digits) <= 12 and digits.isascii() and digits.isdigit()):
        raise ValueError("is not a GS1 company prefix of 4 to 12 digits")
    return digits


def number(least: Decimal, most: Decimal, decimals: int) -> Reader:
    """An exact number with a decimal point, within bounds (both allowed)."""

    def read(said: str) -> Decimal:
        try:
            found = read_exact(said.replace(" ", "").replace(",", ""))
        except ValueError:
            raise ValueError("is not a number with a decimal point") from None
        if not least <= found <= most:
            raise ValueError(f"is not from {plain(least)} to {plain(most)}")
        if round(found, decimals) != found:
            raise ValueError(f"has more than {decimals} decimals")
        return found

    return read


def whole(least: int, most: int) -> Reader:
    """A whole number within bounds."""

    def read(said: str) -> int:
        if not (said.isascii() and said.isdigit() and len(said) < 10 and least <= int(said) <= most):
            raise ValueError(f"is not a whole number from {least} to {most}")
        return int(said)

    return read


def percent(most: Decimal = Decimal(100)) -> Reader:
    """A percentage, as a fraction of 1, kept to two decimals of a per cent.

    >>> percent()("12.5 %")
    Decimal('0.125')
    """
    inner = number(Decimal(0), most, 2)

    def read(said: str) -> Decimal:
        value = inner(said.rstrip("% "))
        assert isinstance(value, Decimal)
        return value / 100

    return read


def yes_no(said: str) -> bool:
    """Yes or no."""
    if said.lower() not in YES | NO:
        raise ValueError("is neither yes nor no")
    return said.lower() in YES


def one_of(choices: Sequence[str]) -> Reader:
    """One of some words."""

    known = {choice.replace("_", " "): choice for choice in choices}

    def read(said: str) -> str:
        kept = known.get(said.lower().replace("_", " "))
        if kept is None:
            raise ValueError(f"is not one of {', '.join(choices)}")
        return kept

    return read


def some_of(choices: Sequence[str]) -> Reader:
    """Some of some words, apart by commas; none is allowed."""

    def read(said: str) -> list[str]:
        kept = [word.strip().lower().replace(" ", "_") for word in said.split(",") if word.strip()]
        for word in kept:
            if word not in choices:
                raise ValueError(f"{word!r} is not one of {', '.join(choices)}")
        return [word for word in choices if word in kept]

    return read


def mail(said: str) -> str:
    """A mail address, looked at only for what would make it none; empty: none."""
    name, at, host = said.rpartition("@")
    if said and (not at or not name or "." not in host or any(c.isspace() or c in ",;<>" for c in said)):
        raise ValueError("is not a mail address")
    if len(said) > 254:
        raise ValueError("is longer than a mail address may be")
    return said


def day(said: str) -> date:
    """A day as 2026-11-24."""
    try:
        found = date.fromisoformat(said)
    except ValueError:
        raise ValueError("is not a day like 2026-11-24") from None
    if day_problems(found, ""):
        raise ValueError("is not a plausible day")
    return found


def written(value: object) -> str:
    """A value as a file or a story says it; a reader of its kind takes it back (but for fractions)."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Decimal):
        return plain(value)
    if isinstance(value, list | tuple):
        return ", ".join(str(one) for one in value)
    return value.isoformat() if isinstance(value, date) else str(value)
