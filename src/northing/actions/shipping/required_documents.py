"""Papers due on a shipment: what has to be there by which day, and who owes it."""

from dataclasses import dataclass
from datetime import date, timedelta

from northing.access.acts import Act, future_problem
from northing.access.models import Person
from northing.actions.shipping.load import require_packing
from northing.actions.worklist import documents
from northing.activity.operations import add_history, once
from northing.core.money.periods import day_problems, far_problems
from northing.core.problems import Problem, Refused, refuse_if
from northing.core.worklist.moves import PARTIES
from northing.shipping import operations as shipping
from northing.shipping.models import CARRIED, Leg, RequiredDocument, Shipment, ShipmentLine
from northing.shipping.queries import companies_aboard

Kind, Anchor = RequiredDocument.Kind, RequiredDocument.Anchor
NEEDED_FOR = {"": "nothing", "departure": "the departure", "customs": "customs", "receipt": "the receipt"}
MOST_DOCUMENTS = 60


@dataclass(frozen=True)
class DocumentRequest:
    """A paper due: by a day, or so many days from the expected departure or arrival."""

    shipment: int
    kind: str
    party: str
    what: str = ""
    owner: int | None = None
    form: str = ""
    anchor: str = ""
    anchor_days: int = 0
    due: date | None = None
    needed_for: str = ""


@dataclass(frozen=True)
class UsualRequest:
    """The usual papers of a shipment (id): those that it has already are not asked for twice."""

    shipment: int


@dataclass(frozen=True)
class DoneRequest:
    """A paper (id) that is there: since when, under which reference. `day` None: it is not there after all."""

    paper: int
    day: date | None
    reference: str = ""
    form: str = ""


# kind, party, days from what, needed for; plant health only for what grows.
USUAL = (
    (Kind.CUT_OFF, "us", Anchor.DEPARTURE, -2, "departure"),
    (Kind.PACKING_LIST, "supplier", Anchor.DEPARTURE, 0, "customs"),
    (Kind.INVOICE, "supplier", Anchor.DEPARTURE, 0, "customs"),
    (Kind.LADING, "carrier", Anchor.DEPARTURE, 4, "customs"),
    (Kind.ORIGIN, "supplier", Anchor.DEPARTURE, 7, "customs"),
)
# HS chapters of live plants, vegetables, fruit, coffee and tea, cereals, seeds: what a plant health office looks at.
GROWS = ("06", "07", "08", "09", "10", "12")


@once
def require_document(act: Act, request: DocumentRequest) -> int:
    """Write down a paper that is due."""
    shipment = _shipment(act, request.shipment)
    refuse_if(_problems(request, shipment, act.today))
    paper = shipping.write_document(act, request)
    bring_documents_along(shipment)
    add_history(act, "require_document", f"Due: {paper}", [("shipment", shipment.pk, None)])
    return paper.pk


@once
def ask_usual(act: Act, request: UsualRequest) -> int:
    """Write down the usual papers that are not there yet. Returns how many."""
    shipment = _shipment(act, request.shipment)
    there = set(shipment.required_documents.values_list("kind", flat=True))
    lading = {Kind.LADING, Kind.WAYBILL}
    wanted = [row for row in USUAL if row[0] not in there and not (row[0] in lading and there & lading)]
    aboard = ShipmentLine.objects.filter(container__shipment=shipment)
    codes = aboard.values_list("instalment__line__item__hs_code", flat=True)
    if Kind.PLANT_HEALTH not in there and any(code.startswith(GROWS) for code in codes):
        wanted.append((Kind.PLANT_HEALTH, "supplier", Anchor.DEPARTURE, 0, "customs"))
    for kind, party, anchor, days, needed in wanted:
        if shipment.mode == Shipment.Mode.AIR and kind == Kind.LADING:
            kind = Kind.WAYBILL
        asked = DocumentRequest(shipment.pk, kind, party, anchor=anchor, anchor_days=days, needed_for=needed)
        shipping.write_document(act, asked)
    if wanted:
        bring_documents_along(shipment)
        add_history(act, "require_document", f"Due: {len(wanted)} usual papers", [("shipment", shipment.pk, None)])
    return len(wanted)


@once
def complete_document(act: Act, request: DoneRequest) -> int:
    """A paper is there, or is not after all."""
    paper = RequiredDocument.objects.select_related("shipment").filter(pk=request.paper).first()
    if paper is None:
        raise Refused(Problem("There is no such paper."))
    shipment = _shipment(act, paper.shipment_id)
    paper = RequiredDocument.objects.select_for_update().get(pk=paper.pk)
    if request.day:
        refuse_if(future_problem(request.day, act, "day"))
        held = _held_back(paper)
        if held:
            raise Refused(Problem(f"The papers are held until it is paid: {held}.", "day", "Settle that first."))
    shipping.complete_document(paper, request.day, request.reference.strip()[:60], request.form)
    bring_documents_along(shipment)
    words = f"{paper} is there" if request.day else f"{paper} is not there after all"
    reference = f": {paper.reference}" if paper.reference else ""
    add_history(act, "complete_document", words + reference, [("shipment", shipment.pk, None)], request.day)
    return shipment.pk


def _held_back(paper: RequiredDocument) -> RequiredDocument | None:
    """The payment that a bill of lading waits for: its original is not handed out before it."""
    if paper.kind != Kind.LADING:
        return None
    return RequiredDocument.objects.filter(shipment=paper.shipment_id, kind=Kind.BALANCE, done_on=None).first()


def _shipment(act: Act, key: int) -> Shipment:
    shipment = shipping.lock([key]).get(key)
    if shipment is None:
        raise Refused(Problem("There is no such shipment.", "shipment"))
    require_packing(act, companies_aboard([shipment.pk]))
    return shipment


def _problems(request: DocumentRequest, shipment: Shipment, today: date) -> list[Problem]:
    found = []
    if request.kind not in Kind.values:
        found.append(Problem("This is no kind of paper.", "kind"))
    if request.kind == Kind.OTHER and not request.what.strip():
        found.append(Problem("Say which paper it is.", "what"))
    if request.party not in PARTIES:
        found.append(Problem("Say whose move it is.", "party"))
    if request.needed_for not in NEEDED_FOR:
        found.append(Problem("Say what it stops while it is not there.", "needed_for"))
    if request.form not in RequiredDocument.Form.values:
        found.append(Problem("It is an original, released, or as it is.", "form"))
    if request.anchor not in Anchor.values or not -99 <= request.anchor_days <= 99:
        found.append(Problem("Count at most 99 days from departure or arrival.", "anchor_days"))
    if not request.anchor and request.due is None:
        found.append(Problem("Say the day, or count from departure or arrival.", "due"))
    if request.due is not None:
        found += day_problems(request.due, "due") or far_problems(request.due, today, "due")
    if request.owner is not None and not Person.objects.filter(pk=request.owner, is_active=True).exists():
        found.append(Problem("There is no such person.", "owner"))
    if shipment.required_documents.count() >= MOST_DOCUMENTS:
        found.append(Problem(f"A shipment has at most {MOST_DOCUMENTS} papers.", "kind"))
    return found


def bring_documents_along(shipment: Shipment) -> None:
    """The days of a shipment's papers, and whose move they are, as the facts have it now."""
    refresh_days([shipment])
    documents.refresh_documents([shipment.pk])


def refresh_days(shipments: list[Shipment]) -> None:
    """The days of papers that are counted from a departure or an arrival, as those are expected now."""
    papers = list(RequiredDocument.objects.filter(shipment__in=shipments).exclude(anchor=""))
    if not papers:
        return
    ends: dict[int, dict[str, date]] = {}
    for leg in Leg.objects.filter(shipment__in=shipments).order_by("shipment", "number"):
        mine = ends.setdefault(leg.shipment_id, {})
        if leg.main or leg.mode in CARRIED:
            mine.setdefault(Anchor.DEPARTURE, leg.expected_start)
        if leg.main:
            mine[Anchor.ARRIVAL] = leg.expected_end
    rows = []
    for paper in papers:
        day = ends.get(paper.shipment_id, {}).get(paper.anchor)
        due = day + timedelta(days=paper.anchor_days) if day else None
        if due != paper.due:
            rows.append((paper.pk, due))
    shipping.write_document_days(rows)
