"""Open a case by hand: goods that turned out not to be right after they went into store."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.claims.out_of_stock import units_problems
from northing.actions.inventory.bring_back import bring_back
from northing.actions.quality.inspect import ZERO, links_of, locked_layer
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.models import HistoryEntry
from northing.activity.operations import HistoryDraft, add_history, add_history_rows, add_link_rows, once
from northing.claims import operations as claims
from northing.claims.models import Claim
from northing.core.money.exact import plain
from northing.core.problems import Problem, refuse_if
from northing.inventory import operations
from northing.inventory.models import StockMovement
from northing.inventory.operations import Place, StockMove
from northing.ledger.models import CostLayer
from northing.masterdata.queries import default_bin
from northing.positions import operations as positions
from northing.reports.standing import FIRST, costs_of, divided_problems, settled_of

# Where good units are, and in which state they lie there.
GOOD = ("held", "in_store")


@dataclass(frozen=True)
class SetAsideRequest:
    """Units of a layer that lie in store and are not right; or (with the id of an issue) were issued, and come back."""

    layer: int
    quantity: Decimal
    reason: str
    occurred_on: date
    serials: tuple[str, ...] = ()
    issue: int | None = None


@once
def set_aside(act: Act, request: SetAsideRequest) -> int:
    """Units in store are rejected and a case is opened for them. Returns the case's id."""
    layer = locked_layer(request.layer)
    act.require_at("return_goods", layer.company_id, layer.site_id)
    if request.issue:
        refuse_if(_reason_problems(request))
        bring_back(act, request.issue, layer.pk, request.quantity, request.reason, request.serials)
        layer.refresh_from_db(fields=["gone", "taken_cost", "goods_taken", "site"])
    refuse_if(_problems(act, request, layer))
    rows = [Aside(layer, [("in_store", request.quantity)], request.serials)]
    [case] = put_aside(act, rows, request.reason, request.occurred_on)
    bring_along(layers=[layer.pk], cases=[case.pk])
    return case.pk


@dataclass(frozen=True)
class Aside:
    """Units of a locked layer, so many out of each state, that are not right; where they have numbers, which."""

    layer: CostLayer
    parts: Sequence[tuple[str, Decimal]]
    serials: Sequence[str] = ()

    @property
    def quantity(self) -> Decimal:
        """All of the units."""
        return sum((units for _, units in self.parts), ZERO)


def put_aside(act: Act, rows: Sequence[Aside], reason: str, day: date, action: str = "set_aside") -> list[Claim]:
    """Units go to quarantine; a case is opened for those of each row. What follows is the caller's to bring along."""
    stories = add_history_rows(act, [_story(row, reason, action) for row in rows], day)
    sites = {row.layer.site_id for row in rows}
    apart = {site: Place(default_bin(site, "quarantine").pk, "rejected") for site in sites}
    lying = operations.lying_in((row.layer.pk for row in rows), {state for row in rows for state, _ in row.parts})
    moves, drafts = [], []
    for history, row in zip(stories, rows, strict=True):
        key, part = row.layer.shipment_line.instalment_id, row.layer.shipment_line_id
        for state, units in row.parts:
            found = lying.moves(row.layer, state, units, apart[row.layer.site_id], row.serials)
            moves += [(history, move) for move in found]
            drafts.append((history, positions.MoveDraft(key, state, "rejected", units, part)))
    operations.move_stock_rows(moves)
    positions.move_rows(drafts)
    opened = [_case(row, reason, day, history) for history, row in zip(stories, rows, strict=True)]
    cases = claims.open_cases(opened)
    add_link_rows([(case.opened_by_id, "case", case.pk, case.company_id) for case in cases])
    return cases


def _story(row: Aside, reason: str, action: str) -> HistoryDraft:
    item = row.layer.item
    text = f"Set aside {plain(row.quantity)} {item.unit} of {item.code}: {reason.strip()}"
    return HistoryDraft(action, text, links_of(row.layer))


def _case(row: Aside, reason: str, day: date, history: HistoryEntry) -> Claim:
    supplier = row.layer.shipment_line.instalment.line.order.supplier
    return Claim(
        company=row.layer.company,
        kind=Claim.Kind.REJECTED,
        layer=row.layer,
        supplier=supplier,
        against=supplier,
        reason=reason.strip()[:80],
        quantity=row.quantity,
        opened_on=day,
        opened_by=history,
    )


def _problems(act: Act, request: SetAsideRequest, layer: CostLayer) -> list[Problem]:
    found, item = future_problem(request.occurred_on, act), layer.item
    there = operations.in_state(layer, "in_store")
    mend = "Set aside at most that many; what was issued is taken back first."
    few = Problem(f"Only {plain(there)} {item.unit} of this receipt lie in store.", "quantity", mend)
    found += units_problems(item, request.quantity, there, few)
    found += _reason_problems(request)
    if item.keeps_serial and len(request.serials) != request.quantity:
        found.append(
            Problem("These units have serial numbers: say which.", "serials", "Name as many as are set aside.")
        )
    return found


def _reason_problems(request: SetAsideRequest) -> list[Problem]:
    return [] if request.reason.strip() else [Problem("Say what is wrong with them.", "reason")]


@once
def take_back(act: Act, request: ReverseRequest) -> int:
    """Undo it: the units are good again, and the case never was. Returns the layer's id."""
    case = Claim.objects.select_for_update(of=("self",)).select_related("opened_by").get(pk=request.record)
    layer = locked_layer(case.layer_id)
    act.require_at("return_goods", case.company_id, layer.site_id)
    withdrawn = case.opened_by_id if case.withdrawn_at else None
    refuse_reversal("case", withdrawn, request.reason)
    refuse_if(_standing(case))
    unset(act, case, request.reason)
    return layer.pk


def unset(act: Act, case: Claim, reason: str) -> None:
    """The units of a case are where they were before it was opened, without asking who may."""
    assert case.opened_by is not None
    layer = locked_layer(case.layer_id)
    text = f"Took back {plain(case.quantity)} {layer.item.unit} of {layer.item.code}: {reason.strip()}"
    history = add_history(act, "take_back", text, links_of(layer), act.today)
    _put_back(history, layer, case.opened_by)
    claims.withdraw([case.pk], act.at)
    bring_along(layers=[layer.pk], cases=[case.pk])


def _standing(case: Claim) -> list[Problem]:
    """The facts that stand on a case, so that it cannot be taken back; or why it never can."""
    if case.opened_by_id is None:
        return [Problem("This case was opened by an inspection or a receipt.", mend="Reverse that.")]
    if case.kind != Claim.Kind.REJECTED:
        return [Problem("This case has no units.", mend="Take back what is claimed.")]
    if divided := divided_problems([case]):
        return divided
    if case.ended:
        what = f"{plain(case.ended)} of the {plain(case.quantity)} units have an end."
        return [Problem(what, mend=FIRST, record=("case", case.pk))]
    return settled_of([case.pk]) + costs_of([case.pk])


def _put_back(history: HistoryEntry, layer: CostLayer, of: HistoryEntry) -> None:
    """The units go back into the bins and the states out of which they were taken."""
    moves, drafts = [], []
    went = StockMovement.objects.filter(history=of, target__isnull=False).order_by("pk")
    for one in went:
        back, numbers = Place(one.source_id, one.source_status), tuple(one.serials.splitlines())
        lies = Place(one.target_id, one.target_status)
        moves.append(StockMove(one.layer_id, one.quantity, lies, back, numbers))
        key, part = layer.shipment_line.instalment_id, layer.shipment_line_id
        drafts.append(positions.MoveDraft(key, "rejected", one.source_status, one.quantity, part))
    operations.move_stock(history, moves)
    positions.move(history, drafts)
