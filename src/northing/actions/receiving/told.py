"""Receipts of a contract warehouse: read, shown beside what is expected, then taken once as receipts, or dropped."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

from django.db.models import Exists, F, OuterRef

from northing.access.acts import Act, future_problem
from northing.actions.receiving.receive import receive
from northing.actions.receiving.request import Papers, ReceiveRequest, ReceiveRow, rest_said
from northing.actions.receiving.scans import Context, Part, by_code, items_of, open_parts, upon
from northing.activity.operations import add_history, once
from northing.core.money.exact import plain
from northing.core.problems import Problem, Refused, refuse_if
from northing.formats.identifiers import written_gtins
from northing.formats.told_receipts import Told
from northing.masterdata.models import Item, Pack, Party, Site
from northing.masterdata.queries import only_supplier_of
from northing.orders.models import OrderLine, PurchaseOrder
from northing.orders.named_lines import lines_named
from northing.receiving import operations as receiving
from northing.receiving.models import Receipt, ToldLine, ToldReceipt
from northing.shipping.models import Container, ShipmentLine

ZERO = Decimal(0)
MATCHES, DIFFERS, WRONG = "matches", "differs", "wrong"
WAYS = {"": "", "coming": "still coming", "no more": "no more comes", "dispute": "in dispute"}


@dataclass(frozen=True)
class ToldRequest:
    """A receipt as a warehouse told it, at a site (id); without a day of its own, of the day it is read."""

    site: int
    told: Told


@dataclass(frozen=True)
class TakeTold:
    """A told receipt (id) to be taken. `rest`: of what is short, where a row does not say it itself.

    `leave_out`: rows that are wrong stay out; else they stop it. `accept` and `reason`: as for a receipt.
    """

    told: int
    rest: str = ""
    leave_out: bool = False
    accept: bool = False
    reason: str = ""


@dataclass(frozen=True)
class DropTold:
    """A told receipt (id) that is of no use."""

    told: int


@dataclass
class Judged:
    """A row of a told receipt beside what is expected, and the rows of a receipt that it makes."""

    row: ToldLine
    says: list[str] = field(default_factory=list)
    wrong: bool = False
    item: Item | None = None
    # The order lines (ids) that it may be of; None: of whichever order.
    lines: set[int] | None = None
    line: OrderLine | None = None
    order: PurchaseOrder | None = None
    container: Container | None = None
    supplier: int | None = None
    bin: int | None = None
    expected: Decimal | None = None
    # Still expected where this row, and all before it, are counted.
    short: Decimal = ZERO
    rows: list[ReceiveRow] = field(default_factory=list)

    @property
    def state(self) -> str:
        """In a word: matches, differs, wrong."""
        return WRONG if self.wrong else DIFFERS if self.says else MATCHES

    @property
    def source(self) -> tuple[int | None, int | None, str]:
        """Rows of one receipt share it: container, supplier, delivery note."""
        if self.container:
            return self.container.pk, None, self.row.note
        return None, self.order.supplier_id if self.order else self.supplier, self.row.note

    def err(self, what: str) -> None:
        """The row cannot be taken."""
        self.wrong = True
        self.says.append(what)


@once
def read_told(act: Act, request: ToldRequest) -> int:
    """Keep a receipt of a warehouse, to be looked at. Sent again under its number it is refused."""
    site = _site(act, request.site)
    said = request.told
    day = said.received_on or act.today
    refuse_if([*([] if said.lines else [Problem("The file has no row.", "file")]), *future_problem(day, act, "file")])
    number = said.number or f"{act.at:%Y-%m-%d %H:%M:%S}"
    before = ToldReceipt.objects.filter(site=site, number=number).exclude(state="dropped").first()
    if before:
        what = f"Receipt {number} of {site} came already, on {before.made_at:%-d %b %Y}."
        raise Refused(Problem(what, "file", "A corrected one needs a number of its own.", record=("told", before.pk)))
    made = receiving.write_told(act, site, number, day, said)
    words = f"Receipt {number} of the warehouse {site}: {len(said.lines)} rows"
    add_history(act, "read_told", words, [("told", made.pk, site.company_id)])
    return made.pk


def _site(act: Act, key: int) -> Site:
    site = Site.objects.select_related("company").get(pk=key)
    act.require_at("receive", site.company_id, site.pk)
    return site


def judge(told: ToldReceipt, rest: str = "") -> list[Judged]:
    """Each row beside what is expected now; and the rows of a receipt that those make which are not wrong."""
    judged = [Judged(row) for row in told.lines.order_by("pk")]
    _name(judged, told.site)
    sources: dict[tuple[int | None, int | None], list[Judged]] = {}
    for one in judged:
        if not one.wrong:
            box, order = one.container, one.order
            sources.setdefault((box.pk if box else None, order.pk if order and not box else None), []).append(one)
    for (box, order), those in sources.items():
        parts = open_parts(Context(told.site, box, order), {one.item.pk for one in those if one.item})
        last: dict[str, Judged] = {}
        for one in those:
            _lay(one, parts, rest)
            last |= {row.part: one for row in one.rows}
        for part in parts:
            if part.key in last and part.open > 0:
                last[part.key].short += part.open
    for one in judged:
        one.says += [f"{plain(one.short)} short{_way(one.row.rest)}"] if one.short else []
    return judged


def _way(rest: str) -> str:
    return f", {WAYS[rest]}" if rest else ""


def _name(judged: Sequence[Judged], site: Site) -> None:
    """The records that the rows name; a row that names none that we know is wrong."""
    rows = [one.row for one in judged]
    lines = OrderLine.objects.filter(order__company=site.company_id).select_related("item")
    named = lines_named(rows)
    by_key = lines.in_bulk([key for key in named if key])
    orders = PurchaseOrder.objects.filter(company=site.company_id, sent_at__isnull=False)
    orders = orders.filter(number__in={row.order.upper() for row in rows}).prefetch_related("lines")
    by_number = {one.number.upper(): one for one in orders}
    items = _items({row.item.upper() for row in rows if row.item}, site)
    boxes = _boxes({row.container for row in rows if row.container}, site)
    bins = by_code(site.bins.all(), {row.bin.upper() for row in rows if row.bin})
    sellers: dict[int, Party | None] = {}
    known = Party.objects.filter(kind=Party.Kind.SUPPLIER)
    suppliers = by_code(known, {row.supplier.upper() for row in rows if row.supplier})
    for one, key in zip(judged, named, strict=True):
        row = one.row
        one.order, one.line = by_number.get(row.order.upper()), by_key.get(key or 0)
        one.item = one.line.item if one.line else items.get(row.item.upper())
        if one.order:
            one.lines = {one.line.pk} if one.line else {line.pk for line in one.order.lines.all()}
        one.container, one.bin = boxes.get(row.container), bins.get(row.bin.upper())
        if row.order and one.order is None:
            one.err(f"{site.company} has no sent order {row.order}")
        elif row.line and one.line is None:
            one.err(f"{row.order} has no line {row.line}{' of ' + row.item if row.item else ''}")
        elif one.item is None:
            one.err(f"{row.item} is no item that is known")
        if row.container and one.container is None:
            one.err(f"no container {row.container} holds goods of {site.company}")
        if row.bin and one.bin is None:
            one.err(f"{row.bin} is no bin of {site}")
        _whose(one, suppliers, sellers)


def _whose(one: Judged, suppliers: dict[str, int], sellers: dict[int, Party | None]) -> None:
    """The supplier of goods without an order: who is named, else the only one that sells the item to us."""
    if one.wrong or one.order or one.container:
        return
    if one.row.supplier:
        one.supplier = suppliers.get(one.row.supplier.upper())
        if one.supplier is None:
            one.err(f"{one.row.supplier} is no supplier")
        return
    key = one.item.pk
    if key not in sellers:
        sellers[key] = only_supplier_of([key])
    only = sellers[key]
    one.supplier = only.pk if only else None
    if only is None:
        one.err("it names no order, and no supplier whose goods these are")


def _items(texts: set[str], site: Site) -> dict[str, Item]:
    """Items by code, by GTIN, or by a supplier's own code that means one item."""
    found = items_of(texts, Context(site))
    wanted = {text: written_gtins(text) for text in texts - set(found) if text.isdecimal() and len(text) <= 14}
    packs = Pack.objects.filter(gtin__in=[gtin for some in wanted.values() for gtin in some]).select_related("item")
    by_gtin = {pack.gtin: pack.item for pack in packs} if wanted else {}
    return found | {text: by_gtin[gtin] for text, written in wanted.items() for gtin in written if gtin in by_gtin}


def _boxes(numbers: set[str], site: Site) -> dict[str, Container]:
    """Containers with goods of the site's company, by number; of several voyages that of which something is open."""
    aboard = ShipmentLine.objects.filter(container=OuterRef("pk"), instalment__line__order__company=site.company_id)
    there = Container.objects.filter(Exists(aboard), number__in=numbers).select_related("shipment")
    there = there.annotate(open=Exists(aboard.filter(accounted__lt=F("quantity"))))
    return {box.number: box for box in there.order_by("open", "pk")}


def _lay(one: Judged, parts: Sequence[Part], rest: str) -> None:
    """The units of a row upon what is open, and how they differ from it."""
    item, row = one.item, one.row
    fitting = [part for part in parts if part.item == item.pk and (one.lines is None or part.order_line in one.lines)]
    one.expected = sum((max(part.open, ZERO) for part in fitting), ZERO)
    shared = _shared(one, row.rest or rest)
    serials = tuple(row.serials.split())
    if not fitting:
        one.says.append("not ordered here: it is held, and belongs to no order")
        one.rows = [ReceiveRow(None, row.quantity, item=item.pk, serials=serials, **shared)]
        return
    if row.quantity > one.expected:
        one.says.append(f"{plain(row.quantity - one.expected)} more than are expected")
    # Where nothing came, that is said of all that is open.
    none = [part for part in fitting if part.open > 0] or fitting[-1:]
    for part, units in list(upon(fitting, row.quantity)) or [(part, ZERO) for part in none]:
        mine, serials = serials[: int(units)], serials[int(units) :]
        where = {"shipment_line": part.shipment_line, "instalment": part.instalment}
        one.rows.append(ReceiveRow(quantity=units, serials=mine, **where, **shared))
    if row.condition:
        one.says.append("damaged, held apart" if row.condition == "damaged" else "to be inspected, held apart")


def _shared(one: Judged, rest: str) -> dict[str, object]:
    """The facts that all units of a row share. Units beyond tolerance are there: they are held for the buyer."""
    row = one.row
    return {
        "lot": row.lot,
        "best_before": row.best_before,
        "sscc": row.sscc,
        "bin": one.bin,
        "condition": row.condition,
        **rest_said(rest),
        "hold": True,
        "end": f"t{row.pk}",
    }


def requests_of(told: ToldReceipt, judged: Iterable[Judged], asked: TakeTold) -> list[ReceiveRequest]:
    """The receipts that the rows make: one for each container, and for each supplier's goods that came unpacked."""
    groups: dict[tuple[int | None, int | None, str], list[Judged]] = {}
    for one in judged:
        if not one.wrong:
            groups.setdefault(one.source, []).append(one)
    rows = {source: tuple(row for one in those for row in one.rows) for source, those in groups.items()}
    # A part that a later receipt of the file fills, too, is not short before it.
    last = {row.part: source for source, some in rows.items() for row in some}
    return [
        ReceiveRequest(
            box,
            told.site_id,
            note or told.number,
            told.received_on,
            tuple(row if last[row.part] == source else replace(row, **rest_said("coming")) for row in rows[source]),
            asked.accept,
            supplier,
            asked.reason,
            Papers(remark=told.remark),
        )
        for source in groups
        for box, supplier, note in [source]
    ]


@once
def take_told(act: Act, request: TakeTold) -> list[int]:
    """Receive what a warehouse told, all of it or nothing. Returns the receipts (ids)."""
    told = shown(act, request.told)
    judged = judge(told, request.rest)
    bad = [one for one in judged if one.wrong]
    if bad and not request.leave_out:
        raise Refused(
            Problem(f"Row {one.row.number}: {'; '.join(one.says)}.", "leave_out", "Leave it out, or mend it.")
            for one in bad[:20]
        )
    refuse_if([] if len(bad) < len(judged) else [Problem("No row of it can be taken.", "leave_out")])
    made, problems = [], []
    for asked in requests_of(told, judged, request):
        try:
            made.append(receive(act.inner(), asked))
        except Refused as refused:
            problems += [problem for problem in refused.problems if problem not in problems]
    if problems:
        raise Refused(in_file(problem, judged) for problem in problems)
    receiving.settle_told(told, ToldReceipt.State.TAKEN, made)
    out = f", {len(bad)} rows left out" if bad else ""
    numbers = ", ".join(Receipt.objects.filter(pk__in=made).order_by("pk").values_list("number", flat=True))
    links = [("told", told.pk, told.site.company_id), *(("receipt", key, told.site.company_id) for key in made)]
    add_history(act, "take_told", f"Took receipt {told.number} of the warehouse {told.site} as {numbers}{out}", links)
    return made


def in_file(problem: Problem, judged: Iterable[Judged]) -> Problem:
    """A problem of a receipt's row, said of the row of the file; about what is short it is asked once, for all."""
    name, _, end = problem.where.partition("-")
    rows: dict[str, int] = {}
    for one in judged:
        for row in one.rows:
            rows.setdefault(row.key, one.row.number)
            rows.setdefault(row.part, one.row.number)
    if name == "delivery_note" or end not in rows:
        return problem
    where = "rest" if name == "short" else ""
    mend = problem.mend if name == "short" else "Mend the file, and send it under another number."
    return replace(problem, what=f"Row {rows[end]}: {problem.what}", where=where, mend=mend)


@once
def drop_told(act: Act, request: DropTold) -> int:
    """Drop a told receipt; one of the same number may come again."""
    told = shown(act, request.told)
    receiving.settle_told(told, ToldReceipt.State.DROPPED)
    words = f"Dropped receipt {told.number} of the warehouse {told.site}"
    add_history(act, "drop_told", words, [("told", told.pk, told.site.company_id)])
    return told.pk


def shown(act: Act, key: int) -> ToldReceipt:
    """A told receipt that waits, locked. Raises Refused where it is taken or dropped already."""
    told = ToldReceipt.objects.select_for_update(of=("self",)).select_related("site__company").filter(pk=key).first()
    if told is None:
        raise Refused(Problem("There is no such receipt."))
    act.require_at("receive", told.site.company_id, told.site_id)
    if told.state != ToldReceipt.State.SHOWN:
        raise Refused(Problem(f"This receipt is {told.get_state_display().lower()} already.", mend="Look again."))
    return told
