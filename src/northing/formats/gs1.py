"""The meaning of a barcode: GS1 element strings, plain article numbers, and anything else as text.

Read by biip, which knows the application identifiers and the century rule of the GS1 General Specifications (sections
3 and 7.12). A scanner sends a symbology identifier first and FNC1 as group separator; people type brackets.
"""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from biip import ParseError
from biip.gs1_element_strings import GS1ElementString
from biip.gs1_messages import GS1Message
from stdnum import ean

from northing.core.problems import Problem, Refused

LONGEST = 200
GROUP = "\x1d"
# Symbology identifiers (ISO/IEC 15424) of codes that carry element strings.
CARRIERS = ("]C1", "]e0", "]d2", "]Q3", "]J1")
ARTICLE_LENGTHS = (8, 12, 13, 14)
SSCC_LENGTH = 18
DAYS = {"11", "13", "15", "17"}
DAY_SHAPE = "Six digits of a day come after it, such as 271130."
UNREAD, AGAIN = "This is no code that Northing reads.", "Scan the label again, or type what stands on it."
BRACKETS = "The brackets of this code are not as on a label."
# Trade measures (GS1 General Specifications 3.6.2): identifiers without their last digit, which places the point.
# Width and depth (312n, 313n) say the shape of a thing and not how much of it there is.
MEASURES = {"310": "kg", "311": "m", "314": "m2", "315": "l", "316": "m3"}
UNITS = {
    "kg": ("kg", "kgm", "kilogram", "kilograms"),
    "m": ("m", "mtr", "metre", "metres"),
    "m2": ("m2", "m²", "mtk", "sqm"),
    "l": ("l", "ltr", "litre", "litres"),
    "m3": ("m3", "m³", "mtq", "cbm"),
}
KEYS = {"gtin": "GTIN", "sscc": "SSCC", "gln": "GLN"}


@dataclass(frozen=True, slots=True)
class Scan:
    """The facts of one scan. `count` is of the trade items of the GTIN; `weight_kg` is the net weight.

    A GTIN has fourteen digits. `text` is all there is where the code is none of GS1.
    """

    gtin: str = ""
    sscc: str = ""
    count: Decimal | None = None
    lot: str = ""
    best_before: date | None = None
    serial: str = ""
    # Net amounts of what is sold by measure, each with its unit: kg, m, m2, m3, l.
    measures: tuple[tuple[str, Decimal], ...] = ()
    text: str = ""

    @property
    def is_pallet(self) -> bool:
        """Whether it is the label of a logistic unit: an SSCC, or a count of what is in it."""
        return bool(self.sscc) or self.count is not None

    def measure(self, unit: str) -> Decimal | None:
        """The net amount in an item's unit, however that is written; None where the label says none.

        >>> read_scan("(01)09521000000001(3152)000750").measure("litre")
        Decimal('7.50')
        """
        said = unit.strip().lower()
        name = next((name for name, written in UNITS.items() if said in written), "")
        return dict(self.measures).get(name)


def read_scan(said: str, where: str = "scan") -> Scan:
    """Read a scan. Raises Refused, which names the fault: a check digit, an impossible day, nonsense.

    >>> read_scan("(01)09521000000001(10)L7(15)271130(37)6").count
    Decimal('6')
    >>> read_scan("]C10109521000000001" + "10L7" + GROUP + "15271130").best_before
    datetime.date(2027, 11, 30)
    >>> read_scan("5901234123457").gtin, read_scan("A-01").text
    ('05901234123457', 'A-01')
    """
    text = said.strip().strip(GROUP)
    if not text:
        raise _refused("The scan is empty.", where, "Scan again.")
    if len(text) > LONGEST or any(ord(sign) < ord(" ") and sign != GROUP for sign in text):
        raise _refused(UNREAD, where, AGAIN)
    if text.startswith(CARRIERS):
        return _of_elements(_parsed(text[3:].strip(GROUP), where), where)
    if text[0] == "(":
        return _of_elements(_typed(text, where), where)
    if text[0] == "]":
        text = text[3:]
    return _plain(text, where)


def _refused(what: str, where: str, mend: str) -> Refused:
    return Refused(Problem(what, where, mend))


def _plain(text: str, where: str) -> Scan:
    """An article number, an SSCC, element strings that came without their identifier; else a text."""
    digits = text.isascii() and text.isdigit()
    if digits and len(text) in ARTICLE_LENGTHS and ean.calc_check_digit(text[:-1]) == text[-1]:
        return Scan(gtin=text.zfill(14))
    if digits and len(text) == SSCC_LENGTH and ean.calc_check_digit(text[:-1]) == text[-1]:
        return Scan(sscc=text)
    if GROUP in text or re.match(r"(00\d{18}|0[12]\d{14})", text):
        return _of_elements(_parsed(text, where), where)
    return Scan(text=text)


def _parsed(text: str, where: str) -> list[GS1ElementString]:
    try:
        return list(GS1Message.parse(text).element_strings)
    except ParseError as error:
        raise _unread(error, where) from None


# A bracketed identifier and what stands after it.
TYPED = re.compile(r"\((\d{2,4})\)([^()]*)")


def _typed(text: str, where: str) -> list[GS1ElementString]:
    parts = TYPED.findall(text)
    if "".join(f"({name}){value}" for name, value in parts) != text or not all(value for _, value in parts):
        raise _refused(BRACKETS, where, "Type it as (01)09521000000001(10)L7.")
    return [element for name, value in parts for element in _parsed(name + value, where)]


def _unread(error: ParseError, where: str) -> Refused:
    """The fault that biip found, in words."""
    told = re.search(r"AI \((\d+)\)", str(error))
    if told and told[1] in DAYS:
        part = re.search(r"'([^']*)'", str(error))
        shown = part[1].removeprefix(told[1])[:6] if part and len(part[1]) > 6 else part and part[1]
        return _refused(f"({told[1]}) {shown} is no day.", where, DAY_SHAPE)
    if told:
        return _refused(f"The value after ({told[1]}) cannot be read.", where, "Look at the label.")
    return _refused(UNREAD, where, AGAIN)


def _of_elements(elements: Iterable[GS1ElementString], where: str) -> Scan:
    found: dict[str, object] = {}
    measures: list[tuple[str, Decimal]] = []
    made_on = None
    for element in elements:
        _check_digits(element, where)
        name = element.ai.ai
        if name in ("01", "02"):
            found["gtin"] = element.value
        elif name == "00":
            found["sscc"] = element.value
        elif name in ("30", "37"):
            found["count"] = Decimal(element.value)
        elif name == "10":
            found["lot"] = element.value
        elif name == "21":
            found["serial"] = element.value
        elif name == "15" or (name == "17" and "best_before" not in found):
            found["best_before"] = element.date
        elif name == "11":
            made_on = element.date
        elif name[:3] in MEASURES and element.decimal is not None:
            measures.append((MEASURES[name[:3]], element.decimal))
    until = found.get("best_before")
    if made_on and isinstance(until, date) and until < made_on:
        what = f"The label says best before {until:%-d %b %Y}, and produced {made_on:%-d %b %Y}, which is later."
        raise _refused(what, where, "Compare it with the carton, and enter the day by hand.")
    if not found:
        raise _refused("This code names no goods and no pallet.", where, "Scan the label with the GTIN or the SSCC.")
    return Scan(**found, measures=tuple(measures))  # type: ignore[arg-type]


def _check_digits(element: GS1ElementString, where: str) -> None:
    for name, words in KEYS.items():
        if getattr(element, f"{name}_error"):
            right = ean.calc_check_digit(element.value[:-1])
            what = f"{words} {element.value}: the check digit is wrong; for these digits it would be {right}."
            raise _refused(what, where, "Scan again, or compare it with the label.")
