"""Order: write a draft, and what an order comes to."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta
from decimal import Decimal

from northing.access.acts import Act
from northing.access.models import Person
from northing.access.permissions import may
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.core.costing.ownership import INCOTERMS, MOMENTS, proposed_moment
from northing.core.money.money import rounded
from northing.core.money.periods import day_problems
from northing.core.orders.orders import (
    MODES,
    LineDraft,
    OrderSums,
    line_problems,
    net_amount,
    order_sums,
    sums_problems,
)
from northing.core.problems import Problem, Refused, refuse_if
from northing.masterdata.catalogue import Catalogue
from northing.masterdata.models import Company, Party, Site
from northing.orders import operations as orders
from northing.orders.models import ADDRESSES, OrderLine, PurchaseOrder

# What of an order's head needs no agreement.
WORDS = ("mode", "reference", "supplier_reference", "remark", "answer_by", "remind_days", *ADDRESSES)
# What changes the order's amounts, as fractions of 1.
PERCENTAGES = ("discount", "surcharge", "tax_rate")
# A reminder goes at most so many days before its goods must be ready.
MOST_DAYS = 365
LENGTHS = {"reference": 60, "supplier_reference": 60, "incoterm_place": 60, "remark": 500} | dict.fromkeys(
    ADDRESSES, 400
)
ZERO = Decimal(0)
# How we buy where nothing is kept for the supplier.
USUAL_RULE = "FOB"


@dataclass(frozen=True)
class LineRequest:
    """A line as asked: item code or GTIN, quantity in packs, price per pack or None for the agreed one."""

    item: str
    pack: str
    packs: Decimal
    pack_price: Decimal | None = None
    discount: Decimal = ZERO
    need_by: date | None = None


@dataclass(frozen=True)
class OrderRequest:
    """An order as asked; ids of company, supplier, site and buyer, percentages as fractions of 1.

    A rule, place, mode, address or tax rate that is left out is the one kept for the supplier, the site or the
    company; `ours_from` then follows the rule, and the need-by date is the first that the goods can keep.
    """

    company: int
    supplier: int
    site: int
    incoterm: str = ""
    ours_from: str = ""
    need_by: date | None = None
    lines: tuple[LineRequest, ...] = ()
    incoterm_place: str = ""
    number: str = ""
    mode: str = ""
    reference: str = ""
    supplier_reference: str = ""
    remark: str = ""
    answer_by: date | None = None
    remind_days: int | None = None
    discount: Decimal = ZERO
    surcharge: Decimal = ZERO
    tax_rate: Decimal | None = None
    order_to: str = ""
    despatch_from: str = ""
    deliver_to: str = ""
    invoice_to: str = ""
    buyer: int | None = None


@once
def write_order(act: Act, request: OrderRequest) -> int:
    """Write a draft. Drafts are not supply."""
    order = draft_of(act, request)
    add_history(act, "write_order", f"Wrote order {order.number} to {order.supplier}", links(order))
    bring_along(orders=[order.pk])
    return order.pk


def draft_of(act: Act, request: OrderRequest) -> PurchaseOrder:
    """The draft as it was asked for, without its story. Raises Refused with everything that is wrong."""
    act.require("write_order", request.company)
    supplier = Party.objects.select_related("port").get(pk=request.supplier)
    catalogue = Catalogue([line.item for line in request.lines], suppliers=[supplier.pk])
    need_by = request.need_by or soonest(act.today, supplier, catalogue, request.lines)
    terms = _terms(request, supplier, need_by)
    lines = _terms_of(act, catalogue, need_by, request.lines, supplier)
    return orders.write_order(act, terms, lines, request.number)


def soonest(today: date, supplier: Party, catalogue: Catalogue, lines: Sequence[LineRequest]) -> date:
    """The first day on which the supplier can have all the lines at our dock: to make them, and the way here."""
    days = [0]
    for line in lines:
        try:
            item, _ = catalogue.find(line.item)
        except Refused:
            continue  # said where the line is read
        units = line.packs * catalogue.packs(item).get(line.pack, Decimal(1))
        agreement = catalogue.agreement(supplier, item.pk, today, units)
        days.append(agreement.lead_days if agreement else 0)
    return today + timedelta(days=max(days) + supplier.passage_days)


def _terms(request: OrderRequest, supplier: Party, need_by: date) -> orders.Terms:
    company = Company.objects.get(pk=request.company)
    site = Site.objects.get(pk=request.site)
    problems = []
    if site.company_id != company.pk:
        problems.append(Problem(f"{site} is not a site of {company}.", "site", "Choose one of its own."))
    if supplier.kind != Party.Kind.SUPPLIER:
        problems.append(Problem(f"{supplier} is not a supplier.", "supplier"))
    if not request.lines:
        problems.append(Problem("The order has no line.", "lines", "Enter at least one item."))
    buyer = Person.objects.filter(pk=request.buyer).first() if request.buyer else None
    if request.buyer and (buyer is None or not may(buyer, "write_order", company.pk)):
        problems.append(Problem(f"{buyer or 'No one there'} may not write orders for {company}.", "buyer"))
    names = ("incoterm", "incoterm_place", *WORDS, *PERCENTAGES)
    said = {name: getattr(request, name) for name in names}
    usual = usual_terms(company, supplier, site)
    said |= {name: value for name, value in usual.items() if said[name] in ("", None)}
    problems += head_problems(said)
    ours_from = request.ours_from or (proposed_moment(said["incoterm"]) if said["incoterm"] in INCOTERMS else "")
    if ours_from not in MOMENTS:
        problems.append(Problem("Say from when the goods are ours.", "ours_from"))
    refuse_if(problems)
    said |= {"ours_from": ours_from, "need_by": need_by, "buyer": buyer}
    return orders.Terms(company, supplier, site, **said)


def usual_terms(company: Company | None, supplier: Party | None, site: Site | None) -> dict[str, object]:
    """The terms, addresses and tax that an order has unless it says otherwise."""
    return {
        "incoterm": (supplier.incoterm if supplier else "") or USUAL_RULE,
        "incoterm_place": place_of(supplier) if supplier else "",
        "mode": supplier.mode if supplier else MODES[0],
        "order_to": supplier.order_address if supplier else "",
        "despatch_from": supplier.despatch_address if supplier else "",
        "deliver_to": site.address if site else "",
        "invoice_to": company.address if company else "",
        "tax_rate": supplier.tax_rate if supplier else ZERO,
    }


def place_of(supplier: Party) -> str:
    """The place of the Incoterms rule: the one kept for the supplier, else their port or city."""
    return supplier.incoterm_place or (supplier.port.name if supplier.port else supplier.city)


def head_problems(head: dict) -> list[Problem]:
    """What is wrong with the words of an order's head."""
    found = []
    if head.get("incoterm", "FOB") not in INCOTERMS:
        found.append(Problem("Unknown Incoterms rule.", "incoterm", f"One of {', '.join(INCOTERMS)}."))
    if head.get("mode", "sea") not in MODES:
        found.append(Problem("Unknown mode of transport.", "mode", f"One of {', '.join(MODES)}."))
    if head.get("answer_by"):
        found += day_problems(head["answer_by"], "answer_by")
    if not 0 <= (head.get("remind_days") or 0) <= MOST_DAYS:
        found.append(
            Problem(f"Between 0 and {MOST_DAYS} days.", "remind_days", "Leave it empty for what the rules say.")
        )
    for name, most in LENGTHS.items():
        if len(head.get(name) or "") > most:
            found.append(Problem(f"This is longer than {most} characters.", name, "Shorten it."))
    return found + sums_problems(*(head.get(name) or ZERO for name in PERCENTAGES))


def terms_of_lines(act: Act, need_by: date, asked: Sequence[LineRequest], supplier: Party) -> list[orders.LineTerms]:
    """Lines as they will be written. Raises Refused with everything that is wrong with any of them."""
    return _terms_of(act, Catalogue([line.item for line in asked], suppliers=[supplier.pk]), need_by, asked, supplier)


def _terms_of(
    act: Act, catalogue: Catalogue, need_by: date, asked: Sequence[LineRequest], supplier: Party
) -> list[orders.LineTerms]:
    problems, lines = [], []
    for index, line in enumerate(asked):
        try:
            lines.append(line_terms(act, catalogue, need_by, line, supplier, f"lines-{index}"))
        except Refused as refused:
            problems += [at_line(problem, f"lines-{index}") for problem in refused.problems]
    refuse_if(problems)
    return lines


def at_line(problem: Problem, line: str) -> Problem:
    """The problem at the field of the line's form; those of the directory name it without its line."""
    return problem if problem.where.startswith(line) else replace(problem, where=f"{line}-{problem.where}")


def line_terms(
    act: Act, catalogue: Catalogue, need_by: date, line: LineRequest, supplier: Party, where: str
) -> orders.LineTerms:
    """A line as it will be written. Raises Refused with what is wrong with it."""
    item, scanned = catalogue.find(line.item)
    name, packs = line.pack or (scanned.name if scanned else item.unit), catalogue.packs(item)
    if name not in packs:
        raise Refused(Problem(f"{item.code} is not packed in {name!r}.", "pack", f"One of {', '.join(packs)}."))
    need_by = line.need_by or need_by
    quantity = line.packs * packs[name]
    agreement = catalogue.agreement(supplier, item.pk, act.today, quantity)
    agreed = agreement.price * packs[name] if agreement else None
    price = line.pack_price if line.pack_price is not None else agreed
    if price is None:
        raise Refused(
            Problem(f"{supplier} has no agreed price for {item.code}.", "pack_price", "Enter the price for this order.")
        )
    draft = LineDraft(where, quantity, item.decimals, item.unit, price, line.discount, need_by, packs[name])
    refuse_if(line_problems(draft, act.today if act.channel != "opening" else date.min))
    return orders.LineTerms(item, name, packs[name], quantity, price, agreed, line.discount, need_by)


def order_total(order: PurchaseOrder, lines: Iterable[OrderLine] | None = None) -> Decimal:
    """The order's amount in its currency without tax: the sum of its rounded lines; `lines` where they are known."""
    amounts = (
        net_amount(line.quantity, line.pack_factor, line.pack_price, line.net_share, order.currency)
        for line in (order.lines.all() if lines is None else lines)
    )
    return sum(amounts, rounded(ZERO, order.currency))


def sums_of(order: PurchaseOrder, lines: Sequence[OrderLine]) -> OrderSums:
    """The totals of the order, from its goods to the amount to be paid."""
    rows = [(line.quantity, line.pack_factor, line.pack_price, line.discount) for line in lines]
    return order_sums(rows, order.discount, order.surcharge, order.tax_rate, order.currency)


def locked(order: int) -> PurchaseOrder:
    """The order, held until the action is done."""
    found = PurchaseOrder.objects.select_for_update(of=("self",))
    return found.select_related("supplier", "company", "site", "buyer").get(pk=order)


def links(order: PurchaseOrder, lines: Iterable[int] | None = None) -> list[tuple[str, int, int | None]]:
    """The links of a story of the whole order; `lines` are the ids of all its lines where they are known."""
    lines = order.lines.values_list("pk", flat=True) if lines is None else lines
    return [("order", order.pk, order.company_id), *(("line", pk, order.company_id) for pk in lines)]
