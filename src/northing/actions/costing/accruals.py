"""Accruals of charges as open items: what goods took up of a charge, in base currency and in the charge's own."""

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from decimal import Decimal

from django.db.models import Sum

from northing.core.costing.accruals import foreign_taken
from northing.core.money.money import from_minor, to_minor
from northing.costing.models import Charge, ChargePart
from northing.ledger.models import Account, DocumentKind, Entry, LayerCost, OpenItem
from northing.ledger.operations import Draft, post

ZERO = Decimal(0)


def accrual_account(kind: str) -> str:
    """The clearing account between bills and layers of a kind of charge."""
    return Account.ACCRUED_DUTY if kind in ("duty", "import_tax") else Account.ACCRUED_CHARGES


@dataclass(frozen=True)
class Accrual:
    """A company's part of a charge, and what its layers have taken up of it so far, in base currency."""

    part: ChargePart
    taken: Decimal

    def foreign(self, taken: Decimal) -> Decimal:
        """The amount in the part's own currency that goes with so much of its base amount."""
        charge, company = self.part.charge, self.part.company
        units = foreign_taken(
            to_minor(self.part.amount, charge.currency),
            to_minor(self.part.base_amount, company.currency),
            to_minor(taken, company.currency),
        )
        return from_minor(units, charge.currency)

    @property
    def open(self) -> tuple[Decimal, Decimal]:
        """Its balance as it should be: billed less taken up, in its currency and in base."""
        return self.part.billed - self.foreign(self.taken), self.part.billed_base - self.taken

    def draft(self, amount: Decimal, base: Decimal) -> Draft:
        """A posting on the accrual."""
        return billed(self.part.charge, self.part.company_id, amount, base)


def billed(charge: Charge, company: int, amount: Decimal, base: Decimal, rate: Decimal | None = None) -> Draft:
    """A posting on the accrual of a charge in a company (id); without a rate where the base is a share or a mixture."""
    return Draft(
        company=company,
        account=accrual_account(charge.kind),
        amount=base,
        foreign_amount=amount,
        foreign_currency=charge.currency,
        rate=rate,
        charge=charge.pk,
        party=charge.payee_id,
        document_kind=DocumentKind.CHARGE,
        document=charge.pk,
    )


def accruals_of(charges: Iterable[int]) -> dict[tuple[int, int], Accrual]:
    """The accruals of charges (ids), by charge and company."""
    keys = list(charges)
    taken = LayerCost.objects.filter(charge__in=keys).values_list("charge", "layer__company")
    sums = {(charge, company): total for charge, company, total in taken.annotate(total=Sum("amount")).order_by()}
    parts = ChargePart.objects.filter(charge__in=keys).select_related("charge", "company")
    return {
        (part.charge_id, part.company_id): Accrual(part, sums.get((part.charge_id, part.company_id), ZERO))
        for part in parts
    }


def true_up(entry: Entry, charges: Iterable[int]) -> None:
    """Bring the open items of charges (ids) to what they should hold, in both currencies.

    A bill in another currency, at another rate or of another payee than its estimate moves what was taken up already;
    the base amounts on the account do not change by it.
    """
    keys = sorted(charges)
    accruals = accruals_of(keys)
    found: dict[tuple[int, int], list[OpenItem]] = defaultdict(list)
    accounts = [Account.ACCRUED_CHARGES, Account.ACCRUED_DUTY]
    for item in OpenItem.objects.filter(document_kind=DocumentKind.CHARGE, document__in=keys, account__in=accounts):
        found[item.document, item.company_id].append(item)
    drafts: list[Draft] = []
    for key, accrual in accruals.items():
        drafts += _moved(accrual, found.get(key, []))
    post(entry, drafts)


def _moved(accrual: Accrual, items: Iterable[OpenItem]) -> list[Draft]:
    part, drafts = accrual.part, []
    amount, base = accrual.open
    for item in items:
        if (item.currency, item.party_id) == (part.charge.currency, part.charge.payee_id):
            amount, base = amount - item.amount, base - item.base
        else:
            gone = accrual.draft(-item.amount, -item.base)
            drafts.append(gone._replace(foreign_currency=item.currency, party=item.party_id))
    return [*drafts, accrual.draft(amount, base)]


def taken_up(taken: Mapping[tuple[int, int], Iterable[Decimal]]) -> dict[tuple[int, int], list[Draft]]:
    """The postings for base amounts about to be taken up one after the other, by charge and company."""
    accruals = accruals_of({charge for charge, _ in taken})
    found = {}
    for key, amounts in taken.items():
        accrual = accruals[key]
        through, drafts = accrual.taken, []
        for amount in amounts:
            foreign = accrual.foreign(through + amount) - accrual.foreign(through)
            drafts.append(accrual.draft(-foreign, -amount))
            through += amount
        found[key] = drafts
    return found
