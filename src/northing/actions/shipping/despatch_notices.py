"""Despatch notices: read, shown against what was agreed, then taken into a shipment as it stands, or dropped."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from django.db.models import F, Q

from northing.access.acts import Act
from northing.access.permissions import companies_of, require_somewhere
from northing.actions.shipping import pack
from northing.actions.shipping.build import BuildRequest, build
from northing.actions.shipping.load import Box, LoadRequest
from northing.actions.worklist import notices
from northing.activity.operations import add_history, once
from northing.core.planning.despatch import Allotted, Open, allot, differences
from northing.core.planning.loading import LOOSE
from northing.core.problems import Problem, Refused, refuse_if
from northing.formats.despatch import Notice
from northing.formats.identifiers import container_number, sscc_number
from northing.masterdata.models import Party
from northing.orders.models import Instalment, OrderLine
from northing.orders.named_lines import lines_named
from northing.shipping import operations as shipping
from northing.shipping.models import Container, DespatchNotice, HandlingUnit, NoticeLine, Shipment, ShipmentLine
from northing.shipping.queries import given_back, held_in

ZERO = Decimal(0)
MATCHES, DIFFERS, UNKNOWN, WRONG = "matches", "differs", "unknown", "wrong"
NO_BOX = "PACKAGES"


@dataclass(frozen=True)
class NoticeRequest:
    """A notice as it came; from one supplier, or (None) from a forwarder, for orders of whomever."""

    notice: Notice
    supplier: int | None = None


@dataclass(frozen=True)
class TakeRequest:
    """A notice (id) to be taken into a shipment (None: a new one), by a route and voyages.

    `leave_out`: rows that are unknown or wrong stay out; else they stop it. `beyond`: as for loading.
    """

    notice: int
    shipment: int | None = None
    route: str = ""
    voyages: tuple[int, ...] = ()
    begin: date | None = None
    leave_out: bool = False
    beyond: bool = False


@dataclass(frozen=True)
class DropRequest:
    """A notice (id) that is of no use."""

    notice: int


@dataclass
class Judged:
    """A row of a notice against what was agreed."""

    row: NoticeLine
    state: str
    says: list[str] = field(default_factory=list)
    line: OrderLine | None = None
    allotted: Allotted | None = None

    there: Decimal | None = None

    @property
    def taken(self) -> bool:
        """Whether it can be loaded."""
        return self.state in (MATCHES, DIFFERS)


@once
def read(act: Act, request: NoticeRequest) -> int:
    """Keep a notice, to be looked at. Sent again under its number it is refused."""
    if act.supplier is None:
        require_somewhere(act.person, "pack")
    else:
        act.require_supplier(request.supplier or 0)
    said = request.notice
    refuse_if([] if said.lines else [Problem("The notice has no row.", "file")])
    number = said.number or f"{act.at:%Y-%m-%d %H:%M:%S}"
    before = DespatchNotice.objects.filter(supplier=request.supplier, number=number).exclude(state="dropped").first()
    if before:
        what = f"The notice {number} came already, on {before.made_at:%-d %b %Y}."
        raise Refused(Problem(what, "file", "A corrected one needs a number of its own."))
    made = shipping.write_notice(
        act, request.supplier, number, said, list(zip(said.lines, lines_named(said.lines), strict=True))
    )
    supplier = Party.objects.filter(pk=request.supplier).first()
    by = f" of {supplier}" if supplier else ""
    links = [("notice", made.pk, None), *([("party", supplier.pk, None)] if supplier else [])]
    add_history(
        act,
        "read_notice",
        f"Despatch notice {number}{by}: {len(said.lines)} rows",
        links,
        shared=act.supplier is not None,
    )
    notices.refresh_notices([made.pk])
    return made.pk


def judge(notice: DespatchNotice, companies: set[int]) -> list[Judged]:
    """Each row against what is agreed now, and the containers against where they are."""
    rows = list(notice.lines.order_by("number"))
    found = OrderLine.objects.filter(pk__in=[row.order_line_id for row in rows]).select_related(
        "order__supplier", "order__company", "order__site", "item"
    )
    lines = found.in_bulk()
    allotted, there = _allotted(rows, notice.issued_on or notice.made_at.date())
    sailed = sailed_boxes(row.container for row in rows)
    judged = []
    for row in rows:
        line = lines.get(row.order_line_id)
        if line is None or line.order.company_id not in companies:
            what = f"no sent order {row.order} with {'line ' + row.line if row.line else row.item}"
            judged.append(Judged(row, UNKNOWN, [what]))
            continue
        wrong = _wrong(notice, row, line, sailed)
        share = allotted.get(row.pk)
        if wrong or share is None:
            wrong = wrong or ["nothing of this line is with the supplier"]
            judged.append(Judged(row, WRONG, wrong, line, there=there.get(line.pk)))
            continue
        says = differences(share, line.item.unit)
        judged.append(Judged(row, DIFFERS if says else MATCHES, says, line, share, there.get(line.pk)))
    return judged


def _wrong(notice: DespatchNotice, row: NoticeLine, line: OrderLine, sailed: Mapping[str, str]) -> list[str]:
    found = []
    if notice.supplier_id and line.order.supplier_id != notice.supplier_id:
        found.append(f"{line.order.number} is an order to {line.order.supplier}")
    if row.container in sailed:
        found.append(f"{row.container} is under way with {sailed[row.container]}")
    if round(row.quantity, line.item.decimals) != row.quantity:
        found.append(f"{line.item.code} is counted in whole {line.item.unit}")
    for check, said in ((container_number, row.container), (sscc_number, row.sscc)):
        try:
            if said:
                check(said)
        except Refused as refused:
            found += [problem.what for problem in refused.problems]
    return found


def _allotted(rows: list[NoticeLine], day: date) -> tuple[dict[int, Allotted], dict[int, Decimal]]:
    """How the rows (by id) are spread, and how much of each line (id) is with the supplier."""
    by_line: dict[int, list[NoticeLine]] = {}
    for row in rows:
        if row.order_line_id:
            by_line.setdefault(row.order_line_id, []).append(row)
    parts: dict[int, list[Open]] = {}
    for part in Instalment.objects.filter(line__in=by_line, position__isnull=False).select_related("position"):
        ready = part.promise or part.asked_on
        one = Open(part.pk, part.position.with_supplier, part.quantity, part.agreed_quantity, ready)
        parts.setdefault(part.line_id, []).append(one)
    found = {}
    for line, those in by_line.items():
        if line in parts:
            shares = allot([row.quantity for row in those], parts[line], day)
            found |= {row.pk: share for row, share in zip(those, shares, strict=True)}
    return found, {line: sum((part.there for part in some), ZERO) for line, some in parts.items()}


def sailed_boxes(numbers: Iterable[str]) -> dict[str, str]:
    """Containers by number that are on their way with a shipment, and not given back since: with which one."""
    there = Container.objects.filter(number__in=set(numbers) - {""}, shipment__departed_on__isnull=False)
    aboard = there.exclude(given_back()).filter(
        Q(shipment__arrived_on=None) | Q(shipment_lines__accounted__lt=F("shipment_lines__quantity"))
    )
    return dict(aboard.values_list("number", "shipment__reference"))


@once
def take(act: Act, request: TakeRequest) -> dict:
    """Take a notice into a shipment: its containers with what is in them. Returns the shipment and what to mind."""
    notice = _shown(act, request.notice)
    judged = judge(notice, companies_of(act.person))
    bad = [one for one in judged if not one.taken]
    good = [one for one in judged if one.taken]
    if bad and not request.leave_out:
        raise Refused(
            Problem(f"Row {one.row.number}: {'; '.join(one.says)}.", "leave_out", "Leave it out, or mend it.")
            for one in bad[:20]
        )
    refuse_if([] if good else [Problem("No row of it fits an order.", "leave_out")])
    opening = None
    if request.shipment is None:
        opening = pack.ShipmentRequest(notice.document)
    boxes = _boxes(request.shipment, good)
    # What a notice says has left the supplier, whatever day was promised.
    load = LoadRequest(request.shipment or 0, boxes, beyond=request.beyond, accept=True)
    done = build(act.inner(), BuildRequest(load, opening, request.route, request.voyages, request.begin))
    shipment = Shipment.objects.get(pk=done["shipment"])
    _palletise(shipment, good)
    shipping.settle_notice(notice, DespatchNotice.State.TAKEN, shipment)
    out = f", {len(bad)} rows left out" if bad else ""
    links = [("notice", notice.pk, None), ("shipment", shipment.pk, None)]
    notices.refresh_notices([notice.pk])
    add_history(act, "take_notice", f"Took despatch notice {notice.number} into {shipment}{out}", links)
    return done


def _boxes(shipment: int | None, good: Iterable[Judged]) -> tuple[Box, ...]:
    """The containers of the notice with what is in them afterwards: what they hold, and what is announced."""
    there = {box.number: box for box in Container.objects.filter(shipment=shipment)} if shipment else {}
    held = held_in(box.pk for box in there.values())
    wanted: dict[str, dict[int, Decimal]] = {}
    said: dict[str, NoticeLine] = {}
    for one in good:
        number = one.row.container or NO_BOX
        first = said.setdefault(number, one.row)
        first.seal, first.size_type = first.seal or one.row.seal, first.size_type or one.row.size_type
        cells = wanted.setdefault(number, {})
        key = there[number].pk if number in there else 0
        for part, quantity in one.allotted.rows if one.allotted else ():
            cells[part] = cells.get(part, held.get((key, part), ZERO)) + quantity
    found = []
    for number, cells in wanted.items():
        box, row = there.get(number), said[number]
        kind = LOOSE if number == NO_BOX else row.size_type or (box.size_type if box else "45G1")
        seal = row.seal or (box.seal if box else "")
        found.append(Box(box.pk if box else None, number, kind, seal, tuple(cells.items())))
    return tuple(found)


def _palletise(shipment: Shipment, good: Iterable[Judged]) -> None:
    """The pallets that the notice names, with what stands on each."""
    rows = [one for one in good if one.row.sscc]
    if not rows:
        return
    shipment_lines: dict[tuple[str, int], ShipmentLine] = {}
    for part in ShipmentLine.objects.filter(container__shipment=shipment).select_related("container").order_by("pk"):
        shipment_lines[part.container.number, part.instalment_id] = part
    contents: dict[tuple[str, str], dict[tuple[int, str, date | None], Decimal]] = {}
    for one in rows:
        number = one.row.container or NO_BOX
        on_it = contents.setdefault((number, one.row.sscc), {})
        for part, quantity in one.allotted.rows if one.allotted else ():
            key = (shipment_lines[number, part].pk, one.row.lot, one.row.best_before)
            on_it[key] = on_it.get(key, ZERO) + quantity
    boxes = {box.number: box for box in shipment.containers.all()}
    there = HandlingUnit.objects.filter(container__in=list(boxes.values()))
    known = set(there.values_list("container__number", "sscc"))
    double = sorted(sscc for number, sscc in contents if (number, sscc) in known)
    refuse_if([Problem(f"The pallet {sscc} is in this shipment already.", "leave_out") for sscc in double])
    shipping.write_units((boxes[number], sscc, on_it) for (number, sscc), on_it in contents.items())


@once
def drop(act: Act, request: DropRequest) -> int:
    """Drop a notice; one of the same number may come again."""
    notice = _shown(act, request.notice)
    shipping.settle_notice(notice, DespatchNotice.State.DROPPED, None)
    notices.refresh_notices([notice.pk])
    add_history(act, "drop_notice", f"Dropped despatch notice {notice.number}", [("notice", notice.pk, None)])
    return notice.pk


def _shown(act: Act, key: int) -> DespatchNotice:
    require_somewhere(act.person, "pack")
    notice = DespatchNotice.objects.select_for_update().filter(pk=key).first()
    if notice is None:
        raise Refused(Problem("There is no such notice."))
    if notice.state != DespatchNotice.State.SHOWN:
        raise Refused(Problem(f"This notice is {notice.get_state_display().lower()} already.", mend="Look again."))
    return notice


def summary(judged: Iterable[Judged]) -> dict[str, int]:
    """How many rows match, differ, are unknown and wrong."""
    counts = dict.fromkeys((MATCHES, DIFFERS, UNKNOWN, WRONG), 0)
    for one in judged:
        counts[one.state] += 1
    return counts
