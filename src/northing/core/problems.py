"""Problems as data: what a check found, where, how strong, and how to mend it."""

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum


class Strength(StrEnum):
    """warn informs and lets pass, ask needs a decision, block stops."""

    WARN = "warn"
    ASK = "ask"
    BLOCK = "block"


@dataclass(frozen=True, slots=True)
class Problem:
    """One finding. `where` names the field or row; `mend` says what to do about it, and `record` on which record.

    A record is its kind and id; pages make a link of it. Of a block, `decision` says that who may decide lets it pass.
    """

    what: str
    where: str = ""
    mend: str = ""
    strength: Strength = Strength.BLOCK
    record: tuple[str, int] | None = None
    decision: bool = False

    def __str__(self) -> str:
        return f"{self.what} {self.mend}".strip()


class Refused(Exception):
    """An action that may not happen, with all its problems at once.

    Refused
    |-- NotAllowed        the person lacks the permission
    |-- KeyReused         an idempotency key came back with another request
    """

    def __init__(self, problems: Iterable[Problem] | Problem | str):
        if isinstance(problems, str):
            problems = Problem(problems)
        self.problems = [problems] if isinstance(problems, Problem) else list(problems)
        super().__init__("; ".join(str(problem) for problem in self.problems))


class NotAllowed(Refused):
    """The person lacks the permission."""


class KeyReused(Refused):
    """An idempotency key came back with another request."""


def refuse_if(problems: Iterable[Problem]) -> list[Problem]:
    """Raise Refused with every block and ask among `problems`; return the warnings."""
    found = list(problems)
    stops = [problem for problem in found if problem.strength is not Strength.WARN]
    if stops:
        raise Refused(stops)
    return found
