"""What an inspector notes: measures, defects of the house's list, and the papers that came with the goods."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.core.problems import Problem
from northing.core.quality.findings import Found, counted
from northing.ledger.models import CostLayer
from northing.masterdata.inspections import characteristics_of
from northing.masterdata.models import Characteristic, Defect
from northing.quality import operations as quality
from northing.quality.models import FoundDefect, Inspection, Measure, SeenPaper
from northing.quality.queries import rule_of

# Figures that are noted of one characteristic.
MOST = 2_000
LARGEST = Decimal(10) ** 9


@dataclass(frozen=True)
class NotesRequest:
    """What was noted: by characteristic (id) the figures in the order of the units, or the units not right; by defect
    (id) the units; the number of each paper by its name.
    """

    measures: tuple[tuple[int, tuple[Decimal, ...]], ...] = ()
    wrong: tuple[tuple[int, int], ...] = ()
    defects: tuple[tuple[int, int], ...] = ()
    papers: tuple[tuple[str, str], ...] = ()


NOTHING = NotesRequest()


@dataclass(frozen=True)
class Notes:
    """The same with the records they are of."""

    measures: Sequence[tuple[Characteristic, tuple[Decimal, ...]]]
    wrong: Sequence[tuple[Characteristic, int]]
    defects: Sequence[tuple[Defect, int]]
    papers: Sequence[tuple[str, str]]

    @property
    def found(self) -> Found:
        """The units that are not right by what was noted."""
        of_list = [(one.severity, units) for one, units in (*self.defects, *self.wrong)]
        measured = [
            (number, one.severity)
            for one, values in self.measures
            for number, value in enumerate(values, 1)
            if not one.right(value)
        ]
        return counted(of_list, measured)

    @property
    def worst(self) -> str:
        """The name of what most units have wrong; empty where nothing is."""
        named = [(units, one.name) for one, units in (*self.defects, *self.wrong)]
        named += [(sum(not one.right(value) for value in values), one.name) for one, values in self.measures]
        units, name = max(named, default=(0, ""))
        return name if units else ""


def notes_of(layer: CostLayer, request: NotesRequest) -> Notes:
    """What was noted of goods of a layer; what the house does not look at is left out."""
    known = {one.pk: one for one in characteristics_of(layer.item)}
    defects = Defect.objects.in_bulk([key for key, _ in request.defects])
    return Notes(
        [(known[key], values) for key, values in request.measures if key in known and values],
        [(known[key], units) for key, units in request.wrong if key in known],
        [(defects[key], units) for key, units in request.defects if key in defects and units],
        [(name, number.strip()[:60]) for name, number in request.papers if number.strip()],
    )


def notes_problems(layer: CostLayer, notes: Notes, looked_at: Decimal, passed: Decimal) -> list[Problem]:
    """What is wrong with the notes; goods whose papers are not here do not pass."""
    found = []
    for one, values in notes.measures:
        where = f"values-{one.pk}"
        if len(values) > min(looked_at, MOST):
            what = f"{len(values):,} figures of {looked_at.normalize():f} units that were looked at."
            found.append(Problem(what, where, "Enter one for each unit, at most 2,000."))
        if any(abs(value) >= LARGEST or round(value, 4) != value for value in values):
            found.append(Problem("A figure has at most four decimals, and nine digits before.", where))
    for one, units in (*notes.wrong, *notes.defects):
        where = f"wrong-{one.pk}" if isinstance(one, Characteristic) else f"defect-{one.pk}"
        if not 0 <= units <= looked_at:
            what = f"{units:,} of {looked_at.normalize():f} units that were looked at."
            found.append(Problem(what, where, "Enter at most that many."))
    rule = rule_of(layer)
    wanted = rule.paper_names if rule and passed else []
    seen = {name for name, _ in notes.papers}
    found += [
        Problem(f"{name} is not here.", f"paper-{place}", "Enter its number; without it goods do not pass.")
        for place, name in enumerate(wanted)
        if name not in seen
    ]
    return found


def write_notes(made: Inspection, notes: Notes) -> None:
    """Keep what was noted with the verdict, by the names and limits of today."""
    measures = [
        _measure(made, one, number, value, right=one.right(value))
        for one, values in notes.measures
        for number, value in enumerate(values, 1)
    ]
    measures += [_measure(made, one, 0, None, right=not units) for one, units in notes.wrong]
    # What is called the same is the same.
    units_of: dict[str, int] = {}
    severity = {one.name: one.severity for one, _ in (*notes.defects, *notes.wrong)}
    for one, units in (*notes.defects, *notes.wrong):
        units_of[one.name] = units_of.get(one.name, 0) + units
    defects = [
        FoundDefect(inspection=made, name=name, severity=severity[name], units=units)
        for name, units in units_of.items()
        if units
    ]
    papers = [SeenPaper(inspection=made, name=name[:80], number=number) for name, number in notes.papers]
    quality.write_notes(measures, defects, papers)


def _measure(made: Inspection, one: Characteristic, number: int, value: Decimal | None, *, right: bool) -> Measure:
    return Measure(
        inspection=made, name=one.name, unit=one.unit, limits=one.limits, severity=one.severity, number=number,
        value=value, right=right,
    )  # fmt: skip
