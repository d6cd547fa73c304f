"""A payment as it is asked for, and what it costs."""

from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from northing.core.money.money import converted, is_whole
from northing.core.problems import Problem, Refused
from northing.masterdata.models import BankAccount, Company
from northing.masterdata.queries import rate_for

ZERO, ONE = Decimal(0), Decimal(1)


@dataclass(frozen=True)
class PartRequest:
    """What is paid of a bill, with the discount that is taken; or in advance on an order. Ids.

    Of a credit note, or of an advance that is open (`set_off`), the amount is set off: it is paid less, or comes back.
    """

    amount: Decimal
    bill: int | None = None
    order: int | None = None
    discount: Decimal = ZERO
    set_off: bool = False


@dataclass(frozen=True)
class PayRequest:
    """A payment to one party in one currency; what comes back from it where more is set off than paid.

    `withheld` of the amount is not paid to the party but owed to an office. `bank` is what left (or reached) the
    account by its statement, in the currency of the account (base, without one); else `rate`, or the day's rate for
    payments, says it. `charges` of the bank are in base currency.
    """

    company: int
    party: int
    day: date
    currency: str
    parts: tuple[PartRequest, ...]
    rate: Decimal | None = None
    bank: Decimal | None = None
    charges: Decimal = ZERO
    account: int | None = None
    remark: str = ""
    withheld: Decimal = ZERO


@dataclass(frozen=True)
class Worth:
    """What a payment costs: its rate, if it has one, what leaves the account, and that in base currency.

    `base` of it is what leaves the bank, `withheld` what is withheld; below 0 where money comes back.
    """

    rate: Decimal | None
    bank_currency: str
    bank_amount: Decimal
    base: Decimal
    withheld: Decimal = ZERO


def worth_of(request: PayRequest, company: Company, amount: Decimal) -> Worth:
    """What a payment of `amount` (below 0 where it comes back) costs. Raises Refused where there is no rate for it."""
    base, paid = company.currency, amount - request.withheld
    account = _account(request, base)
    if not amount:
        return Worth(None, base, ZERO, ZERO)
    bank = None if request.bank is None else request.bank.copy_sign(paid)
    if account == request.currency != base:
        rate = request.rate or rate_for(company, request.currency, request.day, "payment")
        if bank not in (None, paid):
            raise Refused(Problem(f"The account is in {account}: {account} leaves it.", "bank", "Leave it empty."))
        return _with_withheld(request, rate, account, paid, converted(paid, rate, base), base)
    if bank is not None:
        if request.currency == base and bank != paid:
            what = f"{base} {abs(paid)} was paid, and {base} {abs(bank)} left the bank."
            raise Refused(Problem(what, "bank", "Enter what is above it as charges of the bank."))
        if not is_whole(bank, base):
            raise Refused(Problem(f"{base} has fewer decimals than this amount.", "bank"))
        return _with_withheld(request, None if request.currency != base else ONE, base, bank, bank, base, paid)
    rate = request.rate or rate_for(company, request.currency, request.day, "payment")
    worth = converted(paid, rate, base)
    return _with_withheld(request, rate, base, worth, worth, base)


def _with_withheld(
    request: PayRequest,
    rate: Decimal | None,
    currency: str,
    bank: Decimal,
    worth: Decimal,
    base: str,
    paid: Decimal | None = None,
) -> Worth:
    """With what is withheld at the same rate; without one, at that of the bank's amount for what was paid."""
    if not request.withheld:
        return Worth(rate, currency, bank, worth)
    if rate is None:
        withheld = converted(request.withheld * worth / paid, ONE, base) if paid else ZERO
    else:
        withheld = converted(request.withheld, rate, base)
    return Worth(rate, currency, bank, worth, withheld)


def _account(request: PayRequest, base: str) -> str:
    """The currency of the account that is paid from; without one, base currency."""
    if request.account is None:
        return base
    found = BankAccount.objects.filter(pk=request.account, company=request.company).first()
    if found is None:
        raise Refused(Problem("This is no account of the company.", "account", "Choose one of the list."))
    if found.currency not in (base, request.currency):
        what = f"The account is in {found.currency}; {request.currency} is paid."
        raise Refused(Problem(what, "account", f"Choose one in {base} or {request.currency}."))
    return found.currency
