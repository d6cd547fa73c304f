"""A journal for the firm's accountants: one row for each posting, as CSV."""

import csv
from collections.abc import Iterator
from decimal import Decimal
from io import StringIO

from northing.billing.models import BillTax
from northing.core.money.exact import plain
from northing.core.money.money import minor_units
from northing.ledger.models import AccountNumber, DocumentKind, JournalExport, Posting

COLUMNS = (
    "journal", "entry", "posting", "posted_on", "occurred_on", "company", "account", "number", "amount", "currency",
    "foreign_amount", "foreign_currency", "rate", "party", "document_kind", "document", "order", "line",
    "action", "text", "tax_code",
)  # fmt: skip
FIELDS = (
    "entry", "pk", "posted_on", "entry__occurred_on", "account", "amount", "foreign_amount", "foreign_currency", "rate",
    "party__code", "document_kind", "document", "order_line__order__number", "order_line__number", "entry__action",
    "entry__text",
)  # fmt: skip
# A cell that a spreadsheet would read as a formula gets a quote before it.
FORMULA = ("=", "+", "-", "@", "\t", "\r")


def journal_csv(export: JournalExport) -> Iterator[str]:
    """The file, piece by piece; amounts have their currency's decimals, debit is positive."""
    company = export.company
    numbers = dict(AccountNumber.objects.filter(company=company).values_list("account", "number"))
    codes = dict(BillTax.objects.filter(bill__company=company).values_list("pk", "code__code"))
    yield _row(COLUMNS)
    postings = Posting.objects.filter(exported__export=export).order_by("pk").values_list(*FIELDS)
    for row in postings.iterator(chunk_size=2_000):
        entry, key, posted, occurred, account, amount, foreign, currency, rate, *rest = row
        party, kind, document, order, line, action, text = rest
        yield _row(
            (
                export.pk,
                entry,
                key,
                posted.isoformat(),
                occurred.isoformat(),
                company.code,
                account,
                _safe(numbers.get(account, "")),
                _money(amount, company.currency),
                company.currency,
                _money(foreign, currency) if currency else "",
                currency or "",
                plain(rate) if rate is not None else "",
                _safe(party or ""),
                kind,
                document or "",
                order or "",
                line or "",
                action,
                _safe(text),
                codes.get(document) or "" if kind == DocumentKind.BILL_TAX else "",
            )
        )


def _money(amount: Decimal, currency: str) -> str:
    return f"{amount:.{minor_units(currency)}f}"


def _safe(text: str) -> str:
    return f"'{text}" if text.startswith(FORMULA) else text


def _row(cells: tuple) -> str:
    line = StringIO()
    csv.writer(line).writerow(cells)
    return line.getvalue()
