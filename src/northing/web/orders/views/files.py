"""Order files: sent, shown row by row, taken; wrong rows go back with their reasons."""

import uuid
from collections.abc import Iterator

from django.contrib import messages
from django.db.models import Count
from django.http import HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from northing.actions.orders import import_file
from northing.core.problems import Refused
from northing.formats.order_rows import COLUMNS, NEEDED
from northing.formats.tables import csv_line
from northing.jobs import jobs
from northing.orders.models import OrderFile, OrderFileRow
from northing.web.common.forms import act_of
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, form_for, open_page
from northing.web.orders.forms.files import OrderFileForm

EXAMPLE = {
    "order": "spring-1",
    "company": "KLN",
    "supplier": "QIN",
    "site": "TRG",
    "incoterm": "FOB",
    "incoterm_place": "Ningbo",
    "mode": "sea",
    "remark": "Mark the cartons",
    "item": "KET-17",
    "quantity": "240",
    "need_by": "2027-03-10",
}
# Up to this size a file is read, and up to so many rows taken, while one waits.
AT_ONCE_BYTES, AT_ONCE_ROWS = 40_000, 200
State = OrderFileRow.State


@form_for("write_order")
def files(request):
    """Files sent before, and the form to send one."""
    form = OrderFileForm(request.POST or None, request.FILES or None)
    if request.method == "POST" and form.is_valid():
        try:
            return _begin(request, form)
        except Refused as refused:
            form.take(refused)
    found = OrderFile.objects.filter(person=request.user)
    context = {"form": form, "page": page_of_rows(found, request.GET), "columns": COLUMNS.items(), "needed": NEEDED}
    return render(request, "orders/order_files.html", context, status=422 if form.errors else 200)


def _begin(request, form):
    act, sent = act_of(request, form.cleaned_data["key"]), form.cleaned_data["file"]
    key = import_file.enter(act, import_file.FileRequest(sent.name, import_file.keep(sent.chunks())))
    file = OrderFile.objects.get(pk=key)
    before = OrderFile.objects.filter(sha256=file.sha256, state=OrderFile.State.TAKEN).exclude(pk=file.pk).first()
    if before:
        messages.warning(request, f"The same file was taken before, as {before.name}.")
    address, later = reverse("order-file", args=[file.pk]), sent.size > AT_ONCE_BYTES
    job = jobs.begin(act, "read_orders", f"Reading {file.name}", {"file": file.pk}, 0, address, later)
    if later:
        return redirect("job", job.pk)
    jobs.run(job.pk)
    return redirect("order-file", file.pk)


def _file(request, file_id: int) -> OrderFile:
    return get_object_or_404(OrderFile, pk=file_id, person=request.user)


@open_page
def file(request, file_id: int):
    """The effect of a file, to come or past, row by row."""
    record = _file(request, file_id)
    counts = dict(record.rows.values_list("state").annotate(Count("id")).order_by())
    rows = record.rows.select_related("order")
    shown = request.GET.get("state", "")
    if shown in State.values:
        rows = rows.filter(state=shown)
    states = [(value, label, counts[value]) for value, label in State.choices if counts.get(value)]
    context = {
        "file": record,
        "page": page_of_rows(rows.order_by("number"), request.GET),
        "states": states,
        "shown": shown,
        "doing": counts.get("new", 0) + counts.get("changes", 0),
        "wrong": counts.get("wrong", 0) + counts.get("waits", 0),
        "orders": record.rows.filter(state="new").values("group").distinct().count(),
        "changed": record.rows.filter(state="changes").values("group").distinct().count(),
        "key": uuid.uuid4().hex,
    }
    return render(request, "orders/order_file.html", context)


@acts_for("write_order")
@require_POST
def take(request, file_id: int):
    """Do what was shown."""
    record = _file(request, file_id)
    rows = record.rows.filter(state__in=("new", "changes")).count()
    if record.state not in (OrderFile.State.SHOWN, OrderFile.State.TAKING) or not rows:
        messages.error(request, "There is nothing to take from this file.")
        return redirect("order-file", record.pk)
    address, later = reverse("order-file", args=[record.pk]), rows > AT_ONCE_ROWS
    # One file is taken by one job, however often the button is pressed.
    act = act_of(request, f"take-{record.pk}-{record.sha256[:20]}")
    job = jobs.begin(act, "take_orders", f"Taking {record.name}", {"file": record.pk}, rows, address, later)
    if later:
        return redirect("job", job.pk)
    jobs.run(job.pk)
    return redirect("order-file", record.pk)


@open_page
def wrong(request, file_id: int):
    """The rows that were not taken, as they came, with the reason; mended, the file can be sent again."""
    record = _file(request, file_id)
    answer = StreamingHttpResponse(_wrong_rows(record), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="wrong-rows-{record.pk}.csv"'
    return answer


def _wrong_rows(record: OrderFile) -> Iterator[str]:
    names = [name for name in record.columns if name]
    yield "\ufeff" + csv_line([*names, "row", "reason"])
    rows = record.rows.filter(state__in=("wrong", "waits")).order_by("number")
    for row in rows.iterator(chunk_size=2_000):
        yield csv_line([*(row.cells.get(name, "") for name in names), row.number, row.says])


@open_page
def example(request):
    """A file as it could be."""
    rows = [csv_line(COLUMNS), csv_line(EXAMPLE.get(name, "") for name in COLUMNS)]
    answer = HttpResponse("\ufeff" + "".join(rows), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = 'attachment; filename="orders-example.csv"'
    return answer
