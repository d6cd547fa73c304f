"""The list of what was received, and its files."""

import uuid
from collections.abc import Iterator
from decimal import Decimal
from functools import partial

from django.http import QueryDict, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.formats.tables import csv_line
from northing.jobs import jobs
from northing.reports.receipt_lines import COLUMNS, file_rows, page_rows
from northing.web.common.forms import act_of
from northing.web.common.paging import page_of
from northing.web.common.permissions import open_page, own_page
from northing.web.receiving.forms.asked import AskedForm, asked_lines

# Lines of a workbook that is made at once; more are for the worker.
AT_ONCE = 5_000
ROWS = 50


@open_page
def receipts(request):
    """Every line that was received, the newest first; as a page or as a file."""
    form = AskedForm(request.GET, request.user)
    lines = asked_lines(form, request.user)
    if request.GET.get("as") == "csv":
        answer = StreamingHttpResponse(_csv(lines), content_type="text/csv; charset=utf-8")
        answer["Content-Disposition"] = f'attachment; filename="{file_name()}.csv"'
        return answer
    page = page_of(partial(page_rows, lines), request.GET, ROWS)
    again = request.GET.copy()
    query = again.urlencode()
    again["as"] = "csv"
    context = {"form": form, "lines": page.rows, "page": page, "file": again.urlencode(), "query": query}
    return render(request, "receiving/receipts.html", context, status=422 if form.errors else 200)


def file_name() -> str:
    """How a file of receipts is called today, without its ending."""
    return f"receipts-{timezone.localdate():%Y-%m-%d}"


def _csv(lines) -> Iterator[str]:
    yield "\ufeff" + csv_line(COLUMNS)
    for row in file_rows(lines):
        yield csv_line(value.normalize() if isinstance(value, Decimal) else value for value in row.values())


@own_page
@require_POST
def receipts_workbook(request):
    """The same lines as a workbook; long ones are made by the worker."""
    query = request.POST.get("query", "").replace("\x00", "")[:1000]
    count = asked_lines(AskedForm(QueryDict(query), request.user), request.user).count()
    act, title = act_of(request, uuid.uuid4().hex), f"{count} lines of receipts as a workbook"
    back = f"{reverse('receipts')}?{query}"
    job = jobs.begin(act, "receipts_xlsx", title, {"query": query}, count, back, count > AT_ONCE)
    if count > AT_ONCE:
        return redirect("job", job.pk)
    jobs.run(job.pk)
    return redirect("job-file", job.pk)
