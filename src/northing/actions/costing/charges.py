"""Cost: charges that are expected, spread at once; and their end without a bill."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db.models import Q

from northing.access.acts import Act
from northing.actions.costing import absorb, accruals
from northing.actions.costing.scope import Goods, Scope, in_scope, lock_scope, scope_of
from northing.actions.costing.spread import Hand, Plan, Share, Tranche, by_key, plan
from northing.activity.operations import Link, add_history, once
from northing.core.costing import charges as spreading
from northing.core.costing import landed_cost
from northing.core.money.money import MINOR_UNITS, is_whole, minor_units
from northing.core.money.periods import day_problems
from northing.core.problems import Problem, Refused, refuse_if
from northing.costing import operations as costing
from northing.costing.models import Charge
from northing.drawings.figures import money
from northing.ledger.operations import open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Party
from northing.masterdata.rate_cards import usual_bases
from northing.shipping.models import Shipment

ZERO = Decimal(0)


@dataclass(frozen=True)
class ChargeRequest:
    """An estimate as entered: amount in its currency; what it is spread over as ids; without a basis the usual one.

    By hand its `shares` are what goods bear in their company's base currency.
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
    orders: tuple[int, ...] = ()
    remark: str = ""
    shares: tuple[Share, ...] = ()

    @property
    def scope(self) -> Scope:
        """Its scope."""
        return Scope(self.shipments, self.containers, self.lines, self.orders)


def foresee(request: ChargeRequest) -> Plan:
    """The effect of the estimate, without writing. Raises Refused."""
    refuse_if(amount_problems(request.amount, request.currency, request.day))
    return plan(
        in_scope(request.scope),
        basis_of(request.kind, request.basis),
        request.currency,
        [Tranche(request.amount, request.day)],
        hand=hand_of(request.kind, request.shares),
    )


def amount_problems(amount: Decimal, currency: str, day: date) -> list[Problem]:
    """What is wrong with an amount of a day: its decimals, its size, its currency."""
    strange = day_problems(day, "day")
    if strange:
        return strange
    if currency not in MINOR_UNITS:
        return [Problem(f"{currency!r} is not an ISO 4217 currency.", "currency")]
    if abs(amount) > Decimal("999999999999"):
        return [Problem("This amount is larger than any Northing books.", "amount", "Check the figure.")]
    if not is_whole(amount, currency):
        places = minor_units(currency)
        return [Problem(f"{currency} has {places} decimals; this amount has more.", "amount")]
    if not amount:
        return [Problem("The amount is zero.", "amount", "Enter what is billed or expected.")]
    return []


def basis_of(kind: str, basis: str) -> str:
    """The basis that is said, else the usual one of the kind."""
    return basis or usual_bases().get(kind, Charge.Basis.VALUE)


def hand_of(kind: str, shares: Sequence[Share]) -> Hand | None:
    """Shares that are given by hand; companies divide a charge of the kind by its usual basis."""
    return Hand(by_key(shares), basis_of(kind, "")) if shares else None


def kind_problems(kind: str, basis: str, shares: Sequence[Share] = ()) -> list[Problem]:
    """Whether the kind of charge and its basis are known; by hand its shares are there."""
    if basis == Charge.Basis.BY_HAND and not shares:
        return [Problem("No share is given yet.", "basis", "Show what it does; then type the shares.")]
    if kind in landed_cost.KINDS and basis in (*spreading.BASES, Charge.Basis.BY_HAND):
        return []
    return [Problem("Choose the kind of charge and its basis.", "kind")]


@once
def enter_estimate(act: Act, request: ChargeRequest) -> int:
    """A charge we expect: it is spread at once, and enters the cost of what is received. Returns its id."""
    return estimate(act, request)


def estimate(act: Act, request: ChargeRequest) -> int:
    """Write what we expect of a charge, as a part of a larger action. Returns its id."""
    goods = lock_scope(request.scope)
    require(act, "estimate_charge", request.company, goods)
    refuse_if(amount_problems(request.amount, request.currency, request.day))
    basis = basis_of(request.kind, request.basis)
    refuse_if(kind_problems(request.kind, basis, request.shares))
    if not Party.objects.filter(pk=request.payee).exists():
        raise Refused(Problem("Choose who is to be paid.", "payee"))
    charge = Charge(
        company_id=request.company,
        payee_id=request.payee,
        kind=request.kind,
        basis=basis,
        currency=request.currency,
        estimated=request.amount,
        estimated_on=request.day,
        estimated_currency=request.currency,
        remark=request.remark,
    )
    scope = request.scope
    costing.write_charge(charge, scope.shipments, scope.containers, scope.all_lines)
    tranches, hand = [Tranche(request.amount, request.day)], hand_of(request.kind, request.shares)
    found = plan(goods, charge.basis, charge.currency, tranches, charge.pk, lock=True, hand=hand)
    companies = {part.company for part in found.parts} | {request.company}
    text = f"Estimated: {words_of(charge, charge.amount)}{posting_note(companies, request.day)}"
    history = add_history(act, "enter_estimate", text, links_of(charge, goods), request.day)
    costing.write_spread(charge, found.parts)
    _absorb(act, history, text, charge, found.absorbed, request.day)
    return charge.pk


def require(act: Act, permission: str, company: int, goods: Iterable[Goods]) -> None:
    """Ask for the permission in every company that bears or pays."""
    act.require(permission, company, *sorted({one.line.order.company_id for one in goods}))


def words_of(charge: Charge, amount: Decimal) -> str:
    """A charge in a sentence."""
    return f"{charge.get_kind_display().lower()} {charge.currency} {money(amount, charge.currency)} of {charge.payee}"


def links_of(charge: Charge, goods: Iterable[Goods]) -> list[Link]:
    """A charge over goods of one company only is told to that company only."""
    goods = list(goods)
    companies = {one.line.order.company_id for one in goods} | {charge.company_id}
    told = charge.company_id if len(companies) == 1 else None
    links: dict[Link, None] = {("charge", charge.pk, told): None}
    for one in goods:
        if one.is_packed:
            links["shipment", one.shipment_line.container.shipment_id, told] = None
        links["line", one.line.pk, one.line.order.company_id] = None
    return list(links)


def _absorb(act: Act, history, text: str, charge: Charge, found: absorb.Absorption, day: date) -> None:
    """An estimate posts only what goods that are received take up of it."""
    if found.late:
        entry = open_entry(act, history, text, day)
        post(entry, absorb.write(entry, found))
        accruals.true_up(entry, [charge.pk])


@dataclass(frozen=True)
class EndRequest:
    """An estimate that will not be billed, and why."""

    charge: int
    reason: str


@once
def end_estimate(act: Act, request: EndRequest) -> int:
    """What is not billed of an estimate never will be: it leaves the cost of the goods. Returns the charge's id."""
    charge = Charge.objects.select_for_update().get(pk=request.charge)
    goods = lock_scope(scope_of(charge))
    require(act, "book_bill", charge.company_id, goods)
    if not charge.expected:
        state = f"is billed ({charge.bill_numbers})" if charge.billed is not None else "has ended already"
        raise Refused(Problem(f"This charge {state}.", "charge"))
    if not request.reason.strip():
        raise Refused(Problem("Say why the estimate will not be billed.", "reason", "One sentence is enough."))
    text = f"Will not be billed: {words_of(charge, charge.rest)}, {request.reason.strip()}"
    text += posting_note(sorted(charge.parts.values_list("company", flat=True)), act.today)
    history = add_history(act, "end_estimate", text, links_of(charge, goods), act.today)
    costing.close(charge, act.today)
    _absorb(act, history, text, charge, only_billed(charge), act.today)
    return charge.pk


def only_billed(charge: Charge) -> absorb.Absorption:
    """Write that goods bear what is billed of a charge and no more; returns what that does to the layers."""
    bearers = {
        absorb.Bearer(line, part): share
        for line, part, share in charge.shares.values_list("order_line", "shipment_line", "amount").order_by("pk")
    }
    parts = [
        costing.PartDraft(
            part.company_id,
            part.billed,
            part.billed_base,
            part.billed,
            part.billed_base,
            _shrunk(charge, part),
        )
        for part in charge.parts.select_related("company").order_by("pk")
    ]
    costing.write_spread(charge, parts)
    new = {key: share for part in parts for key, share in part.shares.items()}
    return absorb.absorption({bearer: {charge.pk: new.get(tuple(bearer), ZERO)} for bearer in bearers})


def _shrunk(charge: Charge, part) -> dict[costing.Key, Decimal]:
    """The shares of a company's part, as they are to each other, of what is billed.

    Where nothing is, they stay as shares of nothing: they tell that this kind of cost is not expected any more.
    """
    rows = list(
        charge.shares.filter(company=part.company_id)
        .values_list("order_line", "shipment_line", "amount")
        .order_by("pk")
    )
    if not part.billed_base:
        return {(line, key): ZERO for line, key, _ in rows}
    weights = landed_cost.whole_weights([abs(share) for _, _, share in rows])
    shares = landed_cost.spread_amount(part.billed_base, weights, part.company.currency)
    return {(line, key): share for (line, key, _), share in zip(rows, shares, strict=True)}


def respread_estimates(act: Act, shipment: Shipment) -> None:
    """Packing changed: estimates over the shipment or its containers spread over what is packed now.

    Goods received already take up their new share. Shares of order lines go along with their units.
    """
    touched = Q(shipments=shipment) | Q(containers__shipment=shipment)
    keys = Charge.objects.filter(touched, billed=None, closed_on=None).values_list("pk", flat=True)
    for charge in Charge.objects.filter(pk__in=set(keys)).order_by("pk"):
        _respread(act, charge)


def _respread(act: Act, charge: Charge) -> None:
    goods = in_scope(scope_of(charge))
    if goods:
        tranche = Tranche(charge.amount, charge.estimated_on)
        found = plan(goods, charge.basis, charge.currency, [tranche], charge.pk, lock=True)
        costing.write_spread(charge, found.parts)
        absorbed = found.absorbed
    else:
        absorbed = only_billed(charge)
    if absorbed.late:
        text = f"Packing changed: {charge.get_kind_display().lower()} of {charge.payee} is spread anew"
        history = add_history(act, "respread", text, links_of(charge, goods), act.today)
        _absorb(act, history, text, charge, absorbed, act.today)


def follow_units(act: Act, lines: Iterable[int]) -> None:
    """Units of order lines (ids) come or never will: charges over whole lines lie on those that come."""
    keys = sorted(set(lines))
    found = absorb.of_lines(keys)
    if found.late:
        companies = {one.layer.company_id for one in found.late}
        text = f"Charges over order lines lie on the units that come{posting_note(companies, act.today)}"
        links = {("line", one.layer.shipment_line.instalment.line_id, one.layer.company_id) for one in found.late}
        history = add_history(act, "follow_units", text, sorted(links), act.today)
        entry = open_entry(act, history, text, act.today)
        post(entry, absorb.write(entry, found))


def request_of(charge: Charge) -> ChargeRequest:
    """The request that would enter what is expected of the charge as it stands; by hand without its shares.

    A bill that says no basis is spread as its estimate is.
    """
    scope = scope_of(charge)
    return ChargeRequest(
        company=charge.company_id,
        payee=charge.payee_id,
        kind=charge.kind,
        basis="" if charge.basis == Charge.Basis.BY_HAND else charge.basis,
        currency=charge.currency,
        amount=charge.rest or charge.amount,
        day=charge.billed_on or charge.estimated_on,
        shipments=scope.shipments,
        containers=scope.containers,
        lines=scope.lines,
        remark=charge.remark,
    )
