"""Order: write, check, approve by another person, send."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal

from django.template.loader import render_to_string

from northing.access.acts import Act
from northing.access.models import Person
from northing.access.permissions import limit_of, may
from northing.actions.confirmations.supplier_links import LINK
from northing.actions.worklist import stakes
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.core.confirmations.agreement import misfits
from northing.core.costing.ownership import INCOTERMS, MOMENTS
from northing.core.money.money import rounded
from northing.core.money.periods import day_problems
from northing.core.orders.orders import LineDraft, OrderSums, line_problems, net_amount, order_sums, sums_problems
from northing.core.problems import Problem, Refused, refuse_if
from northing.drawings.figures import money
from northing.masterdata.catalogue import Catalogue, offer_of
from northing.masterdata.models import Company, Party, Site
from northing.messaging import mail
from northing.orders import operations as orders
from northing.orders.models import ADDRESSES, OrderLine, PurchaseOrder
from northing.positions import operations as positions

# What of an order's head needs no agreement.
WORDS = ("mode", "reference", "supplier_reference", "remark", "answer_by", *ADDRESSES)
# What changes the order's amounts, as fractions of 1.
PERCENTAGES = ("discount", "surcharge", "tax_rate")
LENGTHS = {"reference": 60, "supplier_reference": 60, "incoterm_place": 60, "remark": 500} | dict.fromkeys(
    ADDRESSES, 400
)
MODES = ("sea", "air", "road", "rail")
ZERO = Decimal(0)


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

    An address or a tax rate that is left out is the one kept for the supplier, the site or the company.
    """

    company: int
    supplier: int
    site: int
    incoterm: str
    ours_from: str
    need_by: date
    lines: tuple[LineRequest, ...]
    incoterm_place: str = ""
    number: str = ""
    mode: str = "sea"
    reference: str = ""
    supplier_reference: str = ""
    remark: str = ""
    answer_by: date | None = None
    discount: Decimal = ZERO
    surcharge: Decimal = ZERO
    tax_rate: Decimal | None = None
    order_to: str = ""
    despatch_from: str = ""
    deliver_to: str = ""
    invoice_to: str = ""
    buyer: int | None = None


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
    add_history(act, "write_order", f"Wrote order {order.number} to {terms.supplier}", links(order))
    bring_along(orders=[order.pk])
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
    if request.ours_from not in MOMENTS:
        problems.append(Problem("Say from when the goods are ours.", "ours_from"))
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
    refuse_if(problems)
    said |= {"ours_from": request.ours_from, "need_by": request.need_by, "buyer": buyer}
    return orders.Terms(company, supplier, site, **said)


def usual_terms(company: Company | None, supplier: Party | None, site: Site | None) -> dict[str, object]:
    """The addresses and the tax that an order has unless it says otherwise."""
    return {
        "order_to": supplier.order_address if supplier else "",
        "despatch_from": supplier.despatch_address if supplier else "",
        "deliver_to": site.address if site else "",
        "invoice_to": company.address if company else "",
        "tax_rate": supplier.tax_rate if supplier else ZERO,
    }


def head_problems(head: dict) -> list[Problem]:
    """What is wrong with the words of an order's head."""
    found = []
    if head.get("incoterm", "FOB") not in INCOTERMS:
        found.append(Problem("Unknown Incoterms rule.", "incoterm", f"One of {', '.join(INCOTERMS)}."))
    if head.get("mode", "sea") not in MODES:
        found.append(Problem("Unknown mode of transport.", "mode", f"One of {', '.join(MODES)}."))
    if head.get("answer_by"):
        found += day_problems(head["answer_by"], "answer_by")
    for name, most in LENGTHS.items():
        if len(head.get(name) or "") > most:
            found.append(Problem(f"This is longer than {most} characters.", name, "Shorten it."))
    return found + sums_problems(*(head.get(name) or ZERO for name in PERCENTAGES))


def _line_terms(act: Act, request: OrderRequest, supplier: Party) -> list[orders.LineTerms]:
    return terms_of_lines(act, request.need_by, request.lines, supplier)


def terms_of_lines(act: Act, need_by: date, asked: Sequence[LineRequest], supplier: Party) -> list[orders.LineTerms]:
    """Lines as they will be written. Raises Refused with everything that is wrong with any of them."""
    catalogue = Catalogue([line.item for line in asked], suppliers=[supplier.pk])
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


@once
def check_order(act: Act, request: OrderAct) -> int:
    """Check a draft; it then waits for a second person."""
    order = locked(request.order)
    act.require("check_order", order.company_id)
    if order.checked_at:
        raise Refused(Problem(f"{order.number} is checked already.", mend="Reload the page."))
    warnings = refuse_if(problem for found in checks(order, act.today).values() for problem in found)
    orders.mark_change(order, checked_at=act.at, checked_by=act.person)
    passed = "".join(f"; passed: {warning.what}" for warning in warnings)
    add_history(act, "check_order", f"Checked order {order.number}{passed}", links(order))
    bring_along(orders=[order.pk])
    return order.pk


def checks(order: PurchaseOrder, today: date) -> dict[int, list[Problem]]:
    """The problems of sending each line, by its id: blocks, and warnings that let it pass."""
    lines = list(order.lines.select_related("item").order_by("number"))
    catalogue = Catalogue(known=[line.item for line in lines], suppliers=[order.supplier_id])
    return {line.pk: _checks_of(line, order.supplier, catalogue, today) for line in lines}


def _checks_of(line: OrderLine, supplier: Party, catalogue: Catalogue, today: date) -> list[Problem]:
    where, item, factor = f"line {line.number}", line.item, line.pack_factor
    draft = LineDraft(
        where, line.quantity, item.decimals, item.unit, line.pack_price, line.discount, line.need_by, factor
    )
    found = line_problems(draft, today)
    agreement = catalogue.agreement(supplier, line.item_id, today, line.quantity)
    if agreement:
        offer = offer_of(agreement, supplier, factor)
        found += misfits(where, line.quantity, line.pack_price, line.need_by, today, offer)
    return [replace(problem, what=f"Line {line.number}: {problem.what}") for problem in found]


@once
def approve_order(act: Act, request: OrderAct) -> int:
    """Approve; never by the person who checked or wrote it."""
    order = locked(request.order)
    act.require("approve_order", order.company_id)
    if not order.checked_at:
        raise Refused(Problem(f"{order.number} is not checked yet.", mend="Check it first."))
    if order.approved_at:
        raise Refused(Problem(f"{order.number} is approved already.", mend="Reload the page."))
    if act.person.pk in (order.checked_by_id, order.buyer_id):
        raise Refused(Problem("An order is approved by a second person.", mend="Ask another person who may approve."))
    _within_limit(act, order)
    orders.mark_change(order, approved_at=act.at, approved_by=act.person)
    add_history(act, "approve_order", f"Approved order {order.number}", links(order))
    bring_along(orders=[order.pk])
    return order.pk


def _within_limit(act: Act, order: PurchaseOrder) -> None:
    """Compare the order's amount, in base currency, with the limit in the person's grant."""
    most = limit_of(act.person, "approve_order", order.company_id)
    if most is None:
        return
    amount = stakes.Stakes().base(order.company, order_total(order), order.currency)
    if amount > most:
        currency = order.company.currency
        what = f"The order is worth {currency} {money(amount, currency)}; you may approve {money(most, currency)}."
        raise Refused(Problem(what, mend="Ask a person with a higher limit."))


@once
def send_order(act: Act, request: OrderAct) -> int:
    """Send; from now on its quantities are supply."""
    order = locked(request.order)
    act.require("send_order", order.company_id)
    if not order.approved_at:
        raise Refused(Problem(f"{order.number} is not approved yet.", mend="It needs a second person's approval."))
    if order.sent_at:
        raise Refused(Problem(f"{order.number} was sent already.", mend="Reload the page."))
    instalments = orders.write_instalments(order)
    revision = orders.write_revision(act, order)
    orders.mark_change(order, sent_at=act.at, revision=revision.number)
    history = add_history(
        act, "send_order", f"Sent order {order.number}, revision {revision.number}", links(order), shared=True
    )
    keys = [instalment.pk for instalment in instalments]
    positions.supply(history, [(part.pk, part.quantity) for part in instalments])
    bring_along(orders=[order.pk], instalments=keys)
    mail_order(act, order)
    return order.pk


def mail_order(act: Act, order: PurchaseOrder, letter: str = "order") -> None:
    """The order to its supplier, with the papers and a link to answer by; or that it is cancelled or withdrawn.

    No one is written to who has no address, nor by the demo world's own actions.
    """
    if not order.supplier.email or act.channel == "demo":
        return
    body = render_to_string(f"letters/{letter}.txt", {"order": order, "link": LINK})
    what = f", revision {order.revision}" if order.revision > 1 else ""
    mail.write(
        act,
        mail.Draft(
            kind="order",
            recipient=order.supplier.email,
            subject=f"Order {order.number}{what if letter == 'order' else f' is {letter}'}",
            body=body,
            company=order.company_id,
            supplier=order.supplier_id,
            papers=[("order", order.pk)] if letter == "order" else [],
        ),
    )


def order_total(order: PurchaseOrder) -> Decimal:
    """The order's amount in its currency without tax: the sum of its rounded lines."""
    amounts = (
        net_amount(line.quantity, line.pack_factor, line.pack_price, line.net_share, order.currency)
        for line in order.lines.all()
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


def links(order: PurchaseOrder) -> list[tuple[str, int, int | None]]:
    """The links of a story of the whole order."""
    lines = [("line", pk, order.company_id) for pk in order.lines.values_list("pk", flat=True)]
    return [("order", order.pk, order.company_id), *lines]
