"""Send back what came from suppliers, at once or prepared first: of a receipt, an order, a layer or an item."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from django.db.models import Prefetch

from northing.access.acts import Act, future_problem
from northing.access.permissions import may
from northing.actions.claims.prepared import Part, stand_by
from northing.actions.claims.returns import Back, go_back, reverse_return
from northing.actions.claims.set_aside import GOOD, Aside, put_aside
from northing.actions.quality.inspect import locked_layers
from northing.actions.reversal import ReverseRequest
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import once
from northing.claims import operations as claims
from northing.claims.models import Authorisation, Claim, GoodsReturn, ReturnNote
from northing.claims.queries import numbers_standing_by, standing_by_layer, standing_by_of
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.inventory import operations
from northing.inventory.serials import serials_in
from northing.ledger.models import CostLayer
from northing.ledger.queries import CAME

ZERO = Decimal(0)
STATES = (*GOOD, "rejected")
MOST_PACKAGES = 500


@dataclass(frozen=True)
class Of:
    """What is sent back of: a receipt, an order, a layer, or an item (ids); of an item the oldest goods first."""

    receipt: int | None = None
    order: int | None = None
    layer: int | None = None
    item: int | None = None
    # Of an item: of one supplier only.
    supplier: int | None = None


@dataclass(frozen=True)
class ReturnAllRequest:
    """Goods that go back under the supplier's reference: all that is here, or so many `units` by layer (id).

    With `most` so many in all, the oldest first. `prepared`, they stand by until the return is despatched.
    """

    reference: str
    reason: str
    occurred_on: date
    receipt: int | None = None
    order: int | None = None
    haulier: str = ""
    layer: int | None = None
    item: int | None = None
    supplier: int | None = None
    units: Mapping[int, Decimal] | None = field(default=None, hash=False)
    most: Decimal | None = None
    serials: tuple[str, ...] = ()
    deliver_to: str = ""
    packages: int = 1
    prepared: bool = False

    @property
    def of(self) -> Of:
        """What it is of."""
        return Of(self.receipt, self.order, self.layer, self.item, self.supplier)


def layers_of(of: Of) -> list[int]:
    """The layers (ids) that goods are left of, the oldest first; not those that belong to no order."""
    found = CostLayer.objects.filter(CAME, receipt_line__why="", on_hand__quantity__gt=0, shipment_line__isnull=False)
    order = "shipment_line__instalment__line__order"
    if of.receipt:
        found = found.filter(receipt_line__receipt=of.receipt)
    elif of.order:
        found = found.filter(**{order: of.order})
    elif of.layer:
        found = found.filter(pk=of.layer)
    else:
        found = found.filter(item=of.item)
    if of.supplier:
        found = found.filter(**{f"{order}__supplier": of.supplier})
    keys = found.order_by("occurred_on", "pk").values_list("pk", "occurred_on").distinct()
    return [key for key, _ in keys]


@once
def return_all(act: Act, request: ReturnAllRequest) -> list[int]:
    """Held, stored and rejected units go back; of the good ones a case is opened. Returns the returns' ids.

    There is one return for each site and supplier.
    """
    check_return(act, request)
    keys = layers_of(request.of)
    found = locked_layers(keys)
    layers = _allowed(act, request, [found[key] for key in keys])
    states = operations.in_states(keys, STATES)
    wanted = _wanted(request, layers, states)
    parts = _parts(act, request, wanted, states)
    places = {(part.case.layer.site_id, part.case.supplier_id): part.case for part in reversed(parts)}
    made = {place: _open(act, case.layer, case, request) for place, case in reversed(places.items())}
    rows = [(made[part.case.layer.site_id, part.case.supplier_id], part) for part in parts]
    if request.prepared:
        for head, part in rows:
            stand_by(act, head, part)
    else:
        went = [Back(part.case, part.case.layer, part.units, part.reference, head, part.serials) for head, part in rows]
        go_back(act, went, request.occurred_on)
    bring_along(layers=[layer.pk for layer, _ in wanted], cases=[part.case.pk for part in parts])
    return [one.pk for one in made.values()]


def check_return(act: Act, request: ReturnAllRequest) -> None:
    """What can be told before anything is locked. Raises Refused."""
    if not any((request.receipt, request.order, request.layer, request.item)):
        raise Refused(Problem("Say what goes back: a receipt, an order, goods of a layer, or an item."))
    refuse_if(_problems(act, request))


def foresee_return(act: Act, request: ReturnAllRequest) -> int:
    """How many layers it takes goods of, before the worker does it. Raises Refused as the return itself would now."""
    check_return(act, request)
    keys = layers_of(request.of)
    layers = list(CostLayer.objects.filter(pk__in=keys).select_related("item").order_by("occurred_on", "pk"))
    layers = _allowed(act, request, layers)
    return len(_wanted(request, layers, operations.in_states(keys, STATES)))


def _allowed(act: Act, request: ReturnAllRequest, layers: list[CostLayer]) -> list[CostLayer]:
    """The layers, all of which the person may send back; of an item, those of the sites where the person may."""
    if request.item:
        mine = [layer for layer in layers if may(act.person, "return_goods", layer.company_id, layer.site_id)]
        layers = mine or layers
    for company, site in {(layer.company_id, layer.site_id) for layer in layers}:
        act.require_at("return_goods", company, site)
    return layers


def _wanted(
    request: ReturnAllRequest, layers: list[CostLayer], states: Mapping[int, Mapping[str, Decimal]]
) -> list[tuple[CostLayer, Decimal]]:
    """How many units go of each layer. Raises Refused where they are not there."""
    there = {layer.pk: sum(states[layer.pk].values(), ZERO) for layer in layers}
    waits = standing_by_layer(there)
    there = {key: units - waits.get(key, ZERO) for key, units in there.items()}
    if waits and not any(there.values()):
        raise Refused(
            Problem("All of it is prepared for another return.", mend="Despatch that one, or cancel it first.")
        )
    if not any(there.values()):
        raise Refused(Problem("Nothing of it is here any more.", mend="Take back what was issued first."))
    if request.units is not None:
        refuse_if(_units_problems(request.units, layers, there))
        return [(layer, request.units[layer.pk]) for layer in layers if request.units.get(layer.pk)]
    if request.most is None:
        return [(layer, there[layer.pk]) for layer in layers]
    return list(_oldest_first(request.most, layers, there))


def _oldest_first(
    most: Decimal, layers: list[CostLayer], there: Mapping[int, Decimal]
) -> Iterator[tuple[CostLayer, Decimal]]:
    whole = sum(there.values(), ZERO)
    if not 0 < most <= whole or round(most, layers[0].item.decimals) != most:
        what = f"{plain(whole)} {layers[0].item.unit} are here."
        raise Refused(Problem(what, "most", "Enter at most that, above 0, in whole units."))
    for layer in layers:
        units = min(most, there[layer.pk])
        most -= units
        if units:
            yield layer, units


def _units_problems(
    units: Mapping[int, Decimal], layers: list[CostLayer], there: Mapping[int, Decimal]
) -> list[Problem]:
    known = {layer.pk: layer for layer in layers}
    found = [
        Problem("These goods are not of what goes back.", f"units-{key}", "Choose among those of the list.")
        for key in units
        if key not in known
    ]
    for layer in layers:
        wanted, item = units.get(layer.pk, ZERO), layer.item
        if wanted < 0 or wanted > there[layer.pk]:
            what = f"{plain(there[layer.pk])} {item.unit} of {item.code} are here."
            found.append(Problem(what, f"units-{layer.pk}", "Enter at most that; prepared units are not counted."))
        elif round(wanted, item.decimals) != wanted:
            found.append(Problem(f"{item.code} is counted in whole {item.unit}.", f"units-{layer.pk}"))
    if not found and not any(units.values()):
        found.append(Problem("Say how many units go back.", "most", "Enter them beside one of the goods at least."))
    return found


def _parts(
    act: Act,
    request: ReturnAllRequest,
    wanted: Sequence[tuple[CostLayer, Decimal]],
    states: Mapping[int, Mapping[str, Decimal]],
) -> list[Part]:
    """The units by case and reference: of a layer rejected ones first, then held ones, then those in store.

    For good ones a case is opened.
    """
    known = _open_cases([layer for layer, _ in wanted])
    waits = standing_by_of(case.pk for cases in known.values() for case in cases)
    numbers, found, good = set(request.serials), [], []
    for layer, units in wanted:
        for case in known.get(layer.pk, []):
            for free, reference in _free(case, request.reference, waits):
                if part := min(free, units):
                    units -= part
                    found.append(Part(case, part, reference, False, _taken(layer, "rejected", part, numbers)))
        if units:
            good.append(_good(layer, units, states[layer.pk], numbers))
    if numbers:
        what = f"{sorted(numbers)[0]} is no unit that goes back."
        raise Refused(Problem(what, "serials", "Name units of these goods, as many as go."))
    cases = put_aside(act, good, request.reason, request.occurred_on) if good else []
    opened = zip(cases, good, strict=True)
    return [*found, *(Part(case, case.quantity, request.reference, True, tuple(row.serials)) for case, row in opened)]


def _good(layer: CostLayer, units: Decimal, states: Mapping[str, Decimal], numbers: set[str]) -> Aside:
    """So many good units of a layer, held ones first."""
    parts, named = [], []
    for state in GOOD:
        if part := min(states.get(state, ZERO), units):
            units -= part
            parts.append((state, part))
            named += _taken(layer, state, part, numbers)
    return Aside(layer, parts, named)


def _taken(layer: CostLayer, state: str, units: Decimal, numbers: set[str]) -> tuple[str, ...]:
    """The serial numbers of the units that go: those that are named; where none are, whichever are there."""
    if not layer.item.keeps_serial:
        return ()
    waits = numbers_standing_by(layer.pk) if state == "rejected" else set()
    there = [one for one in serials_in(layer, state) if one not in waits]
    if len(there) > units and not numbers:
        what = f"Units of {layer.item.code} have serial numbers: say which go."
        raise Refused(Problem(what, "serials", "Name as many as go back."))
    chosen = [one for one in there if one in numbers][: int(units)] if len(there) > units else there
    if len(chosen) != units:
        what = f"{len(chosen)} of the numbers are {state.replace('_', ' ')}; {plain(units)} units go."
        raise Refused(Problem(what, "serials", "Name as many as go back."))
    numbers.difference_update(chosen)
    return tuple(chosen)


def _open_cases(layers: Sequence[CostLayer]) -> dict[int, list[Claim]]:
    """The open cases of rejected units by layer (id), locked."""
    found = Claim.objects.select_for_update(of=("self",)).select_related("supplier", "company")
    found = found.filter(layer__in=layers, kind=Claim.Kind.REJECTED, withdrawn_at=None)
    of_layer = {layer.pk: layer for layer in layers}
    by_layer: dict[int, list[Claim]] = {}
    said = Prefetch("authorisations", Authorisation.objects.filter(reversed_by=None).order_by("pk"), "said")
    for case in found.prefetch_related(said).order_by("pk"):
        if case.open_quantity:
            case.layer = of_layer[case.layer_id]
            by_layer.setdefault(case.layer_id, []).append(case)
    return by_layer


def _free(case: Claim, reference: str, waits: Mapping[int, Decimal]) -> list[tuple[Decimal, str]]:
    """What the supplier authorised goes back under its own reference, the rest under the one of the return.

    Units that stand by for another return do not go with this one; `waits` is how many, by authorisation (id).
    """
    free = [(one.left - waits.get(one.pk, ZERO), one.reference) for one in case.said]
    parts = [(units, own) for units, own in free if units > 0]
    return [*parts, (case.undecided, reference)] if case.undecided else parts


def _open(act: Act, layer: CostLayer, case: Claim, request: ReturnAllRequest) -> GoodsReturn:
    return claims.open_return(
        GoodsReturn(
            company=layer.company,
            site=layer.site,
            supplier=case.supplier,
            reference=request.reference.strip(),
            reason=request.reason.strip()[:80],
            haulier=request.haulier.strip()[:80],
            deliver_to=request.deliver_to.strip() or case.supplier.return_address,
            packages=request.packages,
            occurred_on=request.occurred_on,
            at=act.at,
            despatched_at=None if request.prepared else act.at,
        )
    )


@once
def reverse_all(act: Act, request: ReverseRequest) -> int:
    """Undo a return: the units of each of its notes are rejected goods again. Returns its id."""
    notes = ReturnNote.objects.filter(goods_return=request.record, reversed_by=None).order_by("-pk")
    refuse_if([] if notes else [Problem("This return was reversed already.")])
    for note in notes:
        reverse_return(act.inner(), ReverseRequest(note.pk, request.reason))
    return request.record


def _problems(act: Act, request: ReturnAllRequest) -> list[Problem]:
    found = future_problem(request.occurred_on, act)
    if not request.reference.strip():
        mend = "Goods go back only with their authorisation."
        found.append(Problem("The supplier's reference is missing.", "reference", mend))
    if not request.reason.strip():
        found.append(Problem("Say why they go back.", "reason"))
    if not 1 <= request.packages <= MOST_PACKAGES:
        found.append(Problem(f"A return has 1 to {MOST_PACKAGES} packages.", "packages"))
    if len(request.deliver_to) > 400:
        found.append(Problem("The address is longer than 400 signs.", "deliver_to"))
    return found
