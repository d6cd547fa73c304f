"""The money of a case beside its goods: claimed from whom, paid, or given up; each act is undone by its mirror."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.access.acts import Act, future_problem
from northing.actions.claims.authorise import case_links, locked_case
from northing.actions.costing import goods_price
from northing.actions.quality.inspect import locked_layer
from northing.actions.reversal import ReverseRequest, refuse_reversal
from northing.actions.worklist.refresh import bring_along
from northing.activity.operations import add_history, once
from northing.claims import operations as claims
from northing.claims.models import Claim, ClaimMoney
from northing.claims.queries import given_up_units, open_claims
from northing.core.money.money import UnknownCurrency, converted, is_whole
from northing.core.money.spread import amount_so_far
from northing.core.problems import Problem, Refused, refuse_if
from northing.drawings.figures import money
from northing.ledger.models import Account, CostLayer, DocumentKind, Entry
from northing.ledger.operations import Draft, mirror, open_entry, post
from northing.ledger.queries import posting_note
from northing.masterdata.models import Party
from northing.masterdata.queries import rate_for

ZERO = Decimal(0)
Way = ClaimMoney.Way


@dataclass(frozen=True)
class MoneyRequest:
    """An amount of a case (its id), in a currency, that a party (its id) owes; why, and on which day.

    A rate, or what reached the bank in base, may be said; else the day's rate counts.
    """

    case: int
    party: int
    currency: str
    amount: Decimal
    reason: str
    occurred_on: date
    rate: Decimal | None = None
    bank: Decimal | None = None


@dataclass(frozen=True)
class TurnRequest:
    """All that is claimed of a case's price is claimed from another party (ids): who carried or insured the goods."""

    case: int
    party: int
    reason: str
    occurred_on: date


@once
def claim_more(act: Act, request: MoneyRequest) -> int:
    """Claim costs of the goods beyond their price (freight, duty, a survey) from a party. Returns the act's id."""
    case = _locked(act, request, "handle_cases")
    party = _party(request.party)
    rate = request.rate or rate_for(case.company, request.currency, request.occurred_on)
    base = converted(request.amount, rate, case.company.currency)
    done = _done(act, request, case, party, Way.MORE, base)
    words = f"Claimed {request.currency} {money(request.amount, request.currency)} of {party}"
    _open(act, done, "claim_more", words)
    _amounts(done, [(party.pk, request.amount, base)])
    loss = Draft(case.company_id, case.loss_account, -base, layer=case.layer_id)
    return _post(done, [_claim(done, party.pk, request.amount, base), loss])


@once
def give_up(act: Act, request: MoneyRequest) -> int:
    """What a party does not pay of a claim is a loss. Returns the act's id."""
    case = _locked(act, request, "handle_cases")
    base = _share(request, case)
    done = _done(act, request, case, _party(request.party), Way.GIVEN_UP, base)
    _open(act, done, "give_up_claim", f"Gave up {request.currency} {money(request.amount, request.currency)}")
    _amounts(done, [(request.party, -request.amount, -base)])
    loss = Draft(case.company_id, case.loss_account, base, layer=case.layer_id)
    return _post(done, [_claim(done, request.party, -request.amount, -base), loss])


@once
def claim_paid(act: Act, request: MoneyRequest) -> int:
    """A party pays a claim, or a part of it, into the bank. Returns the act's id."""
    case = _locked(act, request, "pay")
    base = _share(request, case)
    rate = request.rate or rate_for(case.company, request.currency, request.occurred_on, "payment")
    bank = converted(request.amount, rate, case.company.currency) if request.bank is None else request.bank
    refuse_if([] if bank > 0 else [Problem("What reached the bank is above 0.", "bank")])
    done = _done(act, request, case, _party(request.party), Way.PAID, base)
    done.bank_base = bank
    text = f"{done.party} paid {request.currency} {money(request.amount, request.currency)} of its claim"
    _open(act, done, "claim_paid", text)
    _amounts(done, [(request.party, -request.amount, -base)])
    came = Draft(case.company_id, Account.BANK, bank, bank, case.company.currency)
    exchange = Draft(case.company_id, Account.EXCHANGE, base - bank)
    return _post(done, [came, _claim(done, request.party, -request.amount, -base), exchange])


@once
def turn(act: Act, request: TurnRequest) -> int:
    """The price of a case's goods is claimed from who carried or insured them, no more from their supplier.

    Units that were not billed yet are owed to the supplier after all. Returns the act's id.
    """
    case, layer, party = _turned(act, request)
    # Their order's currency is what the supplier is owed in.
    currency = layer.shipment_line.instalment.line.order.currency
    was, was_base = open_claims([case.pk]).get((case.pk, case.against_id, currency), (ZERO, ZERO))
    units = given_up_units(case) if case.kind == Claim.Kind.MISSING else ZERO
    head = MoneyRequest(case.pk, party.pk, currency, ZERO, request.reason, request.occurred_on)
    done = _done(act, head, case, party, Way.TURNED, ZERO)
    done.before = case.against
    _open(act, done, "turn_claim", f"Claimed from {party} instead of {case.against}")
    owed = goods_price.owe(done.entry, layer, units)
    price = -sum((draft.foreign_amount for draft in owed.drafts), ZERO)
    done.amount, done.base, done.units = was + price, was_base - owed.price, units if owed.drafts else ZERO
    if not done.amount:
        what = "Nothing is claimed of this case, and nothing of it waits for a bill."
        raise Refused(Problem(what, mend="Claim an amount from them instead."))
    _amounts(done, [(case.against_id, -was, -was_base), (party.pk, done.amount, done.base)])
    claim = _claim(done, case.against_id, -was, -was_base), _claim(done, party.pk, done.amount, done.base)
    return _post(done, [*owed.drafts, *claim])


def _turned(act: Act, request: TurnRequest) -> tuple[Claim, CostLayer, Party]:
    case = locked_case(request.case)
    act.require("handle_cases", case.company_id)
    party = _party(request.party)
    problems = future_problem(request.occurred_on, act) + _reason(request.reason)
    if party.pk == case.against_id:
        problems.append(Problem(f"It is claimed from {party} already.", "party", "Choose another party."))
    problems += _no_money(case)
    refuse_if(problems)
    return case, locked_layer(case.layer_id), party


@once
def reverse_money(act: Act, request: ReverseRequest) -> int:
    """Undo an act on the money of a case; the last one goes first. Returns the case's id."""
    done = ClaimMoney.objects.select_related("entry", "case", "party", "before").get(pk=request.record)
    case = locked_case(done.case_id)
    act.require("pay" if done.way == Way.PAID else "handle_cases", case.company_id)
    done.refresh_from_db(fields=["reversed_by"])
    refuse_reversal("act", done.reversed_by_id, request.reason)
    refuse_if(_later(done))
    layer = locked_layer(case.layer_id)
    text = f"Taken back: {done.get_way_display().lower()} {done.currency} {money(done.amount, done.currency)}."
    text += f" {request.reason.strip()}{posting_note([case.company_id], act.today)}"
    history = add_history(act, "reverse_claim", text, case_links(case), act.today)
    entry = open_entry(act, history, text, act.today, reverses=done.entry)
    claims.take_back_amounts(entry, done.entry, why=done.way)
    claims.take_back_money(done, entry)
    if done.units:
        _owed_no_more(entry, done, case, layer)
    else:
        mirror(entry, done.entry, [layer.pk])
    bring_along(cases=[case.pk])
    return case.pk


def _owed_no_more(entry: Entry, done: ClaimMoney, case: Claim, layer: CostLayer) -> None:
    """Units that were owed to the supplier after all are not; what was billed of them meanwhile is claimed from it."""
    case.against = done.before or case.against
    released = goods_price.release(entry, layer, done.units, case)
    if released.claimed:
        raise Refused(Problem("Some of these units are billed by now.", mend="Reverse that bill first."))
    rows = [
        Draft(
            case.company_id,
            Account.CLAIMS,
            -sign * base,
            -sign * amount,
            done.currency,
            party=party,
            document_kind=DocumentKind.CASE,
            document=case.pk,
        )
        for party, sign, amount, base in _both(done, released)
    ]
    post(entry, [*rows, *released.drafts])


def _both(done: ClaimMoney, released: goods_price.Released) -> list[tuple[int, int, Decimal, Decimal]]:
    price = sum((draft.foreign_amount for draft in released.drafts), ZERO)
    was, was_base = done.amount - price, done.base - released.price
    assert done.before_id is not None
    return [(done.party_id, 1, done.amount, done.base), (done.before_id, -1, was, was_base)]


def _later(done: ClaimMoney) -> list[Problem]:
    """What was done about the same money since; nothing that a party paid or was credited is taken from under it."""
    left, _ = open_claims([done.case_id]).get((done.case_id, done.party_id, done.currency), (ZERO, ZERO))
    grows = done.way in (Way.MORE, Way.TURNED)
    if not grows or left >= done.amount:
        return []
    what = f"Only {done.currency} {money(left, done.currency)} of it is open."
    return [Problem(what, mend="Take back first what was paid, credited or given up of it.")]


def _locked(act: Act, request: MoneyRequest, permission: str) -> Claim:
    case = locked_case(request.case)
    act.require(permission, case.company_id)
    problems = future_problem(request.occurred_on, act) + _reason(request.reason)
    if request.amount <= 0 or request.amount > Decimal(999_999_999_999):
        problems.append(Problem("The amount must be above 0.", "amount"))
    elif not _is_amount(request):
        problems.append(Problem(f"This is no amount in {request.currency}.", "amount"))
    if request.rate is not None and request.rate <= 0:
        problems.append(Problem("A rate is above 0.", "rate"))
    problems += _no_money(case)
    refuse_if(problems)
    return case


def _no_money(case: Claim) -> list[Problem]:
    """Why nothing can be claimed of a case."""
    if case.withdrawn_at:
        return [Problem("This case never was: what opened it is reversed.")]
    if case.of_no_order:
        return [Problem("These goods belong to no order, and have no price.", mend="Decide about them first.")]
    return []


def _is_amount(request: MoneyRequest) -> bool:
    try:
        return is_whole(request.amount, request.currency)
    except UnknownCurrency:
        return False


def _reason(reason: str) -> list[Problem]:
    return [] if reason.strip() else [Problem("Say why.", "reason", "One sentence is enough.")]


def _party(key: int) -> Party:
    found = Party.objects.filter(pk=key).first()
    if found is None:
        raise Refused(Problem("There is no such party.", "party", "Choose one of the list."))
    return found


def _share(request: MoneyRequest, case: Claim) -> Decimal:
    """What a part of a party's claim is worth in base: the share of what is open. Raises Refused beyond that."""
    whole, base = open_claims([case.pk]).get((case.pk, request.party, request.currency), (ZERO, ZERO))
    if request.amount > whole:
        what = f"{request.currency} {money(whole, request.currency)} of it is claimed from them."
        raise Refused(Problem(what, "amount", "Enter at most that."))
    return amount_so_far(base, case.company.currency, request.amount, whole)


def _done(act: Act, request: MoneyRequest, case: Claim, party: Party, way: str, base: Decimal) -> ClaimMoney:
    return ClaimMoney(
        company=case.company,
        case=case,
        way=way,
        party=party,
        currency=request.currency,
        amount=request.amount,
        base=base,
        reason=" ".join(request.reason.split())[:80],
        occurred_on=request.occurred_on,
        by=act.person,
        at=act.at,
    )


def _open(act: Act, done: ClaimMoney, action: str, words: str) -> None:
    text = f"{words}: {done.reason}{posting_note([done.company_id], done.occurred_on)}"
    history = add_history(act, action, text, case_links(done.case), done.occurred_on)
    done.entry = open_entry(act, history, text, done.occurred_on)


def _amounts(done: ClaimMoney, rows: Sequence[tuple[int, Decimal, Decimal]]) -> None:
    claims.add_amounts(
        done.entry, [(done.case_id, party, done.way, done.currency, amount, base) for party, amount, base in rows]
    )


def _claim(done: ClaimMoney, party: int, amount: Decimal, base: Decimal) -> Draft:
    return Draft(
        done.company_id,
        Account.CLAIMS,
        base,
        amount,
        done.currency,
        party=party,
        document_kind=DocumentKind.CASE,
        document=done.case_id,
    )


def _post(done: ClaimMoney, drafts: Sequence[Draft]) -> int:
    claims.write_money(done)
    post(done.entry, drafts)
    bring_along(cases=[done.case_id])
    return done.pk
