"""Hand postings to the firm's accountants, each once; and the numbers that our accounts have in their books."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from northing.access.acts import Act, future_problem
from northing.activity.operations import add_history, once
from northing.core.problems import Problem, Refused, refuse_if
from northing.ledger import operations as ledger
from northing.ledger.models import Account, JournalExport
from northing.masterdata.models import Company

LONGEST = 24


@dataclass(frozen=True)
class ExportRequest:
    """All postings of a company (id) through a day that were not handed over yet."""

    company: int
    through: date


@dataclass(frozen=True)
class NumbersRequest:
    """The accountants' numbers of accounts of a company (id), by our names; an empty one is taken away."""

    company: int
    numbers: Mapping[str, str]


@once
def export_journal(act: Act, request: ExportRequest) -> int:
    """Mark the postings as handed over. Returns the export's id, by which they are read as often as one likes."""
    act.require("close_period", request.company)
    company = Company.objects.select_for_update().get(pk=request.company)
    refuse_if(future_problem(request.through, act, "through"))
    made = ledger.write_export(
        JournalExport(company=company, through=request.through, made_by=act.person, at=act.at, postings=0)
    )
    if not made.postings:
        raise Refused(
            Problem("Every posting through that day was handed over before.", "through", "Open that journal.")
        )
    text = f"Handed over {made.postings:,} postings of {company} through {request.through:%-d %b %Y}"
    add_history(act, "export_journal", text, [("company", company.pk, company.pk)], request.through)
    return made.pk


@once
def number_accounts(act: Act, request: NumbersRequest) -> int:
    """Set the numbers of accounts. Returns the company's id."""
    act.require("close_period", request.company)
    numbers = {account: number.strip() for account, number in request.numbers.items()}
    problems = [
        Problem(f"A number has at most {LONGEST} signs.", account, "Shorten it.")
        for account, number in numbers.items()
        if len(number) > LONGEST
    ]
    problems += [Problem(f"There is no account {name!r}.", name) for name in numbers if name not in Account.values]
    refuse_if(problems)
    ledger.number_accounts(request.company, numbers)
    told = ", ".join(f"{Account(name).label} {number or 'none'}" for name, number in sorted(numbers.items()))
    add_history(
        act, "number_accounts", f"Account numbers: {told}"[:900], [("company", request.company, request.company)]
    )
    return request.company
