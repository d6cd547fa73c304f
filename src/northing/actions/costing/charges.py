"""Cost: estimate a charge, book its bill (its effect shown first)."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from fractions import Fraction

from django.db.models import Q

from northing.access.acts import Act, future_problem
from northing.actions.costing import absorb, accruals, ownership
from northing.activity.operations import Link, add_history, once
from northing.core.costing import charges, landed_cost
from northing.core.money.money import MINOR_UNITS, converted, is_whole, minor_units
from northing.core.money.periods import day_problems
from northing.core.money.spread import NothingToSpreadOver
from northing.core.problems import Problem, Refused, refuse_if
from northing.costing import operations as costing
from northing.costing.models import Charge, ChargePart, ChargeShare
from northing.drawings.figures import money
from northing.ledger.models import Account, DocumentKind
from northing.ledger.operations import Draft, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Company, Party
from northing.masterdata.queries import Rates, rate_for
from northing.shipping import operations as shipping
from northing.shipping.models import Container, Shipment, ShipmentLine

ZERO = Decimal(0)


@dataclass(frozen=True)
class ChargeRequest:
    """A charge as entered: amount in its currency; scope as ids; `by_hand` as (shipment line, amount) pairs.

    `charge` names the estimate that a bill replaces.
    """

    company: int
    payee: int
    kind: str
    basis: str
    currency: str
    amount: Decimal
    day: date
    shipments: tuple[int, ...] = ()
    containers: tuple[int, ...] = ()
    lines: tuple[int, ...] = ()
    bill_number: str = ""
    charge: int | None = None


@dataclass(frozen=True)
class UnitCost:
    """A layer's cost per unit before and after a booking."""

    layer: object
    old: Decimal
    new: Decimal
    stock: Decimal
    variance: Decimal


@dataclass
class Plan:
    """What booking a charge would do; computed without writing."""

    parts: list[costing.PartDraft]
    shipment_lines: dict[int, ShipmentLine]
    absorbed: absorb.Absorption
    old_shares: dict[int, Decimal]

    @property
    def unit_costs(self) -> list[UnitCost]:
        """Old and new unit cost of each layer that changes."""
        changed: dict[int, list[absorb.Late]] = {}
        for late in self.absorbed.late:
            changed.setdefault(late.layer.pk, []).append(late)
        found = []
        for lates in changed.values():
            layer, amount = lates[0].layer, sum((late.amount for late in lates), ZERO)
            found.append(
                UnitCost(
                    layer,
                    landed_cost.unit_price_of(layer.total_cost, layer.received),
                    landed_cost.unit_price_of(layer.total_cost + amount, layer.received),
                    sum((late.stock for late in lates), ZERO),
                    sum((sum(late.variance.values(), ZERO) for late in lates), ZERO),
                )
            )
        return found

    def rows(self) -> list[dict]:
        """Each bearer's share, for showing."""
        return [
            {"shipment_line": self.shipment_lines[key], "amount": amount, "old": self.old_shares.get(key), "part": part}
            for part in self.parts
            for key, amount in part.shares.items()
        ]


def in_scope(shipments: Iterable[int], containers: Iterable[int], lines: Iterable[int]) -> list[ShipmentLine]:
    """The shipment lines a scope names: whole shipments, containers, and order lines wherever they travel.

    Lines given together with shipments or containers narrow those down.
    """
    shipments, containers, lines = list(shipments), list(containers), list(lines)
    found = ShipmentLine.objects.select_related(
        "instalment__line__order__company", "instalment__line__item", "container__shipment"
    ).order_by("instalment__line_id", "pk")
    if shipments or containers:
        whole = Container.objects.filter(shipment__in=shipments).values("pk")
        found = found.filter(container__in=whole) | found.filter(container__in=containers)
    elif not lines:
        return []
    if lines:
        found = found.filter(instalment__line__in=lines)
    return list(found)


def plan(request: ChargeRequest, *, lock: bool = False) -> Plan:
    """Spread a charge and see what it does to layers already received. Raises Refused.

    The same computation previews (without locks) and books (with them).
    """
    refuse_if(_amount_problems(request))
    shipment_lines = in_scope(request.shipments, request.containers, request.lines)
    if not shipment_lines:
        raise Refused(Problem("Nothing is packed in this scope.", "scope", "Choose a shipment that holds goods."))
    parts = _spread(request, shipment_lines)
    by_key = {part.pk: part for part in shipment_lines}
    old = (
        dict(ChargeShare.objects.filter(charge=request.charge).values_list("shipment_line", "amount"))
        if request.charge
        else {}
    )
    new = {key: amount for part in parts for key, amount in part.shares.items()}
    # A charge not saved yet is component 0: no layer has absorbed any of it.
    component = request.charge or 0
    totals = {key: {component: new.get(key, ZERO)} for key in {*new, *old}}
    return Plan(parts, by_key, absorb.absorption(totals, lock=lock), old)


def _amount_problems(request: ChargeRequest) -> list[Problem]:
    strange = day_problems(request.day, "day")
    if strange:
        return strange
    if request.currency not in MINOR_UNITS:
        return [Problem(f"{request.currency!r} is not an ISO 4217 currency.", "currency")]
    if abs(request.amount) > Decimal("999999999999"):
        return [Problem("This amount is larger than any Northing books.", "amount", "Check the figure.")]
    if not is_whole(request.amount, request.currency):
        places = minor_units(request.currency)
        return [Problem(f"{request.currency} has {places} decimals; this amount has more.", "amount")]
    if not request.amount:
        return [Problem("The amount is zero.", "amount", "Enter what is billed or expected.")]
    return []


def _spread(request: ChargeRequest, shipment_lines: Sequence[ShipmentLine]) -> list[costing.PartDraft]:
    companies = {part.instalment.line.order.company_id: part.instalment.line.order.company for part in shipment_lines}
    rates = {
        key: charges.CompanyRate(company.currency, rate_for(company, request.currency, request.day))
        for key, company in companies.items()
    }
    try:
        parts = charges.share_charge(
            request.amount, request.currency, _bearers(shipment_lines, request.day), request.basis, rates
        )
    except NothingToSpreadOver:
        raise Refused(
            Problem(
                f"Every part in this scope has zero {request.basis}.",
                "basis",
                "Choose another basis, or complete the items.",
            )
        ) from None
    return [
        costing.PartDraft(
            part.company,
            part.amount,
            rates[part.company].rate,
            part.base_amount,
            {shipment_lines[place].pk: amount for place, amount in part.shares.items()},
        )
        for part in parts
    ]


def _bearers(shipment_lines: Sequence[ShipmentLine], day: date) -> list[charges.Bearer]:
    """Measures of each part; goods not ours yet count at the day's rate."""
    rates = Rates(day)
    of_line: dict[int, Decimal] = {}
    for part in shipment_lines:
        of_line[part.instalment.line_id] = of_line.get(part.instalment.line_id, ZERO) + part.quantity
    found = []
    for part in shipment_lines:
        line = part.instalment.line
        goods = part.goods_base if part.goods_base is not None else ownership.value_today(part, rates)
        found.append(
            charges.Bearer(
                company=line.order.company_id,
                goods=goods,
                weight=line.item.weight_kg * part.quantity,
                volume=line.item.volume_m3 * part.quantity,
                quantity=part.quantity,
                part_of_line=Fraction(part.quantity) / Fraction(of_line[line.pk]),
            )
        )
    return found


@once
def enter_estimate(act: Act, request: ChargeRequest) -> int:
    """A charge we expect: it is spread at once, and enters the cost of what is received."""
    _check(act, request, "estimate_charge")
    charge = _new_charge(request, estimated=request.amount, estimated_on=request.day)
    _apply(act, request, charge, "enter_estimate", "Estimated")
    return charge.pk


@once
def book_bill(act: Act, request: ChargeRequest) -> int:
    """A bill: it replaces its estimate or stands alone; what is received is revalued."""
    _check(act, request, "book_bill")
    refuse_if(future_problem(request.day, act, "day"))
    if not request.bill_number.strip():
        raise Refused(Problem("The bill has a number.", "bill_number", "Enter it as it stands on the bill."))
    if request.charge:
        charge = Charge.objects.select_for_update().get(pk=request.charge)
        if charge.billed is not None:
            raise Refused(Problem(f"This charge is billed already ({charge.bill_number}).", "charge"))
        charge.ended_on = None  # a bill that comes after all
        charge.payee_id, charge.basis, charge.currency = request.payee, request.basis, request.currency
        charge.billed, charge.billed_on, charge.bill_number = request.amount, request.day, request.bill_number.strip()
        charge.company_id, charge.kind = request.company, request.kind
        costing.write_charge(charge, request.shipments, request.containers, request.lines)
    else:
        charge = _new_charge(
            request, billed=request.amount, billed_on=request.day, bill_number=request.bill_number.strip()
        )
    _apply(act, request, charge, "book_bill", f"Booked bill {charge.bill_number}")
    return charge.pk


def _require(act: Act, request: ChargeRequest, permission: str) -> None:
    """Lock the shipments of the scope, and ask for the permission in every company that bears or pays."""
    lock_scope(request)
    companies = {
        part.instalment.line.order.company_id for part in in_scope(request.shipments, request.containers, request.lines)
    }
    act.require(permission, request.company, *sorted(companies))


def _check(act: Act, request: ChargeRequest, permission: str) -> None:
    _require(act, request, permission)
    refuse_if(_amount_problems(request))
    if request.kind not in landed_cost.KINDS or request.basis not in landed_cost.BASES:
        raise Refused(Problem("Choose the kind of charge and its basis.", "kind"))
    if not Party.objects.filter(pk=request.payee).exclude(kind=Party.Kind.SUPPLIER).exists():
        raise Refused(Problem("Choose who is to be paid.", "payee"))


def lock_scope(request: ChargeRequest) -> None:
    """Lock the shipments of a scope, so that nothing of it is packed or received while it is spread."""
    shipment_lines = in_scope(request.shipments, request.containers, request.lines)
    shipping.lock({*request.shipments, *(part.container.shipment_id for part in shipment_lines)})


def _new_charge(request: ChargeRequest, **facts) -> Charge:
    charge = Charge(
        company_id=request.company,
        payee_id=request.payee,
        kind=request.kind,
        basis=request.basis,
        currency=request.currency,
        **facts,
    )
    return costing.write_charge(charge, request.shipments, request.containers, request.lines)


def _apply(act: Act, request: ChargeRequest, charge: Charge, action: str, words: str) -> None:
    found = plan(_with_charge(request, charge), lock=True)
    links = _links(charge, found)
    what = f"{charge.get_kind_display().lower()} {charge.currency} {money(charge.amount, charge.currency)}"
    companies = {part.company for part in found.parts} | {request.company}
    text = f"{words}: {what} of {charge.payee}{posting_note(companies, request.day)}"
    history = add_history(act, action, text, links, request.day)
    costing.write_spread(charge, found.parts)
    if charge.billed is None and not found.absorbed.late:
        return  # an estimate of goods that are still to come posts nothing
    entry = open_entry(act, history, text, request.day)
    drafts = absorb.write(entry, found.absorbed)
    if charge.billed is not None:
        drafts += _payable_drafts(charge, request.company)
    post(entry, drafts)
    accruals.true_up(entry, [charge.pk])


def _with_charge(request: ChargeRequest, charge: Charge) -> ChargeRequest:
    return ChargeRequest(**{**request.__dict__, "charge": charge.pk})


def _payable_drafts(charge: Charge, payer: int) -> list[Draft]:
    """The bill: each company's part into its accruals, the payer owing all, the others owing the payer."""
    company = Company.objects.get(pk=payer)
    payer_rate = rate_for(company, charge.currency, charge.billed_on)
    drafts, owed = [], ZERO
    for part in charge.parts.select_related("charge", "company").order_by("pk"):
        drafts.append(accruals.Accrual(part, ZERO).draft(part.amount, part.base_amount)._replace(rate=part.rate))
        if part.company_id == payer:
            owed += part.base_amount
            continue
        lent = converted(part.amount, payer_rate, company.currency)
        owed += lent
        drafts.append(_between(part, part.company_id, Account.DUE_TO, -1, part.base_amount, part.rate))
        drafts.append(_between(part, payer, Account.DUE_FROM, 1, lent, payer_rate))
    drafts.append(
        Draft(
            payer,
            Account.PROVIDER_PAYABLE,
            -owed,
            -charge.billed,
            charge.currency,
            payer_rate,
            charge=charge.pk,
            party=charge.payee_id,
            document_kind=DocumentKind.CHARGE,
            document=charge.pk,
        )
    )
    return drafts


def _between(part: ChargePart, company: int, account: str, sign: int, base: Decimal, rate: Decimal) -> Draft:
    """What one company of ours owes the other for its part of a bill, in the books of either."""
    return Draft(
        company,
        account,
        sign * base,
        sign * part.amount,
        part.charge.currency,
        rate,
        charge=part.charge_id,
        document_kind=DocumentKind.CHARGE_PART,
        document=part.pk,
    )


def _links(charge: Charge, found: Plan) -> list[Link]:
    """A charge over goods of one company only is told to that company only."""
    companies = {part.company for part in found.parts} | {charge.company_id}
    told = charge.company_id if len(companies) == 1 else None
    links: dict[Link, None] = {("charge", charge.pk, told): None}
    for part in found.shipment_lines.values():
        line = part.instalment.line
        links["shipment", part.container.shipment_id, told] = None
        links["line", line.pk, line.order.company_id] = None
    return list(links)


@dataclass(frozen=True)
class EndRequest:
    """An estimate that will not be billed, and why."""

    charge: int
    reason: str


@once
def end_estimate(act: Act, request: EndRequest) -> int:
    """An estimate will not be billed: what goods took up of it leaves their cost again. Returns the charge's id."""
    charge = Charge.objects.select_for_update().get(pk=request.charge)
    as_asked = request_of(charge)
    _require(act, as_asked, "book_bill")
    if not charge.expected:
        state = f"is billed ({charge.bill_number})" if charge.billed is not None else "has ended already"
        raise Refused(Problem(f"This charge {state}.", "charge"))
    if not request.reason.strip():
        raise Refused(Problem("Say why the estimate will not be billed.", "reason", "One sentence is enough."))
    what = f"{charge.get_kind_display().lower()} {charge.currency} {money(charge.estimated, charge.currency)}"
    text = f"Will not be billed: {what} of {charge.payee}, {request.reason.strip()}"
    companies = sorted(charge.parts.values_list("company", flat=True))
    text += posting_note(companies, act.today)
    history = add_history(act, "end_estimate", text, _links_of(charge, charge.shares.all()), act.today)
    shares = {key: {charge.pk: ZERO} for key in charge.shares.values_list("shipment_line", flat=True)}
    costing.end(charge, act.today)
    found = absorb.absorption(shares)
    if found.late:
        entry = open_entry(act, history, text, act.today)
        post(entry, absorb.write(entry, found))
        accruals.true_up(entry, [charge.pk])
    return charge.pk


def _links_of(charge: Charge, shares) -> list[Link]:
    """A charge as it stands, and the shipments and lines that bear it."""
    rows = shares.values_list(
        "shipment_line__container__shipment", "shipment_line__instalment__line", "company"
    ).distinct()
    links: dict[Link, None] = {("charge", charge.pk, charge.company_id): None}
    for shipment, line, company in rows:
        links["shipment", shipment, company] = links["line", line, company] = None
    return list(links)


def respread_estimates(act: Act, shipment: Shipment) -> None:
    """Packing changed: estimates over the shipment, its containers or its lines spread over what is packed now.

    What was received already takes up its new share.
    """
    of_lines = Q(lines__instalments__shipment_lines__container__shipment=shipment)
    touched = Q(shipments=shipment) | Q(containers__shipment=shipment) | of_lines
    keys = Charge.objects.filter(touched, billed=None, ended_on=None).values_list("pk", flat=True)
    for charge in Charge.objects.filter(pk__in=set(keys)).order_by("pk"):
        _respread(act, charge)


def _respread(act: Act, charge: Charge) -> None:
    request = request_of(charge)
    shipment_lines = in_scope(request.shipments, request.containers, request.lines)
    old = set(charge.shares.values_list("shipment_line", flat=True))
    parts = _spread(request, shipment_lines) if shipment_lines else []
    new = {key: amount for part in parts for key, amount in part.shares.items()}
    costing.write_spread(charge, parts)
    found = absorb.absorption({key: {charge.pk: new.get(key, ZERO)} for key in {*new, *old}})
    if found.late:
        text = f"Packing changed: {charge.get_kind_display().lower()} of {charge.payee} is spread anew"
        history = add_history(act, "respread", text, _links_of(charge, charge.shares.all()), act.today)
        entry = open_entry(act, history, text, act.today)
        post(entry, absorb.write(entry, found))
        accruals.true_up(entry, [charge.pk])


def request_of(charge: Charge) -> ChargeRequest:
    """The request that would enter the charge as it stands."""
    return ChargeRequest(
        company=charge.company_id,
        payee=charge.payee_id,
        kind=charge.kind,
        basis=charge.basis,
        currency=charge.currency,
        amount=charge.amount,
        day=charge.billed_on or charge.estimated_on,
        shipments=tuple(charge.shipments.values_list("pk", flat=True)),
        containers=tuple(charge.containers.values_list("pk", flat=True)),
        lines=tuple(charge.lines.values_list("pk", flat=True)),
        bill_number=charge.bill_number,
        charge=charge.pk,
    )
