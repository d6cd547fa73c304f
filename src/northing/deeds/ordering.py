"""Order: write, check, approve by another person, send."""

from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from northing.core.money import rounded
from northing.core.ordering import LineDraft, line_problems, net_amount
from northing.core.ownership import INCOTERMS, MOMENTS
from northing.core.problems import Problem, Refused, Strength, refuse_if
from northing.deeds import expecting, matters
from northing.directory.acts import Act
from northing.directory.models import Company, Party, Site
from northing.directory.queries import agreed_price, find_pack
from northing.orders import operations as orders
from northing.orders.models import PurchaseOrder
from northing.papers.operations import once, tell
from northing.standing import operations as standing


@dataclass(frozen=True)
class LineRequest:
    """A line as asked: item code or GTIN, quantity in packs, price per pack or None for the agreed one."""

    item: str
    pack: str
    packs: Decimal
    pack_price: Decimal | None = None
    discount: Decimal = Decimal(0)
    need_by: date | None = None


@dataclass(frozen=True)
class OrderRequest:
    """An order as asked; ids of company, supplier and site."""

    company: int
    supplier: int
    site: int
    incoterm: str
    ours_from: str
    need_by: date
    lines: tuple[LineRequest, ...]
    incoterm_place: str = ""
    number: str = ""


@dataclass(frozen=True)
class OrderAct:
    """Something done to an order as a whole."""

    order: int


@once
def write_order(act: Act, request: OrderRequest) -> int:
    """Write a draft. Drafts are not supply."""
    act.require("write_order", request.company)
    terms = _terms(request)
    lines = _line_terms(act, request, terms.supplier)
    order = orders.write_order(act, terms, lines, request.number)
    tell(act, "write_order", f"Wrote order {order.number} to {terms.supplier}", _links(order))
    matters.refresh_orders([order.pk])
    return order.pk


def _terms(request: OrderRequest) -> orders.Terms:
    company = Company.objects.get(pk=request.company)
    site = Site.objects.get(pk=request.site)
    supplier = Party.objects.get(pk=request.supplier)
    problems = []
    if site.company_id != company.pk:
        problems.append(Problem(f"{site} is not a site of {company}.", "site", "Choose one of its own."))
    if supplier.kind != Party.Kind.SUPPLIER:
        problems.append(Problem(f"{supplier} is not a supplier.", "supplier"))
    if request.incoterm not in INCOTERMS:
        problems.append(Problem("Unknown Incoterms rule.", "incoterm", f"One of {', '.join(INCOTERMS)}."))
    if request.ours_from not in MOMENTS:
        problems.append(Problem("Say from when the goods are ours.", "ours_from"))
    if not request.lines:
        problems.append(Problem("The order has no line.", "lines", "Enter at least one item."))
    refuse_if(problems)
    return orders.Terms(
        company, supplier, site, request.incoterm, request.incoterm_place, request.ours_from, request.need_by
    )


def _line_terms(act: Act, request: OrderRequest, supplier: Party) -> list[orders.LineTerms]:
    problems, lines = [], []
    for index, line in enumerate(request.lines):
        try:
            lines.append(_one_line(act, request, line, supplier, f"lines-{index}"))
        except Refused as refused:
            problems += [_at_line(problem, f"lines-{index}") for problem in refused.problems]
    refuse_if(problems)
    return lines


def _at_line(problem: Problem, line: str) -> Problem:
    """The problem at the field of the line's form; those of the directory name it without its line."""
    return problem if problem.where.startswith(line) else replace(problem, where=f"{line}-{problem.where}")


def _one_line(act: Act, request: OrderRequest, line: LineRequest, supplier: Party, where: str) -> orders.LineTerms:
    item, scanned = find_pack(line.item)
    name = line.pack or (scanned.name if scanned else item.unit)
    packs = {pack.name: pack.factor for pack in item.packs.all()} | {item.unit: Decimal(1)}
    if name not in packs:
        raise Refused(Problem(f"{item.code} is not packed in {name!r}.", "pack", f"One of {', '.join(packs)}."))
    need_by = line.need_by or request.need_by
    quantity = line.packs * packs[name]
    agreement = agreed_price(supplier.pk, item.pk, act.today)
    agreed = agreement.price * packs[name] if agreement and agreement.currency == supplier.currency else None
    price = line.pack_price if line.pack_price is not None else agreed
    if price is None:
        raise Refused(
            Problem(f"{supplier} has no agreed price for {item.code}.", "pack_price", "Enter the price for this order.")
        )
    draft = LineDraft(where, quantity, item.decimals, item.unit, price, line.discount, need_by, packs[name])
    refuse_if(line_problems(draft, act.today if act.door != "file" else date.min))
    return orders.LineTerms(item, name, packs[name], quantity, price, agreed, line.discount, need_by)


@once
def check_order(act: Act, request: OrderAct) -> int:
    """Check a draft; it then waits for a second person."""
    order = _locked(request.order)
    act.require("check_order", order.company_id)
    if order.checked_at:
        raise Refused(Problem(f"{order.number} is checked already.", mend="Reload the page."))
    lines = order.lines.select_related("item")
    warnings = refuse_if(problem for line in lines for problem in checks(line, act.today))
    orders.mark(order, checked_at=act.at, checked_by=act.person)
    passed = "".join(f"; passed: {warning.what}" for warning in warnings)
    tell(act, "check_order", f"Checked order {order.number}{passed}", _links(order))
    matters.refresh_orders([order.pk])
    return order.pk


def checks(line, today: date) -> list[Problem]:
    """What stands against sending a line: blocks, and warnings that let it pass."""
    where = f"line {line.number}"
    draft = LineDraft(
        where,
        line.quantity,
        line.item.decimals,
        line.item.unit,
        line.pack_price,
        line.discount,
        line.need_by,
        line.pack_factor,
    )
    found = line_problems(draft, today)
    if line.agreed_pack_price is not None and line.pack_price > line.agreed_pack_price:
        found.append(Problem(f"{where} is priced above the agreement.", where, strength=Strength.WARN))
    return found


@once
def approve_order(act: Act, request: OrderAct) -> int:
    """Approve; never by the person who checked or wrote it."""
    order = _locked(request.order)
    act.require("approve_order", order.company_id)
    if not order.checked_at:
        raise Refused(Problem(f"{order.number} is not checked yet.", mend="Check it first."))
    if order.approved_at:
        raise Refused(Problem(f"{order.number} is approved already.", mend="Reload the page."))
    if act.person.pk in (order.checked_by_id, order.buyer_id):
        raise Refused(Problem("An order is approved by a second person.", mend="Ask somebody else who may approve."))
    orders.mark(order, approved_at=act.at, approved_by=act.person)
    tell(act, "approve_order", f"Approved order {order.number}", _links(order))
    matters.refresh_orders([order.pk])
    return order.pk


@once
def send_order(act: Act, request: OrderAct) -> int:
    """Send; from now on its quantities are supply."""
    order = _locked(request.order)
    act.require("send_order", order.company_id)
    if not order.approved_at:
        raise Refused(Problem(f"{order.number} is not approved yet.", mend="It needs a second person's approval."))
    if order.sent_at:
        raise Refused(Problem(f"{order.number} was sent already.", mend="Reload the page."))
    revision = orders.write_revision(act, order)
    orders.mark(order, sent_at=act.at, revision=revision.number)
    story = tell(act, "send_order", f"Sent order {order.number}, revision {revision.number}", _links(order))
    instalments = orders.write_instalments(order)
    keys = [instalment.pk for instalment in instalments]
    standing.open_positions(keys)
    standing.move(
        story, [standing.MoveDraft(part.pk, "ordered", "with_supplier", part.quantity) for part in instalments]
    )
    expecting.refresh_expected(keys)
    matters.refresh_orders([order.pk])
    matters.refresh_instalments(keys)
    return order.pk


def order_total(order: PurchaseOrder) -> Decimal:
    """The order's amount in its currency: the sum of its rounded lines."""
    amounts = (
        net_amount(line.quantity, line.pack_factor, line.pack_price, line.discount, order.currency)
        for line in order.lines.all()
    )
    return sum(amounts, rounded(Decimal(0), order.currency))


def _locked(order: int) -> PurchaseOrder:
    return PurchaseOrder.objects.select_for_update(of=("self",)).select_related("supplier", "company").get(pk=order)


def _links(order: PurchaseOrder) -> list[tuple[str, int, int | None]]:
    lines = [("line", pk, order.company_id) for pk in order.lines.values_list("pk", flat=True)]
    return [("order", order.pk, order.company_id), *lines]
