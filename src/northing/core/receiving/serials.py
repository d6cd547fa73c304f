"""Serial numbers as they are typed, scanned, or counted from a first one on."""

import re
from collections import Counter
from collections.abc import Iterable

from northing.core.problems import Problem, Refused

MOST = 5_000
LONGEST = 40
RANGE = re.compile(r"^(.*?)(\d+)\s*\.\.\s*(.*?)(\d+)$")


class NotSerials(ValueError):
    """The text is no list of serial numbers; in words."""


def read_serials(said: str) -> tuple[str, ...]:
    """Serial numbers apart by commas, spaces or lines; `first..last` counts on. Raises NotSerials.

    >>> read_serials("K7, K9")
    ('K7', 'K9')
    >>> read_serials("KT-098..KT-101")
    ('KT-098', 'KT-099', 'KT-100', 'KT-101')
    """
    found: list[str] = []
    for word in re.sub(r"\s*\.\.\s*", "..", said).replace(",", " ").replace(";", " ").split():
        found += _counted(word) if ".." in word else [word]
        if len(found) > MOST:
            raise NotSerials(f"At most {MOST} serial numbers at once.")
    for number in found:
        if len(number) > LONGEST or not number.isprintable():
            raise NotSerials(f"“{number[:LONGEST]}” is no serial number of at most {LONGEST} characters.")
    twice = [number for number, times in Counter(found).items() if times > 1]
    if twice:
        raise NotSerials(f"{twice[0]} is there twice.")
    return tuple(found)


def numbers_of(said: Iterable[str], where: str = "serials") -> tuple[str, ...]:
    """Serial numbers as a file or a program lists them, ranges counted out. Raises Refused, which names `where`.

    >>> numbers_of(["K1", "K7..K8"])
    ('K1', 'K7', 'K8')
    """
    try:
        return read_serials(" ".join(said))
    except NotSerials as wrong:
        raise Refused(Problem(str(wrong), where)) from None


def _counted(word: str) -> list[str]:
    told = RANGE.match(word)
    if told is None or told[1] != told[3] or not told[2].isascii() or not told[4].isascii():
        raise NotSerials(f"“{word[:80]}” is no range such as KT-098..KT-101.")
    first, last, width = int(told[2]), int(told[4]), len(told[2])
    if last < first or last - first >= MOST:
        raise NotSerials(f"“{word[:80]}” does not count on from its first number, or over more than {MOST}.")
    return [f"{told[1]}{number:0{width}d}" for number in range(first, last + 1)]


def after(last: str, count: int) -> list[str]:
    """The next numbers after one of ours.

    >>> after("KET-000009", 2)
    ['KET-000010', 'KET-000011']
    """
    told = re.match(r"^(.*?)(\d+)$", last)
    head, digits = (told[1], told[2]) if told else (f"{last}-", "000000")
    return [f"{head}{int(digits) + number:0{len(digits)}d}" for number in range(1, count + 1)]
