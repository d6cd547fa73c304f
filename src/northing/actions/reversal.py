"""The one way to reverse a fact: its request, and the checks before all others.

Each fact's own action goes on from there: it asks `reports.standing` for later facts that stand on it, undoes what the
fact did by counter-entries, and marks it. The fact stays.
"""

from dataclasses import dataclass

from northing.core.problems import Problem, Refused


@dataclass(frozen=True)
class ReverseRequest:
    """A fact (its id) to be reversed, and why."""

    record: int
    reason: str


def refuse_reversal(what: str, reversed_by: int | None, reason: str) -> None:
    """Raise Refused for a fact that is reversed already (by an entry's id), or where no reason is given."""
    if reversed_by is not None:
        raise Refused(Problem(f"This {what} is reversed already.", mend="Reload the page."))
    if not reason.strip():
        raise Refused(Problem(f"Say why the {what} is reversed.", "reason", "One sentence is enough."))
