"""Load: say what each container of a shipment holds, in one action; put in, take out, split, move between them.

A person says what should be where; the changes follow from that here, so that one act serves the page, a file and a
proposal alike.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from northing.access.acts import Act
from northing.access.permissions import companies_of, may, may_somewhere
from northing.actions.costing import charges
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import add_history, once
from northing.core.checks import answered, finding
from northing.core.money.exact import plain
from northing.core.orders.orders import over_allowed
from northing.core.planning.loading import LOOSE, TYPES, Fill, fill_of, fill_problems
from northing.core.problems import Problem, Refused, Strength, refuse_if
from northing.drawings.figures import first_of
from northing.formats.identifiers import container_number
from northing.orders.models import Instalment
from northing.positions.operations import MoveDraft, locked_positions, move
from northing.shipping import operations as shipping
from northing.shipping.models import Container, Shipment, ShipmentLine
from northing.shipping.queries import going_elsewhere, held_in, packing_mark, ready_too_late, visible_shipments

ZERO = Decimal(0)
MOST_BOXES = 60
NAMED = 8


@dataclass(frozen=True)
class Box:
    """A container as it should be: one that is there (id) or a new one; what it should hold of each instalment.

    Of instalments that are not named it keeps what it holds.
    """

    container: int | None
    number: str
    size_type: str
    seal: str = ""
    rows: tuple[tuple[int, Decimal], ...] = ()
    # It goes out of the shipment; whatever it holds of the instalments that are named must be out as well.
    gone: bool = False


@dataclass(frozen=True)
class LoadRequest:
    """The containers of a shipment as they should be. `seen` is their mark when that was decided (packing_mark).

    `beyond`: a person who may decide has decided to pack more than was ordered and the tolerance allows.
    `accept`: a person was asked about goods that are ready after their vessel leaves, and goes on all the same.
    """

    shipment: int
    boxes: tuple[Box, ...]
    seen: str = ""
    beyond: bool = False
    accept: bool = False


@dataclass
class Change:
    """How much more (below zero: less) of an instalment a container is to hold."""

    box: Container
    instalment: int
    more: Decimal
    where: str


@dataclass(frozen=True)
class _Placed:
    """A container that is there now, beside how it was asked for, and where that stood."""

    place: int
    box: Container
    asked: Box


def require_packing(act: Act, companies: Iterable[int] = ()) -> None:
    """Require the right to pack in every company whose goods are touched; with none, in some company."""
    companies = list(companies)
    act.require("pack", *companies)
    if not companies and not may_somewhere(act.person, "pack"):
        act.require("pack", *(companies_of(act.person) or [0]))


def open_shipment(act: Act, key: int) -> Shipment:
    """The shipment, locked. Raises Refused where there is none that this person may see, or it has departed."""
    require_packing(act)
    shipment = shipping.lock([key]).get(key)
    if shipment is None or not visible_shipments(act.person).filter(pk=key).exists():
        raise Refused(Problem("There is no such shipment.", "shipment"))
    if shipment.departed_on:
        raise Refused(Problem(f"{shipment} has departed.", mend="Pack into a shipment that has not."))
    return shipment


@once
def load(act: Act, request: LoadRequest) -> dict:
    """Bring the containers of a shipment to what is said. Returns the shipment and what to mind, as text."""
    shipment = open_shipment(act, request.shipment)
    if request.seen and request.seen != packing_mark(shipment.pk, companies_of(act.person)):
        what = "Another person has changed this shipment meanwhile."
        raise Refused(Problem(what, mend="Open it anew beside this and compare; what you typed stands here."))
    placed = _boxes(shipment, request.boxes)
    changes = _changes(placed)
    warnings = restow(act, shipment, changes, beyond=request.beyond) if changes else []
    _let_go(one.box for one in placed if one.asked.gone)
    warnings += [str(problem) for problem in overfull(shipment)]
    if changes:
        warnings += in_time(shipment, accept=request.accept)
    return {"shipment": shipment.pk, "warnings": warnings}


def in_time(shipment: Shipment, *, accept: bool) -> list[str]:
    """Ask about goods that are ready too late for their collection or vessel, and about goods for another country.

    Returns what to mind; raises Refused to ask.
    """
    mend, found = "Choose a later voyage, or load it anyway.", []
    for one in ready_too_late(shipment):
        days = f"on {one.ready:%-d %b %Y}, after {one.missed} on {one.leaves:%-d %b %Y}"
        found.append(answered(Problem(f"{one.name} is to be ready {days}.", "accept", mend, Strength.ASK), accept))
    for other in going_elsewhere(shipment):
        what = f"{other.name} is for {other.site}; the goods are discharged at {other.port}."
        check = finding(other.strength, what, "Choose a voyage that calls there", "load it anyway")
        found.append(answered(check, accept))
    return [str(problem) for problem in refuse_if(found)]


def _boxes(shipment: Shipment, asked: Sequence[Box]) -> list[_Placed]:
    """The containers, made or changed as asked, in their order; an empty one of which nothing is said is left out."""
    if len(asked) > MOST_BOXES:
        raise Refused(Problem(f"More than {MOST_BOXES} containers at once.", "boxes", "Load the rest afterwards."))
    there = {box.pk: box for box in Container.objects.filter(shipment=shipment).order_by("pk")}
    numbers = {box.number: box.pk for box in there.values()}
    placed: list[_Placed] = []
    problems: list[Problem] = []
    for place, one in enumerate(asked):
        where = f"box-{place}"
        filled = any(quantity for _, quantity in one.rows)
        if one.container is None and not filled and (one.gone or not one.number.strip()):
            continue
        box = there.get(one.container) if one.container else Container(shipment=shipment)
        if box is None:
            problems.append(Problem("This container is not in the shipment any more.", where, "Look again."))
            continue
        try:
            number = box.number if one.gone and box.pk else box_number(one.number, one.size_type)
        except Refused as refused:
            problems += [Problem(str(problem), f"{where}-number") for problem in refused.problems]
            continue
        if numbers.setdefault(number, box.pk or -place - 1) != (box.pk or -place - 1):
            problems.append(Problem("This container is in the shipment already.", f"{where}-number"))
        if one.size_type not in TYPES and one.size_type != LOOSE:
            problems.append(Problem("This is no type of container that we know.", f"{where}-type"))
        box.number, box.size_type, box.seal = number, one.size_type, one.seal.strip()[:20]
        placed.append(_Placed(place, box, one))
    refuse_if(problems)
    for made in placed:
        shipping.keep_box(made.box)
    return placed


def box_number(text: str, size_type: str) -> str:
    """A container's number, proved; loose packages have any mark. Raises Refused."""
    if size_type != LOOSE:
        return container_number(text)
    mark = " ".join(text.upper().split())
    if not 0 < len(mark) <= 11:
        raise Refused(Problem("Loose packages need a mark of 11 characters at most.", "number"))
    return mark


def _changes(placed: Sequence[_Placed]) -> list[Change]:
    held = held_in(one.box.pk for one in placed)
    return [
        Change(one.box, key, wanted - held.get((one.box.pk, key), ZERO), f"cell-{key}-{one.place}")
        for one in placed
        for key, wanted in dict(one.asked.rows).items()
        if wanted != held.get((one.box.pk, key), ZERO)
    ]


def _let_go(boxes: Iterable[Container]) -> None:
    for box in boxes:
        if ShipmentLine.objects.filter(container=box).exists():
            raise Refused(Problem(f"{box.number} still holds goods.", mend="Take them out first."))
        if box.statements.exists() or box.charges.exists():
            raise Refused(Problem(f"{box.number} is spoken of or charged for; it stays.", mend="Leave it empty."))
        shipping.let_go(box)


def restow(act: Act, shipment: Shipment, changes: Sequence[Change], *, beyond: bool = False) -> list[str]:
    """Write what changes, and all that follows. Returns what to mind. Raises Refused."""
    parts = locked_parts({change.instalment for change in changes})
    companies = {part.line.order.company_id for part in parts.values()}
    require_packing(act, companies)
    shipment_lines = _locked_shipment_line(changes)
    problems = [problem for change in changes for problem in _cell_problems(parts, shipment_lines, change)]
    net = _net(changes)
    if not problems:
        problems = [problem for key, more in net.items() for problem in _beyond(act, parts[key], more, beyond, changes)]
    warnings = [str(problem) for problem in refuse_if(problems)]
    history = _told(act, shipment, changes, parts)
    grown = _write(changes, shipment_lines)
    move(history, _moves(net, parts, grown))
    charges.respread_estimates(act, shipment)
    bring_along(instalments=list(parts), shipments=[shipment.pk])
    return warnings


def _locked_shipment_line(changes: Iterable[Change]) -> dict[tuple[int, int], list[ShipmentLine]]:
    boxes, keys = {change.box.pk for change in changes}, {change.instalment for change in changes}
    rows = ShipmentLine.objects.select_for_update().filter(container__in=boxes, instalment__in=keys).order_by("pk")
    found: dict[tuple[int, int], list[ShipmentLine]] = {}
    for row in rows:
        found.setdefault((row.container_id, row.instalment_id), []).append(row)
    return found


def _net(changes: Iterable[Change]) -> dict[int, Decimal]:
    net: dict[int, Decimal] = {}
    for change in changes:
        net[change.instalment] = net.get(change.instalment, ZERO) + change.more
    return net


def _cell_problems(
    parts: Mapping[int, Instalment], shipment_lines: Mapping[tuple[int, int], list[ShipmentLine]], change: Change
) -> list[Problem]:
    part = parts.get(change.instalment)
    if part is None:
        return [Problem("This instalment does not exist, or its order is not sent.", change.where)]
    item = part.line.item
    if round(change.more, item.decimals) != change.more:
        return [Problem(f"{item.code} is counted in whole {item.unit}.", change.where, "Enter whole units.")]
    rows = shipment_lines.get((change.box.pk, change.instalment), [])
    if sum((row.quantity for row in rows), ZERO) + change.more < 0:
        return [Problem("The quantity must be above 0.", change.where)]
    if change.more > 0:
        return []
    if any(row.accounted or row.ours_on for row in rows):
        what = f"Goods of this part in {change.box.number} are received or ours already."
        return [Problem(what, change.where, "Reverse the receipt first.")]
    if any(row.shares.filter(charge__billed__isnull=False).exists() for row in rows):
        mend = "It stays; bills are spread over what was packed."
        return [Problem("A bill is spread over this part.", change.where, mend)]
    return []


def _beyond(act: Act, part: Instalment, more: Decimal, decided: bool, changes: Iterable[Change]) -> list[Problem]:
    """More than is still with the supplier: within the tolerance it passes and is said, beyond it a buyer decides."""
    over = more - part.position.with_supplier
    if over <= 0:
        return []
    item, order = part.line.item, part.line.order
    allowed = over_allowed(part.quantity, order.supplier.over_tolerance, item.decimals) - part.position.excess
    where = next((one.where for one in changes if one.instalment == part.pk and one.more > 0), "")
    name = f"{order.number}/{part.line.number}"
    if over <= allowed or (decided and may(act.person, "decide_answer", order.company_id)):
        what = f"{plain(over)} {item.unit} of {item.code} more than {name} orders are packed."
        return [Problem(what, where, strength=Strength.WARN)]
    what = f"Only {plain(part.position.with_supplier)} {item.unit} of {item.code} are still with the supplier."
    most = part.position.with_supplier + max(allowed, ZERO)
    mend = f"Pack at most {plain(most)}, or let a buyer decide to take more."
    return [Problem(what, where, mend, Strength.ASK)]


def _told(act: Act, shipment: Shipment, changes: Sequence[Change], parts: Mapping[int, Instalment]) -> HistoryEntry:
    """One entry for all of it; the containers are named, and what was packed without the supplier's word."""
    texts = []
    for words, some in (
        ("Packed", [one for one in changes if one.more > 0]),
        ("Took out", [one for one in changes if one.more < 0]),
    ):
        if some:
            boxes = list(dict.fromkeys(one.box.number for one in some))
            names = first_of(boxes, NAMED)
            count = len({one.instalment for one in some})
            many = f"{count} part{'s' if count > 1 else ''}"
            texts.append(f"{words} {many} {'into' if words == 'Packed' else 'of'} {names}")
    packed = {one.instalment for one in changes if one.more > 0}
    links = [("line", part.line_id, part.line.order.company_id) for part in parts.values()]
    text = f"{'; '.join(texts)} of {shipment}{_unagreed(parts[key] for key in sorted(packed))}"
    return add_history(act, "stow", text, [("shipment", shipment.pk, None), *links])


def _unagreed(parts: Iterable[Instalment]) -> str:
    """A warning that lets pass: the story keeps what was packed without the supplier's word."""
    names = [f"{part.line.order.number}/{part.line.number}" for part in parts if part.agreed_quantity < part.quantity]
    return f"; not agreed yet: {first_of(names, NAMED)}" if names else ""


def _write(
    changes: Iterable[Change], shipment_lines: Mapping[tuple[int, int], list[ShipmentLine]]
) -> list[ShipmentLine]:
    new, grown, gone, less = [], [], [], []
    for change in changes:
        rows = shipment_lines.get((change.box.pk, change.instalment), [])
        if change.more > 0:
            free = [row for row in rows if not row.ours_on and not row.accounted]
            if free:
                free[0].quantity += change.more
                grown.append(free[0])
            else:
                new.append(ShipmentLine(container=change.box, instalment_id=change.instalment, quantity=change.more))
            continue
        left = -change.more
        for row in reversed(rows):
            part = min(left, row.quantity)
            row.quantity -= part
            left -= part
            (grown if row.quantity else gone).append(row)
            less.append(row)
    packed = shipping.keep_packed(new, grown, less)
    shipping.take_away(gone)
    return packed + grown


def _moves(net: Mapping[int, Decimal], parts: Mapping[int, Instalment], grown: Sequence[ShipmentLine]):
    """Units that are packed now, or with the supplier again; what is beyond the order arises first and goes first.

    Between containers of a shipment nothing changes its place.
    """
    shipment_lines = {row.instalment_id: row.pk for row in grown}
    drafts = []
    for key, more in net.items():
        position = parts[key].position
        if more > 0:
            ordered = min(more, position.with_supplier)
            drafts.append(MoveDraft(key, "with_supplier", "packed", ordered, shipment_lines.get(key)))
            drafts.append(MoveDraft(key, "excess", "packed", more - ordered, shipment_lines.get(key)))
        elif more < 0:
            excess = min(-more, position.excess)
            drafts.append(MoveDraft(key, "packed", "excess", excess))
            drafts.append(MoveDraft(key, "packed", "with_supplier", -more - excess))
    return drafts


def locked_parts(keys: Iterable[int]) -> dict[int, Instalment]:
    """Instalments of sent orders with their positions, locked in key order."""
    parts = Instalment.objects.select_for_update(of=("self",)).select_related("line__item", "line__order__supplier")
    found = {part.pk: part for part in parts.filter(pk__in=list(keys)).order_by("pk")}
    positions = locked_positions(found)
    for key, position in positions.items():
        found[key].position = position
    return {key: part for key, part in found.items() if key in positions}


def fills(shipment: Shipment) -> dict[int, Fill]:
    """How full each container (id) of a shipment is, the person who's goods are in it."""
    rows = ShipmentLine.objects.filter(container__shipment=shipment).values_list(
        "container", "quantity", "instalment__line__item__volume_m3", "instalment__line__item__weight_kg"
    )
    held: dict[int, list[tuple[Decimal, Decimal, Decimal]]] = {}
    for box, *row in rows:
        held.setdefault(box, []).append(tuple(row))
    return {
        box.pk: fill_of(held.get(box.pk, ()), *limits_of(box))
        for box in Container.objects.filter(shipment=shipment).order_by("pk")
    }


def limits_of(box: Container) -> tuple[Decimal | None, Decimal | None]:
    """The limits of a container by volume and by weight: its own, else its type's; None for loose packages."""
    kind = TYPES.get(box.size_type)
    volume = box.volume_m3 or (kind.volume if kind else None)
    return volume, box.payload_kg or (kind.payload if kind else None)


def overfull(shipment: Shipment) -> list[Problem]:
    """Warnings of the containers that hold more than they should."""
    full = fills(shipment)
    boxes = Container.objects.in_bulk(full)
    return [problem for key, fill in full.items() for problem in fill_problems(boxes[key].number, fill, "boxes")]
