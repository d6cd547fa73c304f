"""The sentence that says which order lines one wants: `late, from Ningbo, not packed, expected next 7 days`.

Phrases are parted by commas, or by `and` where it stands beside a phrase, and all of them hold; inside a phrase `or`
joins names. Text that is no phrase is looked for as words. Names are only read here; who they are, the desk finds out.
"""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from difflib import get_close_matches

from northing.core.planning.windows import read_window
from northing.core.positions.places import PLACES
from northing.core.worklist.moves import PARTIES

LONGEST, MOST = 400, 20
OUTSIDE_QUOTES = r'(?=(?:[^"]*"[^"]*")*[^"]*$)'
NAMED = {
    "from": "supplier or port",
    "of": "item, group or GTIN",
    "hs": "HS code",
    "order": "order",
    "to": "site or company",
    "buyer": "buyer",
    "aboard": "shipment, voyage or container",
}
DATES = {"expected": "expected", "need-by": "need_by", "promised": "promise", "requested": "requested_on"}
_DATE_WORDS = DATES | {"need by": "need_by", "needed": "need_by", "promise": "promise", "ready": "promise"}
_SAID_OF = {column: word for word, column in DATES.items()}
# Phrases that are always the same words: (kind, value) by what is said; the first of a pair is how we say it.
FIXED = {
    "open": ("show", "open"),
    "all": ("show", "all"),
    "finished": ("show", "finished"),
    "open or not billed": ("show", "due"),
    "late": ("late", "need"),
    "late against promise": ("late", "promise"),
    "agreed": ("agreed", "yes"),
    "not agreed": ("agreed", "no"),
    "partly agreed": ("agreed", "part"),
    "answer waits": ("answer", "waits"),
    "billed": ("billed", "yes"),
    "not billed": ("billed", "no"),
    "received": ("received", "yes"),
    "not received": ("received", "no"),
    "not packed": ("packed", "no"),
    **{words: ("move", party) for party, words in PARTIES.items()},
    **{f"units {place.replace('_', ' ')}": ("place", place) for place in PLACES},
}
_OTHERWISE = {
    "open lines": "open",
    "all lines": "all",
    "done": "finished",
    "late against need-by": "late",
    "late against need by": "late",
    "unagreed": "not agreed",
    "unbilled": "not billed",
    "ours": "our move",
    **{words.replace("'", ""): words for words in PARTIES.values()},
    **{place.replace("_", " "): f"units {place.replace('_', ' ')}" for place in PLACES},
}
_SAYS = {meaning: words for words, meaning in FIXED.items()}


@dataclass(frozen=True, slots=True)
class Clause:
    """One phrase: its kind, and what it asks for; several values are joined by `or`."""

    kind: str
    values: tuple[str, ...]

    @property
    def words(self) -> str:
        """The phrase as it is said; reading it again gives the same clause."""
        if (self.kind, self.values[0]) in _SAYS:
            return _SAYS[self.kind, self.values[0]]
        said = " or ".join(_quoted(value) for value in self.values)
        if self.kind == "words":
            return f'with "{self.values[0]}"'
        return f"{_SAID_OF.get(self.kind, self.kind)} {said}"


def _quoted(value: str) -> str:
    return f'"{value}"' if re.search(r"[,;]|\b(or|and)\b", value, re.IGNORECASE) else value


def read_sentence(text: str, today: date) -> tuple[Clause, ...]:
    """The clauses of a sentence, in its order, each once; what it does not know it looks for as words.

    >>> [clause.words for clause in read_sentence("Late, from Ningbo or Porto, ours, kettle", date(2026, 11, 25))]
    ['late', 'from Ningbo or Porto', 'our move', 'with "kettle"']
    """
    text = " ".join(text.replace("\x00", " ").split())[:LONGEST]
    found = (_clause(part, today) for phrase in _phrases(text) for part in _joined(phrase, today))
    return tuple(dict.fromkeys(clause for clause in found if clause))[:MOST]


def say(clauses: Iterable[Clause]) -> str:
    """The sentence of the clauses."""
    return ", ".join(clause.words for clause in clauses)


def _phrases(text: str) -> list[str]:
    """The text parted at commas and semicolons that stand outside quotes."""
    return [found.strip() for found in re.findall(r'(?:"[^"]*"?|[^,;"])+', text) if found.strip()]


def _joined(phrase: str, today: date) -> list[str]:
    """The phrase parted at `and`, where that joins phrases and is not part of a name.

    >>> _joined("late and from Salt and Pepper", date(2026, 11, 25))
    ['late', 'from Salt and Pepper']
    """
    parts = re.split(r"(\s+and\s+)" + OUTSIDE_QUOTES, phrase, flags=re.IGNORECASE)
    kinds = [clause.kind if (clause := _clause(part, today)) else "" for part in parts[::2]]
    found = [parts[0]]
    for before, kind, joint, part in zip(kinds, kinds[1:], parts[1::2], parts[2::2], strict=False):
        if before not in ("words", "", *NAMED) or kind not in ("words", ""):
            found.append(part)
        else:
            found[-1] += joint + part
    return found


def meant(words: str) -> list[str]:
    """Phrases that a person may have meant by words that name nothing.

    >>> meant("not pakced"), meant("expected soonish")
    (['not packed'], ['expected today', 'expected next 7 days', 'expected before 12 mar'])
    """
    plain = words.lower()
    for word in _DATE_WORDS:
        if plain.startswith(f"{word} ") or plain == word:
            return [f"{word} {window}" for window in ("today", "next 7 days", "before 12 mar")]
    known = {**{phrase: phrase for phrase in FIXED}, **_OTHERWISE}
    close = get_close_matches(plain, known, n=2, cutoff=0.75)
    return list(dict.fromkeys(known[phrase] for phrase in close))


def _clause(phrase: str, today: date) -> Clause | None:
    plain = phrase.lower().replace("’", "'").strip(" .")
    plain = _OTHERWISE.get(plain, plain)
    if plain in FIXED:
        kind, value = FIXED[plain]
        return Clause(kind, (value,))
    for word, column in _DATE_WORDS.items():
        window = plain.removeprefix(f"{word} ")
        if window != plain and read_window(window, today):
            return Clause(column, (window,))
    kind, _, rest = phrase.partition(" ")
    values = _names(rest)
    if kind.lower() in NAMED and values:
        return Clause(kind.lower(), values)
    words = phrase[5:] if kind.lower() == "with" and rest else phrase
    words = " ".join(words.replace('"', " ").split())
    return Clause("words", (words,)) if words else None


def _names(text: str) -> tuple[str, ...]:
    """The names joined by `or` outside quotes."""
    parts = re.split(r"\bor\b" + OUTSIDE_QUOTES, text)
    names = (" ".join(part.replace('"', " ").split()) for part in parts)
    return tuple(dict.fromkeys(name for name in names if name))
