"""Reading records of the house from text."""

from typing import Any

from northing.core.problems import Problem
from northing.masterdata.facts import NEEDED, Fact, Kind
from northing.masterdata.kinds import KINDS


class Reading:
    """Reads the facts of records of one kind; what they refer to is looked up once for all."""

    def __init__(self, kind: Kind):
        self.kind = kind
        self._known: dict[str, dict[str, Any]] = {}

    def read(self, texts: dict[str, str], new: bool) -> tuple[dict[str, Any], list[Problem]]:
        """Facts by name; of a new record all, of another those that are given. With what is wrong with them."""
        found, problems = {}, []
        for fact in self.kind.facts:
            text = texts.get(fact.name)
            if text is None and not new:
                continue
            text = (text or "").strip()
            if not text and fact.absent is not NEEDED:
                found[fact.name] = fact.absent() if callable(fact.absent) else fact.absent
                continue
            try:
                found[fact.name] = self._value(fact, text)
            except ValueError as error:
                what = f"{fact.words}: {text[:40]!r} {error}." if text else f"{fact.words} is needed."
                problems.append(Problem(what, fact.name))
        return found, problems

    def _value(self, fact: Fact, text: str) -> Any:
        if not fact.refers:
            if not text:
                raise ValueError("is needed")
            return fact.read(text)
        known = self._codes(fact.refers)
        if text.upper() not in known:
            raise ValueError(f"is not the code of a {KINDS[fact.refers].words}")
        return known[text.upper()]

    def _codes(self, kind: str) -> dict[str, Any]:
        if kind not in self._known:
            self._known[kind] = {row.code.upper(): row for row in KINDS[kind].rows()}
        return self._known[kind]
