"""Pack: shipments, containers, stowage, legs and voyages."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.core.exact import plain
from northing.core.periods import day_problems
from northing.core.problems import Problem, Refused, refuse_if
from northing.deeds.aftermath import bring_along
from northing.deeds.cost import costing
from northing.deeds.ship import following
from northing.directory.acts import Act
from northing.directory.rights import companies_of, may_somewhere
from northing.formats.identifiers import container_number, imo_number
from northing.orders.models import Instalment
from northing.papers.operations import once, tell
from northing.shipping import operations as shipping
from northing.shipping.models import Container, Shipment, Stowage, Voyage
from northing.shipping.operations import LegPlan
from northing.shipping.queries import companies_aboard
from northing.standing import operations as standing


@dataclass(frozen=True)
class ShipmentRequest:
    """A new shipment."""

    document: str = ""
    forwarder: int | None = None
    reference: str = ""


@dataclass(frozen=True)
class ContainerRequest:
    """A container put into a shipment."""

    shipment: int
    number: str
    size_type: str
    seal: str = ""


@dataclass(frozen=True)
class VoyageRequest:
    """A vessel's voyage between two ports."""

    vessel: str
    imo: str
    number: str
    carrier: int
    load_port: str
    discharge_port: str


@dataclass(frozen=True)
class PassageRequest:
    """The planned legs of a shipment and the voyage its main leg sails."""

    shipment: int
    voyage: int | None
    legs: tuple[LegPlan, ...]


@dataclass(frozen=True)
class StowRequest:
    """Quantities (base unit) of instalments put into a container."""

    container: int
    rows: tuple[tuple[int, Decimal], ...]


@dataclass(frozen=True)
class UnstowRequest:
    """Stowage taken out again before departure."""

    stowage: int


def _require_packing(act: Act, companies=()) -> None:
    act.require("pack", *companies)
    if not companies and not may_somewhere(act.person, "pack"):
        act.require("pack", *(companies_of(act.person) or [0]))


@once
def create_shipment(act: Act, request: ShipmentRequest) -> int:
    """An empty shipment."""
    _require_packing(act)
    shipment = shipping.write_shipment(act, request.reference, request.document, request.forwarder)
    tell(act, "create_shipment", f"Opened shipment {shipment.reference}", [("shipment", shipment.pk, None)])
    return shipment.pk


@once
def create_voyage(act: Act, request: VoyageRequest) -> int:
    """A voyage that shipments can share."""
    _require_packing(act)
    if request.load_port == request.discharge_port:
        raise Refused(Problem("The voyage ends where it starts.", "discharge_port", "Choose another port."))
    imo = imo_number(request.imo)
    voyage = shipping.write_voyage(
        request.vessel, imo, request.number, request.carrier, request.load_port, request.discharge_port
    )
    tell(act, "create_voyage", f"Entered voyage {voyage}", [("voyage", voyage.pk, None)])
    return voyage.pk


@once
def add_container(act: Act, request: ContainerRequest) -> int:
    """A container by its number."""
    shipment = _open_shipment(request.shipment)
    _require_packing(act)
    number = container_number(request.number)
    container = shipping.write_container(shipment, number, request.size_type, request.seal)
    tell(act, "add_container", f"Put container {number} into {shipment}", [("shipment", shipment.pk, None)])
    return container.pk


@once
def plan_passage(act: Act, request: PassageRequest) -> int:
    """Plan the legs; dock dates of everything aboard follow."""
    shipment = _open_shipment(request.shipment)
    companies = companies_aboard([shipment.pk])
    _require_packing(act, companies)
    refuse_if(_leg_problems(request))
    voyage = Voyage.objects.get(pk=request.voyage) if request.voyage else None
    refuse_if(_voyage_problems(voyage))
    shipping.write_legs(shipment, voyage, request.legs)
    words = f"Planned {len(request.legs)} legs" + (f" with {voyage}" if voyage else "")
    tell(
        act,
        "plan_passage",
        f"{words}; at the dock on {request.legs[-1].end:%-d %b %Y}",
        [("shipment", shipment.pk, None)],
    )
    following.follow_dates(act, [shipment])
    return shipment.pk


def _voyage_problems(voyage: Voyage | None) -> list[Problem]:
    gone = voyage and voyage.statements.filter(kind="actual", milestone="departure").first()
    if not gone:
        return []
    what = f"{voyage} departed on {gone.value:%-d %b %Y}."
    return [Problem(what, "voyage", "Choose a voyage that has not.")]


def _leg_problems(request: PassageRequest) -> list[Problem]:
    if not request.legs:
        return [Problem("Plan at least one leg.", "legs")]
    found: list[Problem] = []
    before: date | None = None
    for index, leg in enumerate(request.legs):
        where = f"legs-{index}"
        found += day_problems(leg.start, where) + day_problems(leg.end, where)
        if leg.end < leg.start:
            found.append(Problem("The leg ends before it starts.", where, "Correct one of its dates."))
        if before and leg.start < before:
            found.append(Problem("The leg starts before the one above it ends.", where, "Correct one of the dates."))
        before = leg.end
    if sum(leg.main for leg in request.legs) != 1:
        found.append(Problem("Exactly one leg is the main one, sailed by the voyage.", "legs", "Mark the sea leg."))
    return found


@once
def stow(act: Act, request: StowRequest) -> int:
    """Put parts of lines into a container; never more than is still with the supplier."""
    container = Container.objects.select_related("shipment").get(pk=request.container)
    shipment = _open_shipment(container.shipment_id)
    rows = [(key, quantity) for key, quantity in request.rows if quantity]
    if not rows:
        raise Refused(Problem("Nothing was entered to pack.", "rows", "Type a quantity beside a line."))
    parts = _locked_parts([key for key, _ in rows])
    companies = {part.line.order.company_id for part in parts.values()}
    _require_packing(act, companies)
    refuse_if(problem for key, quantity in rows for problem in _stow_problems(parts.get(key), quantity, f"row-{key}"))
    links = [("line", part.line_id, part.line.order.company_id) for part in parts.values()]
    text = f"Packed {len(rows)} part{'s' if len(rows) > 1 else ''} into {container.number} of {shipment}"
    story = tell(act, "stow", text + _unagreed(parts.values()), [("shipment", shipment.pk, None), *links])
    made = Stowage.objects.bulk_create(
        Stowage(container=container, instalment_id=key, quantity=quantity) for key, quantity in rows
    )
    standing.move(
        story,
        [standing.MoveDraft(part.instalment_id, "with_supplier", "packed", part.quantity, part.pk) for part in made],
    )
    costing.respread_estimates(act, shipment)
    bring_along(instalments=parts, shipments=[shipment.pk])
    return container.shipment_id


def _unagreed(parts: Iterable[Instalment]) -> str:
    """A warning that lets pass: the story keeps what was packed without the supplier's word."""
    names = [f"{part.line.order.number}/{part.line.number}" for part in parts if part.agreed_quantity < part.quantity]
    return f"; not agreed yet: {', '.join(names)}" if names else ""


def _stow_problems(part: Instalment | None, quantity: Decimal, where: str) -> list[Problem]:
    if part is None:
        return [Problem("This instalment does not exist.", where)]
    there, item = part.position.with_supplier, part.line.item
    if quantity < 0:
        return [Problem("The quantity must be above 0.", where)]
    if round(quantity, item.decimals) != quantity:
        return [Problem(f"{item.code} is counted in whole {item.unit}.", where, "Enter whole units.")]
    if quantity > there:
        return [
            Problem(
                f"Only {plain(there)} {item.unit} of {item.code} are still with the supplier.",
                where,
                "Pack at most that many.",
            )
        ]
    return []


@once
def unstow(act: Act, request: UnstowRequest) -> int:
    """Take stowage out again; its units are with the supplier as before."""
    shipment = _open_shipment(Container.objects.get(stowage=request.stowage).shipment_id)
    part = (
        Stowage.objects.select_for_update(of=("self",))
        .select_related("container", "instalment__line__order")
        .get(pk=request.stowage)
    )
    _require_packing(act, [part.instalment.line.order.company_id])
    if part.settled or part.ours_on:
        raise Refused(Problem("Goods of this part are received or ours already.", mend="Reverse the receipt first."))
    if part.shares.filter(charge__billed__isnull=False).exists():
        raise Refused(
            Problem("A bill is spread over this part.", mend="It stays; bills are spread over what was packed.")
        )
    company = part.instalment.line.order.company_id
    links = [("shipment", shipment.pk, company), ("line", part.instalment.line_id, company)]
    story = tell(act, "unstow", f"Took {plain(part.quantity)} out of {part.container.number}", links)
    standing.move(story, [standing.MoveDraft(part.instalment_id, "packed", "with_supplier", part.quantity)])
    instalment = part.instalment_id
    # Movements keep pointing at what happened, not at a row that is gone.
    part.shares.all().delete()
    part.delete()
    costing.respread_estimates(act, shipment)
    bring_along(instalments=[instalment], shipments=[shipment.pk])
    return shipment.pk


def _open_shipment(key: int) -> Shipment:
    shipment = shipping.lock([key])[key]
    if shipment.departed_on:
        raise Refused(Problem(f"{shipment} has departed.", mend="Pack into a shipment that has not."))
    return shipment


def _locked_parts(keys: list[int]) -> dict[int, Instalment]:
    parts = Instalment.objects.select_for_update(of=("self",)).select_related("line__item", "line__order")
    found = {part.pk: part for part in parts.filter(pk__in=keys).order_by("pk")}
    for key, position in standing.locked_positions(found).items():
        found[key].position = position
    return found
