"""The line book: its page, the line beside it, its files, views under a name."""

import uuid
from functools import partial
from pathlib import Path

from django.contrib import messages
from django.http import FileResponse, QueryDict, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_POST

from northing.access.permissions import companies_of, may
from northing.access.queries import scoped
from northing.claims.queries import owed_of
from northing.core.orders.sentence import FIXED, meant, read_sentence
from northing.core.positions.places import PLACES
from northing.core.worklist.moves import PARTIES
from northing.jobs import jobs
from northing.masterdata.models import Party, Site
from northing.orders.models import OrderLine
from northing.reports.came_and_went import came_and_went
from northing.reports.line_book import export
from northing.reports.line_book.asked import GROUPS, asked_from
from northing.reports.line_book.columns import COLUMNS
from northing.reports.line_book.rows import all_lines, book_page, finished, totals
from northing.reports.line_book.where import where
from northing.reports.ranges import chances
from northing.web.common.forms import act_of
from northing.web.common.history import history_for
from northing.web.common.paging import page_of
from northing.web.common.permissions import open_page, own_page
from northing.web.orders.forms.lines import ViewForm
from northing.web.orders.forms.revise import parts_form
from northing.web.orders.line_book.cells import row_html
from northing.web.orders.line_book.saved_views import READY, first_view
from northing.web.orders.queries import line_record
from northing.worklist.models import SavedView
from northing.worklist.operations import forget_view as drop_view
from northing.worklist.operations import save_view as save_query

AT_ONCE = 5_000
WINDOWS = ["today", "this week", "next 7 days", "next 14 days", "next 30 days", "overdue", "never"]


@open_page
def lines(request):
    """The order lines, each with where its units are."""
    query = request.GET or QueryDict(first_view(request.user))
    today = timezone.localdate()
    asked = asked_from(query, today)
    page = book_page(asked, companies_of(request.user), today)
    context = {"asked": asked, "page": page, "rows": _headed_rows(asked, page, today)}
    context |= {
        "address": asked.address(),
        "chips": [(clause.words, asked.without(clause), clause in page.unknown) for clause in asked.clauses],
        "unknown": [(text, _instead(asked, clause)) for clause, text in page.unknown.items()],
    }
    if not page.rows:
        context |= _finished(request, asked, today)
    context |= {"columns": _headed(asked), "views": _views(request, asked), "choices": _choices(request)}
    if asked.open_line:
        context |= _beside(request, asked.open_line)
    return render(request, "orders/lines.html", context)


def _instead(asked, clause) -> list[tuple[str, str]]:
    """Phrases that may have been meant by one that names nothing, each with the address that asks for it."""
    if clause.kind != "words":
        return []
    found = []
    for phrase in meant(clause.values[0]):
        other = read_sentence(phrase, timezone.localdate())
        clauses = tuple(new for one in asked.clauses for new in (other if one == clause else (one,)))
        found.append((phrase, asked.address(clauses=clauses)))
    return found


def _finished(request, asked, today) -> dict:
    """The finished lines that fit, where no open one does."""
    count, more = finished(asked, companies_of(request.user), today)
    clauses = (*asked.clauses, *read_sentence("finished", today))
    return {"finished": count, "finished_more": more, "finished_at": asked.address(clauses=clauses, group="")}


def _headed_rows(asked, page, today) -> list[tuple[str, dict | None]]:
    """Each row as text, with the head of its group where one begins."""
    if any(column.key == "slack" for column, _ in asked.columns):
        likely = chances({row["id"]: row["needed"] for row in page.rows}, today)
        for row in page.rows:
            row["chance"] = likely.get(row["id"])
    found, last = [], None
    for text, row in zip(row_html(page.rows, asked.columns, today), page.rows, strict=True):
        group = row.get("group")
        found.append((text, _group_head(asked, group, today) if group and group is not last else None))
        last = group
    return found


def _group_head(asked, group, today) -> dict:
    clauses = (*asked.clauses, *read_sentence(group.phrase, today))
    return {
        "label": group.label,
        "lines": group.lines,
        "units": group.units if asked.group == "item" else None,
        "values": [(amount, code) for code, amount in group.values.items()],
        "only": asked.address(clauses=clauses, group="") if group.phrase else "",
    }


def _headed(asked) -> list[dict]:
    """The head of each column: its label, width, and the address that sorts by it."""
    found = []
    for column, width in asked.columns:
        here = column.key == asked.sort
        down = here and not asked.down
        sort = asked.address(sort=column.key, down=down) if column.order else ""
        sorted_by = ("descending" if asked.down else "ascending") if here else ""
        number = column.kind in ("quantity", "money", "base", "day", "days")
        found.append(
            {"key": column.key, "label": column.label, "width": width, "sort": sort, "by": sorted_by, "n": number}
        )
    return found


def _views(request, asked) -> list[dict]:
    """Views that ship and saved ones, as (name, address, whether it is this one)."""
    here = asked.address()
    found = [{"name": "All open", "query": "where=open"}]
    found += [{"name": name, "query": query} for name, query in READY.values()]
    for view in SavedView.seen_by(request.user):
        mine = view.owner_id == request.user.pk
        found.append(
            {"name": view.name, "query": view.query, "saved": view.pk if mine else 0, "by": "" if mine else view.owner}
        )
    for view in found:
        view["here"] = asked_from(QueryDict(view["query"]), timezone.localdate()).address() == here
    return found


def _choices(request) -> dict:
    """Phrases to pick from, by what they are about."""
    return {
        "phrases": [words for words, (kind, _) in FIXED.items() if kind not in ("move", "place")],
        "moves": list(PARTIES.values()),
        "places": [f"units {place.replace('_', ' ')}" for place in PLACES],
        "suppliers": list(Party.objects.filter(kind="supplier").values_list("name", flat=True)[:200]),
        "sites": list(scoped(Site.objects.all(), request.user).values_list("name", flat=True)),
        "dates": [f"{word} {window}" for word in ("expected", "need-by", "promised") for window in WINDOWS],
        "groups": GROUPS,
        "all_columns": COLUMNS.values(),
    }


def _beside(request, line_id: int) -> dict:
    """The context of a line's record."""
    found = OrderLine.objects.select_related("order__supplier", "order__company", "order__site", "order__buyer", "item")
    record = get_object_or_404(scoped(found, request.user, "order__company"), pk=line_id)
    context = line_record.gather(record)
    may_write = may(request.user, "write_order", record.order.company_id) and not record.order.cancelled_at
    return context | {
        "open_answers": [answer for answer in context["answers"] if answer.outcome == "open"],
        "permissions": {"decide_answer": may(request.user, "decide_answer", record.order.company_id)},
        "owed": owed_of([record.pk]).get(record.pk),
        "went": page_of(partial(came_and_went, line=record.pk), request.GET, 20, name="went"),
        "history": history_for(request, "line", record.pk),
        "parts_form": parts_form(record) if record.order.sent_at and may_write else None,
    }


@open_page
def line(request, line_id: int):
    """A line: where every unit is, what was promised, what it cost, its story; alone or beside the list."""
    template = "orders/line_beside.html" if request.GET.get("beside") else "orders/line.html"
    return render(request, template, _beside(request, line_id))


@own_page
@require_POST
def export_lines(request, kind: str):
    """Export the rows shown, or those picked, as a file. Long workbooks go to the worker."""
    today, asked, picks = timezone.localdate(), _asked(request.POST.get("query", "")), _picks(request)
    found = where(asked.clauses, companies_of(request.user), today, picks)
    if kind == "csv":
        answer = StreamingHttpResponse(export.csv_lines(asked, found, today), content_type="text/csv; charset=utf-8")
        answer["Content-Disposition"] = f'attachment; filename="order-lines-{today:%Y-%m-%d}.csv"'
        return answer
    lines = sum(total["lines"] for total in totals(found))
    what = {"query": asked.address(), "today": today.isoformat(), "picks": picks}
    act, title = act_of(request, uuid.uuid4().hex), f"{lines} order lines as a workbook"
    job = jobs.begin(act, "lines_xlsx", title, what, lines, _back(asked), lines > AT_ONCE)
    if lines > AT_ONCE:
        return redirect("job", job.pk)
    jobs.run(job.pk)
    return redirect("job-file", job.pk)


def _back(asked) -> str:
    return reverse("lines") + asked.address()


def _picks(request) -> list[int] | None:
    """The lines that were picked; None when it is all that match."""
    picked = [int(key) for key in request.POST.getlist("pick") if key.isascii() and key.isdigit() and len(key) < 16]
    return None if request.POST.get("all") == "1" or not picked else picked[:2_000]


@own_page
@require_POST
def save_view(request):
    """Keep what is seen under a name."""
    form = ViewForm(request.POST)
    if not form.is_valid():
        messages.error(request, "Give the view a name of at most 60 characters.")
        return redirect(reverse("lines"))
    entered = form.cleaned_data
    query = _asked(entered["query"]).address().lstrip("?")
    save_query(request.user, entered["name"], query[:1500], entered["shared"])
    messages.success(request, f"Saved as “{entered['name']}”{', for everybody' if entered['shared'] else ''}.")
    return redirect(f"{reverse('lines')}?{query}")


@own_page
@require_POST
def forget_view(request, view_id: int):
    """Forget a view of one's own."""
    view = get_object_or_404(SavedView, pk=view_id, owner=request.user)
    drop_view(view)
    messages.success(request, f"“{view.name}” is forgotten.")
    return redirect("lines")


def chosen_lines(request) -> list[int]:
    """The lines an act is for: those that were picked, or all that match the sentence; only what may be seen."""
    picks = _picks(request)
    if picks is None and request.POST.get("all") != "1":
        return []
    # A picked line is meant whatever has become of it since the list was drawn.
    clauses = _asked(request.POST.get("query", "") if picks is None else "?where=all").clauses
    return all_lines(where(clauses, companies_of(request.user), timezone.localdate(), picks))


def _asked(query: str):
    """The query that came with a form as a query string."""
    return asked_from(QueryDict(query.lstrip("?")), timezone.localdate())


def saved_file(path: Path, name: str) -> FileResponse:
    """A file handed out as an attachment."""
    return FileResponse(path.open("rb"), as_attachment=True, filename=name)
