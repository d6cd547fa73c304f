"""The list of what was received, and its file."""

from collections.abc import Iterator
from decimal import Decimal

from django import forms
from django.http import StreamingHttpResponse
from django.shortcuts import render
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.formats.tables import csv_line
from northing.masterdata.models import Site
from northing.receiving.models import Receipt
from northing.reports.receipt_lines import COLUMNS, Asked, file_rows, receipt_lines, with_value
from northing.web.common.forms import DayField
from northing.web.common.paging import page_of_keys
from northing.web.common.permissions import open_page
from northing.web.receiving.found import receipts_found, words_of


class AskedForm(forms.Form):
    """Which receipts; what makes no sense is left out and said."""

    q = forms.CharField(label="Words", required=False, max_length=80)
    site = forms.ModelChoiceField(Site.objects.none(), required=False, empty_label="all sites")
    since = DayField(label="From", required=False)
    until = DayField(label="Until", required=False)
    reversed = forms.BooleanField(label="Reversed ones too", required=False)

    def __init__(self, data, person):
        super().__init__(data, auto_id="asked_%s")
        self.fields["site"].queryset = scoped(Site.objects.all(), person)
        self.fields["q"].widget.attrs["placeholder"] = "receipt, note, container, order, item, supplier"


@open_page
def receipts(request):
    """Every line that was received, the newest first; as a page or as a file."""
    form = AskedForm(request.GET, request.user)
    entered = form.cleaned_data if form.is_valid() else {}
    site = entered.get("site")
    asked = Asked(
        companies_of(request.user),
        site.pk if site else None,
        entered.get("since"),
        entered.get("until"),
        entered.get("reversed", False),
    )
    lines = receipt_lines(asked)
    words = words_of(entered.get("q") or "")
    if words:
        named = receipts_found(scoped(Receipt.objects.all(), request.user), words)
        lines = lines.filter(receipt__in=named.values("pk"))
    if request.GET.get("as") == "csv":
        answer = StreamingHttpResponse(_csv(lines), content_type="text/csv; charset=utf-8")
        name = f"receipts-{timezone.localdate():%Y-%m-%d}.csv"
        answer["Content-Disposition"] = f'attachment; filename="{name}"'
        return answer
    told = ("receipt__site", "receipt__company", "bin", "item", "instalment__line__order")
    page = page_of_keys(lines, request.GET, wide=with_value(lines).select_related(*told))
    again = request.GET.copy()
    again["as"] = "csv"
    context = {"form": form, "lines": page.rows, "page": page, "file": again.urlencode()}
    return render(request, "receiving/receipts.html", context, status=422 if form.errors else 200)


def _csv(lines) -> Iterator[str]:
    yield "\ufeff" + csv_line(COLUMNS)
    for row in file_rows(lines):
        yield csv_line(value.normalize() if isinstance(value, Decimal) else value for value in row.values())
