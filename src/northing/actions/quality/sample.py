"""What a sample says of its lot, and what may be decided otherwise."""

from decimal import Decimal

from northing.access.acts import Act
from northing.access.permissions import may
from northing.actions.quality.request import InspectRequest, SampleRequest
from northing.core.money.exact import plain
from northing.core.problems import Problem
from northing.ledger.models import CostLayer
from northing.quality.models import Inspection
from northing.quality.queries import LotPlan

# Who may take a lot that its sample rejects, or reject one that it accepts.
OVERRULES = "decide_goods"


def sample_problems(
    act: Act, request: InspectRequest, layer: CostLayer, held: Decimal, found: LotPlan | None
) -> list[Problem]:
    """What is wrong with the sample, and with the verdict on its lot."""
    said = request.sample
    if said is None:
        return []
    if found is None:
        return [Problem("No sample is asked for of these goods.", "sample", "Say how many passed and how many failed.")]
    if min(said.size, said.critical, said.major, said.minor) < 0 or said.size == 0:
        return [Problem("Say how many units were looked at, and what was found.", "sample")]
    if said.size > found.lot:
        what = f"The sample of {said.size:,} is larger than the lot of {found.lot:,}."
        return [Problem(what, "sample", "Look at all of it, and say so.")]
    if said.failed > said.size:
        what = f"{said.failed:,} of {said.size:,} units are not right."
        return [Problem(what, "sample", "Count each unit once, by its worst defect.")]
    if request.failed < said.failed:
        what = f"{said.failed:,} units of the sample are not right, and {plain(request.failed)} failed."
        return [Problem(what, "failed", "What is found not right in the sample has failed.")]
    if request.failed > said.failed and request.passed and not said.sorted:
        what = f"{plain(request.failed)} units fail, and {said.failed:,} of the sample are not right."
        return [Problem(what, "failed", "Count them by their defects, or say that all of it was looked at and sorted.")]
    return _against_plan(act, request, layer, held, found)


def _against_plan(act: Act, request: InspectRequest, layer: CostLayer, held: Decimal, found: LotPlan) -> list[Problem]:
    """What is decided otherwise than the plan says: a person who may says why."""
    said = request.sample
    assert said is not None
    why = ""
    if said.size < found.sample:
        why = f"The plan asks for {found.sample:,} units; {said.size:,} were looked at."
    elif not found.accepts(said.critical, said.major, said.minor):
        if request.passed and not (said.sorted and request.passed + request.failed == held):
            why = "The sample rejects the lot."
    elif found.standing.stopped and request.passed:
        why = f"No lot is accepted: {found.standing.why}."
    elif not request.passed:
        why = "The sample accepts the lot."
    if not why or (said.overruled.strip() and may(act.person, OVERRULES, layer.company_id)):
        return []
    if said.overruled.strip():
        return [Problem(why, "overruled", "Ask a person who may decide about goods to overrule it.")]
    return [Problem(why, "overruled", "Decide by it; or, who may, say why it is decided otherwise.")]


def put_plan(made: Inspection, said: SampleRequest | None, found: LotPlan) -> None:
    """The plan, and the sample where one was taken, on the inspection that is to be written."""
    made.lot, made.level, made.state = found.lot, found.rule.level, found.standing.state
    made.aql, made.aql_minor = found.rule.aql, found.rule.aql_minor
    if said is None:
        return
    made.sample, made.critical, made.major, made.minor = said.size, said.critical, said.major, said.minor
    made.accepted = found.accepts(said.critical, said.major, said.minor)
    made.overruled = said.overruled.strip()[:120]
