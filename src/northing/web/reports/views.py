"""Look back: where from, and the ledger entry by entry."""

from django.db.models import Exists, OuterRef, Subquery
from django.shortcuts import get_object_or_404, render

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.ledger.models import Account, Entry, Posting
from northing.masterdata.models import Company
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import open_page

# What accounts are asked for by, at a day.
SHEETS = [
    (Account.OWNED_NOT_BILLED, "ours, not billed"),
    (Account.BILLED_NOT_OURS, "billed, not ours"),
    (Account.OWNED_AFLOAT, "ours afloat"),
    (Account.ADVANCES, "advances"),
    (Account.CLAIMS, "claims"),
    (Account.STOCK, "stock value"),
    (Account.ACCRUED_CHARGES, "charges accrued"),
    (Account.SUPPLIER_PAYABLE, "owed to suppliers"),
    (Account.BANK, "bank"),
]


@open_page
def look_back(request):
    """Where to look back from."""
    companies = scoped(Company.objects.all(), request.user, "pk")
    return render(request, "reports/look_back.html", {"companies": companies, "sheets": SHEETS})


@open_page
def ledger(request):
    """Entries, newest first."""
    mine = companies_of(request.user)
    ids = Posting.objects.filter(company__in=mine)
    account = request.GET.get("account", "")
    if account in Account.values:
        ids = ids.filter(account=account)
    company = request.GET.get("company", "")
    if company:
        ids = ids.filter(company__code=company[:8])
    found = Entry.objects.filter(pk__in=ids.values("entry")).select_related("actor").order_by("-pk")
    page = page_of_rows(found.annotate(posted_on=_posted_on(mine)), request.GET)
    context = {"entries": page.rows, "page": page, "account": account, "accounts": Account.choices}
    return render(request, "reports/ledger.html", context)


def _posted_on(companies):
    """The first day on which an entry posts in one of the companies (ids)."""
    rows = Posting.objects.filter(entry=OuterRef("pk"), company__in=companies).order_by("posted_on")
    return Subquery(rows.values("posted_on")[:1])


@open_page
def entry(request, entry_id: int):
    """One entry with its postings."""
    mine = companies_of(request.user)
    postings = Posting.objects.filter(entry=OuterRef("pk"))
    seen = Exists(postings.filter(company__in=mine)) | ~Exists(postings)
    found = Entry.objects.filter(seen).select_related("actor", "history", "reverses")
    record = get_object_or_404(found, pk=entry_id)
    postings = record.postings.filter(company__in=mine).select_related(
        "company", "party", "order_line__order", "charge", "layer__item"
    )
    return render(request, "reports/entry.html", {"entry": record, "postings": postings.order_by("company", "pk")})
