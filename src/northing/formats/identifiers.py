"""Check digits of the trade's identifiers."""

from stdnum import ean, imo, iso6346
from stdnum.exceptions import InvalidChecksum, ValidationError

from northing.core.problems import Problem, Refused

# Digits of a GTIN, however it is written (GS1 General Specifications 3.3).
GTIN_LENGTHS = (8, 12, 13, 14)


def container_number(text: str, where: str = "number") -> str:
    """A container number without spaces, its check digit verified (ISO 6346). Raises Refused.

    >>> container_number("csqu 305438-3")
    'CSQU3054383'
    """
    compact = iso6346.compact(text).replace("-", "")
    try:
        return str(iso6346.validate(compact))
    except InvalidChecksum:
        digit = iso6346.calc_check_digit(compact[:-1])
        raise _refused(
            f"{compact}: the check digit is wrong; for these letters and digits it would be {digit}.", where
        ) from None
    except ValidationError:
        raise _refused(
            f"{text!r} is not a container number: four letters (the last U, J or Z) and seven digits.", where
        ) from None


def imo_number(text: str, where: str = "imo") -> str:
    """A vessel's IMO number, seven digits, its check digit verified. Raises Refused.

    >>> imo_number("IMO 9319466")
    '9319466'
    """
    try:
        return str(imo.validate(text))
    except InvalidChecksum:
        raise _refused(f"{text}: the check digit of this IMO number is wrong.", where) from None
    except ValidationError:
        raise _refused(f"{text!r} is not an IMO number: seven digits.", where) from None


def sscc_number(text: str, where: str = "sscc") -> str:
    """An SSCC, eighteen digits, its check digit verified (GS1 General Specifications 7.9). Raises Refused.

    >>> sscc_number("106141412345678908")
    '106141412345678908'
    """
    digits = text.replace(" ", "")
    if len(digits) != 18 or not (digits.isascii() and digits.isdigit()):
        raise _refused(f"{text[:24]!r} is not an SSCC: eighteen digits.", where)
    if ean.calc_check_digit(digits[:-1]) != digits[-1]:
        raise _refused(f"{digits}: the check digit of this SSCC is wrong.", where)
    return digits


def sscc_problem(text: str, where: str) -> Problem | None:
    """What is wrong with an SSCC, if anything."""
    try:
        sscc_number(text, where)
    except Refused as refused:
        return refused.problems[0]
    return None


def with_gtin_check_digit(digits: str) -> str:
    """The digits with the check digit of the GS1 General Specifications, section 7.9.

    >>> with_gtin_check_digit("0952100000012")
    '09521000000124'
    """
    return digits + str(ean.calc_check_digit(digits))


def with_container_check_digit(letters_and_digits: str) -> str:
    """Ten characters with their ISO 6346 check digit.

    >>> with_container_check_digit("CSQU305438")
    'CSQU3054383'
    """
    return letters_and_digits + str(iso6346.calc_check_digit(letters_and_digits))


def with_imo_check_digit(digits: str) -> str:
    """Six digits with the check digit of an IMO number.

    >>> with_imo_check_digit("931946")
    '9319466'
    """
    return digits + str(imo.calc_check_digit(digits))


def _refused(what: str, where: str) -> Refused:
    return Refused(Problem(what, where, "Compare it with the document."))


def written_gtins(gtin: str) -> list[str]:
    """A GTIN of up to 14 digits as it may be kept: with fewer, where it begins with zeros.

    >>> written_gtins("0012345678905")
    ['012345678905', '0012345678905', '00012345678905']
    """
    whole = gtin.zfill(GTIN_LENGTHS[-1])
    return [whole[-length:] for length in GTIN_LENGTHS if not whole[:-length].strip("0")]
