"""The trial balance of a period, and an account opened to its items and postings."""

from dataclasses import dataclass, replace
from datetime import date

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.utils import timezone

from northing.access.queries import scoped
from northing.core.money.exact import plain
from northing.core.money.periods import day_problems
from northing.formats.tables import csv_line
from northing.ledger.models import Account, Posting
from northing.masterdata.models import Company
from northing.reports.account_sheets import by_currency, items_of, trial_balance, with_names
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import open_page


@dataclass(frozen=True)
class Period:
    """From a day (None: from the beginning) through a day."""

    first: date | None
    through: date

    @property
    def query(self) -> str:
        """The period in an address."""
        return (f"from={self.first.isoformat()}&" if self.first else "") + f"through={self.through.isoformat()}"


def period_of(request) -> Period:
    """The period that is asked for; a strange day counts as none."""
    days = []
    for name in ("from", "through"):
        try:
            day = date.fromisoformat(request.GET.get(name, ""))
        except ValueError:
            day = None
        days.append(None if day is None or day_problems(day, name) else day)
    return Period(days[0], days[1] or timezone.localdate())


@open_page
def balance(request):
    """Each company's accounts over a period; they sum to zero."""
    period, sheets = period_of(request), []
    for company in scoped(Company.objects.all(), request.user, "pk"):
        rows = trial_balance(company, period.first, period.through)
        sheets.append({"company": company, "rows": rows, "total": sum(row.after for row in rows)})
    return render(request, "reports/trial_balance.html", {"sheets": sheets, "period": period})


@open_page
def account(request, company_id: int, account: str):
    """What makes up an account at a day, and what was posted on it in a period."""
    company = get_object_or_404(scoped(Company.objects.all(), request.user, "pk"), pk=company_id)
    if account not in Account.values:
        raise Http404("There is no such account.")
    period = period_of(request)
    items = items_of(company, account, period.through)
    if request.GET.get("as") == "csv":
        return _file(company, account, items)
    postings = Posting.objects.filter(company=company, account=account, posted_on__lte=period.through)
    postings = postings.filter(posted_on__gte=period.first) if period.first else postings
    postings = postings.select_related("entry", "party", "order_line__order").order_by("-posted_on", "-pk")
    shown = page_of_rows(items, request.GET, 100, name="items")
    shown = replace(shown, rows=with_names(shown.rows))
    context = {
        "company": company,
        "account": Account(account),
        "period": period,
        "row": next(iter(trial_balance(company, period.first, period.through, account)), None),
        "items": shown,
        "sums": by_currency(items),
        "total": sum(item.base for item in items),
        "page": page_of_rows(postings, request.GET, 50),
    }
    return render(request, "reports/account.html", context)


def _file(company: Company, account: str, items) -> HttpResponse:
    head = ["item", "party", "since", "currency", "amount", "base_currency", "base"]
    rows = [
        [one.name, one.party, one.since, one.currency, plain(one.amount), company.currency, plain(one.base)]
        for one in with_names(items)
    ]
    answer = HttpResponse("".join(csv_line(row) for row in [head, *rows]), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{company.code}-{account}.csv"'
    return answer
