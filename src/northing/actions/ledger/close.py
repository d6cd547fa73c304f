"""Close a period: what is owed and owned in foreign currency is valued at its end; and reopen it."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal

from django.db.models import Q, Sum

from northing.access.acts import Act, future_problem
from northing.activity.operations import add_history, once
from northing.core.billing.closing import Standing, unrealised
from northing.core.problems import Problem, refuse_if
from northing.drawings.figures import money
from northing.ledger import operations as ledger
from northing.ledger.models import Account, Closing, Posting
from northing.ledger.operations import Draft, mirror, open_entry, post
from northing.masterdata.models import Company
from northing.masterdata.queries import rate_for
from northing.payments.models import Reserve, ReserveUse

ZERO = Decimal(0)
# What is paid or received in money; advances, billed not ours, stock and owned afloat are not. Of accrued charges only
# what is owed: those in debit are billed cost of goods that are still on their way.
VALUED = (
    Account.SUPPLIER_PAYABLE,
    Account.PROVIDER_PAYABLE,
    Account.CUSTOMS_PAYABLE,
    Account.ACCRUED_CHARGES,
    Account.OWNED_NOT_BILLED,
    Account.CLAIMS,
    Account.DUE_FROM,
    Account.DUE_TO,
    Account.BANK,
)


@dataclass(frozen=True)
class CloseRequest:
    """The last day of the period of a company (id)."""

    company: int
    through: date


@dataclass(frozen=True)
class ReopenRequest:
    """A closing (id) and why it is undone."""

    closing: int
    reason: str


@dataclass(frozen=True)
class Valued:
    """What stands on an account in a currency, the closing rate, and by how much it is worth more."""

    standing: Standing
    rate: Decimal
    difference: Decimal


def valuation(company: Company, through: date) -> list[Valued]:
    """The values at the end of a period, by account and currency. Raises Refused where a rate is missing."""
    found = []
    for one in _standing(company, through):
        rate = rate_for(company, one.currency, through)
        found.append(Valued(one, rate, unrealised(one, rate, company.currency)))
    return found


def _standing(company: Company, through: date) -> list[Standing]:
    rows = Posting.objects.filter(company=company, account__in=VALUED, posted_on__lte=through)
    rows = rows.filter(foreign_currency__isnull=False).exclude(foreign_currency=company.currency)
    totals = {"a": Sum("foreign_amount"), "b": Sum("amount")}
    others = rows.exclude(account=Account.ACCRUED_CHARGES).values_list("account", "foreign_currency")
    found: dict[tuple[str, str], list[Decimal]] = defaultdict(lambda: [ZERO, ZERO])
    for account, currency, amount, base in others.order_by("account", "foreign_currency").annotate(**totals):
        found[account, currency] = [amount, base]
    accrued = rows.filter(account=Account.ACCRUED_CHARGES).values_list("foreign_currency", "document_kind", "document")
    for currency, _, _, amount, base in accrued.order_by().annotate(**totals):
        if amount < 0:
            owed = found[Account.ACCRUED_CHARGES.value, currency]
            owed[0] += amount
            owed[1] += base
    for currency, amount, base in _reserved(company, through):
        # Owned and not billed is owed less the advances that are reserved against it.
        owed = found[Account.OWNED_NOT_BILLED.value, currency]
        owed[0] += amount
        owed[1] += base
    return [Standing(*key, *worth) for key, worth in sorted(found.items()) if worth != [ZERO, ZERO]]


def _reserved(company: Company, through: date) -> list[tuple[str, Decimal, Decimal]]:
    """Advances reserved and not used by that day, by currency."""
    kept = Reserve.objects.filter(order__company=company, entry__occurred_on__lte=through)
    kept = kept.exclude(order__currency=company.currency).values_list("order__currency").order_by()
    used = ReserveUse.objects.filter(reserve__order__company=company, entry__occurred_on__lte=through)
    used = used.exclude(reserve__order__currency=company.currency).values_list("reserve__order__currency").order_by()
    found: dict[str, list[Decimal]] = defaultdict(lambda: [ZERO, ZERO])
    for sign, rows in ((1, kept), (-1, used)):
        for currency, amount, base in rows.annotate(a=Sum("amount"), b=Sum("base")):
            found[currency][0] += sign * amount
            found[currency][1] += sign * base
    return [(currency, *worth) for currency, worth in found.items()]


@once
def close_period(act: Act, request: CloseRequest) -> int:
    """Close a company's books through a day. Returns the closing's id."""
    act.require("close_period", request.company)
    company = Company.objects.select_for_update().get(pk=request.company)
    refuse_if(future_problem(request.through, act, "through") + _problems(company, request.through))
    found = [one for one in valuation(company, request.through) if one.difference]
    text = f"Closed the books of {company} through {request.through:%-d %b %Y}"
    total = sum((one.difference for one in found), ZERO)
    text += f": not realised {company.currency} {money(total, company.currency)}" if found else ""
    history = add_history(act, "close_period", text, [("company", company.pk, company.pk)], request.through)
    closing = Closing(
        company=company,
        through=request.through,
        before=company.closed_through,
        closed_by=act.person,
        at=act.at,
    )
    if found:
        closing.entry = open_entry(act, history, text, request.through)
        closing.mirror = open_entry(act, history, f"{text}, taken back", request.through + timedelta(days=1))
        post(closing.entry, _drafts(company, found, 1))
        post(closing.mirror, _drafts(company, found, -1))
    return ledger.write_closing(closing).pk


def _problems(company: Company, through: date) -> list[Problem]:
    if company.closed_through and through <= company.closed_through:
        what = f"The books are closed through {company.closed_through:%-d %b %Y} already."
        return [Problem(what, "through", "Choose a later day, or reopen that period.")]
    return []


def _drafts(company: Company, found: Sequence[Valued], sign: int) -> list[Draft]:
    """Base only: nothing of it stands on an item."""
    drafts = []
    for one in found:
        drafts.append(Draft(company.pk, Account.REVALUATION, sign * one.difference))
        drafts.append(Draft(company.pk, Account.EXCHANGE_UNREALISED, -sign * one.difference))
    return drafts


@once
def reopen_period(act: Act, request: ReopenRequest) -> int:
    """Open the last closed period of a company again; its values are undone. Returns the closing's id."""
    closing = Closing.objects.select_for_update(of=("self",)).select_related("company").get(pk=request.closing)
    act.require("close_period", closing.company_id)
    company = Company.objects.select_for_update().get(pk=closing.company_id)
    problems = []
    if closing.reopened_at or company.closed_through != closing.through:
        problems.append(Problem("Only the period that was closed last can be opened.", mend="Reload the page."))
    if not request.reason.strip():
        problems.append(Problem("Say why the period is opened again.", "reason", "One sentence is enough."))
    refuse_if(problems)
    ledger.reopen(closing, request.reason.strip()[:120], act.at)
    text = f"Opened the books of {company} again through {closing.through:%-d %b %Y}: {request.reason.strip()}"
    history = add_history(act, "reopen_period", text, [("company", company.pk, company.pk)], closing.through)
    for entry in (closing.entry, closing.mirror):
        if entry is not None:
            undone = open_entry(act, history, text, entry.occurred_on, reverses=entry)
            mirror(undone, entry, [])
    return closing.pk


def still_open(company: Company, through: date) -> list[tuple[str, Decimal]]:
    """What is still open at the end of a period: by the account's words, in base currency."""
    accounts = (Account.OWNED_NOT_BILLED, Account.BILLED_NOT_OURS, Account.ACCRUED_CHARGES, Account.ADVANCES)
    rows = Posting.objects.filter(Q(account__in=accounts), company=company, posted_on__lte=through)
    sums = dict(rows.values_list("account").order_by().annotate(total=Sum("amount")))
    return [(account.label, sums[account.value]) for account in accounts if sums.get(account.value)]
