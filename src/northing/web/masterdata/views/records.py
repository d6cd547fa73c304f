"""The house: the records that everything else is about, kept one by one or by file."""

from collections import Counter

from django.contrib import messages
from django.db.models import Q
from django.http import Http404, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.html import format_html

from northing.access.permissions import ASK, WORDS, companies_of, may, may_somewhere
from northing.actions.customs import tariff_changes
from northing.actions.masterdata.records import company_of, judge_rows, keep_record, read_file
from northing.actions.orders import import_file
from northing.core.problems import NotAllowed, Problem, Refused
from northing.formats.tables import csv_line
from northing.jobs import jobs
from northing.masterdata.facts import Kind
from northing.masterdata.kinds import KINDS
from northing.web.common.forms import act_of
from northing.web.common.history import history_for
from northing.web.common.paging import page_of_rows
from northing.web.common.permissions import acts_for, form_for, open_page
from northing.web.masterdata.forms.records import RecordForm, RowsForm

AT_ONCE, SHOWN = 500, 200
# What a list shows of each record, beside its code.


@open_page
def house(request):
    """Every kind of record, how many there are, and who may keep it."""
    rows = [(kind, _seen(request, kind).count(), _may_keep(request, kind)) for kind in KINDS.values()]
    return render(request, "masterdata/index.html", {"rows": rows})


def _kind(name: str) -> Kind:
    if name not in KINDS:
        raise Http404
    return KINDS[name]


def _seen(request, kind: Kind):
    """The records a person sees: what belongs to a company, of their companies only."""
    rows = kind.rows()
    return rows.filter(**{f"{kind.company}__in": companies_of(request.user)}) if kind.company else rows


def _may_keep(request, kind: Kind, record=None) -> bool:
    company = company_of(kind, record) if record is not None else None
    if company is not None:
        return any(may(request.user, permission, company) for permission in kind.permissions)
    return any(may_somewhere(request.user, permission) for permission in kind.permissions)


def _not_kept(kind: Kind) -> NotAllowed:
    return NotAllowed(Problem(f"You may not {WORDS[kind.permissions[0]]}.", mend=ASK))


@open_page
def records(request, name: str):
    """The records of a kind; filtered with a word."""
    kind = _kind(name)
    rows, word = _seen(request, kind), request.GET.get("q", "").replace("\x00", "")[:60]
    if word:
        texts = [fact.name for fact in kind.facts if fact.name in ("code", "name", "description", "group", "hs_code")]
        texts += [f"{fact.name}__code" for fact in kind.facts if fact.refers]
        found = Q()
        for column in texts:
            found |= Q(**{f"{column}__icontains": word})
        rows = rows.filter(found)
    page = page_of_rows(rows, request.GET)
    facts = kind.facts[: kind.few + len(kind.key) - 1]
    lines = [(row, [fact.said(getattr(row, fact.name)) for fact in facts]) for row in page.rows]
    context = {"kind": kind, "facts": facts, "lines": lines, "page": page, "word": word}
    return render(request, "masterdata/records.html", context | {"keeps": _may_keep(request, kind)})


@form_for("keep_house", "keep_supplier", "estimate_charge", "pack")
def new_record(request, name: str):
    """A new record of a kind."""
    return record(request, name)


@acts_for("keep_house", "keep_supplier", "estimate_charge", "pack")
def record(request, name: str, key: str = ""):
    """One record: its facts, and its story."""
    kind = _kind(name)
    found = None
    if key:
        given = key if kind.name == "port" else int(key) if key.isascii() and key.isdigit() and len(key) < 15 else 0
        found = get_object_or_404(_seen(request, kind), pk=given)
    keeps = _may_keep(request, kind, found)
    if not keeps and (found is None or request.method == "POST"):
        raise _not_kept(kind)
    form = RecordForm(request.POST or None, kind=kind, person=request.user, record=found)
    if request.method == "POST":
        made = form.do(request, keep_record, lambda _: form.asked())
        if made is not None:
            messages.success(request, _kept(kind))
            if "order" in request.POST:
                return redirect(_order_from(made))
            return redirect("record", kind.name, made)
    texts = kind.texts(found) if found else {}
    context = {
        "kind": kind,
        "record": found,
        "form": form,
        "keeps": keeps,
        "orders": kind.name == "supplier" and not found and may_somewhere(request.user, "write_order"),
        "facts": [(fact.words, texts[fact.name]) for fact in kind.facts if found and (fact.fixed or not keeps)],
        "history": history_for(request, kind.history, found.pk) if found and kind.history else None,
        "more": _more(kind, found, request.user),
        "feeds": found.feeds.select_related("made_by")[:20] if found and kind.name == "site" else None,
    }
    return render(request, "masterdata/record.html", context, status=422 if form.errors else 200)


def _kept(kind: Kind) -> str:
    """That it is kept, and what follows."""
    if kind.name not in tariff_changes.KINDS:
        return "Kept."
    return format_html('Kept. <a href="{}">Open lines</a> are reckoned anew by it.', reverse("tariff-moves"))


def _order_from(supplier: int) -> str:
    """Where an order of the supplier (id) is written."""
    return f"{reverse('new-order')}?supplier={supplier}"


def _more(kind: Kind, found, person) -> list[tuple[str, str]]:
    """Where else one sees the record, and what is begun with it: addresses and words."""
    if found is None:
        return []
    if kind.name == "supplier":
        shown = [(reverse("supplier-record", args=[found.pk]), "Prices, links, how we agree")]
        return [(_order_from(found.pk), "New order"), *shown] if may_somewhere(person, "write_order") else shown
    if kind.name == "provider":
        return [(reverse("provider-links", args=[found.pk]), "Its links")]
    return [(reverse("item", args=[found.pk]), "Its stock and orders")] if kind.name == "item" else []


@open_page
def records_csv(request, name: str):
    """The records as a table that can be changed and brought in again."""
    kind = _kind(name)
    answer = StreamingHttpResponse(_table(kind, _seen(request, kind)), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{kind.name}.csv"'
    return answer


def _table(kind: Kind, rows):
    yield "\ufeff" + csv_line(fact.name for fact in kind.facts)
    for row in rows.iterator(chunk_size=2_000):
        yield csv_line(kind.texts(row).values())


@form_for("keep_house", "keep_supplier", "estimate_charge", "pack")
def records_file(request, name: str):
    """A file of records: what each row would do; then, whole or not at all, the records."""
    kind = _kind(name)
    if not _may_keep(request, kind):
        raise _not_kept(kind)
    context = {"kind": kind, "form": RowsForm()}
    try:
        if request.method == "POST" and "sha256" in request.POST:
            return _take(request, kind, request.POST["sha256"])
        if request.method == "POST":
            context["form"] = form = RowsForm(request.POST, request.FILES)
            if form.is_valid():
                context |= _judged(request, kind, import_file.keep(form.cleaned_data["file"].chunks()))
    except Refused as refused:
        context["refused"] = refused.problems
    wrong = context["form"].errors or "refused" in context
    return render(request, "masterdata/records_file.html", context, status=422 if wrong else 200)


def _path(sha256: str):
    if (
        not (len(sha256) == 64 and sha256.isalnum() and sha256.isascii())
        or not (import_file.folder() / sha256).exists()
    ):
        raise Refused(Problem("The file is not here any more.", mend="Send it again."))
    return import_file.folder() / sha256


def _judged(request, kind: Kind, sha256: str) -> dict:
    rows = judge_rows(act_of(request), read_file(kind, _path(sha256)))
    counts = Counter(row.state for row in rows)
    shown = sorted((row for row in rows if row.state != "same"), key=lambda row: (row.state != "wrong", row.number))
    doing = counts["new"] + counts["changes"]
    return {"counts": counts, "judged": shown[:SHOWN], "rest": len(shown) - SHOWN, "sha256": sha256, "doing": doing}


def _take(request, kind: Kind, sha256: str):
    rows = read_file(kind, _path(sha256)).rows
    asked = {"kind": kind.name, "sha256": sha256}
    act, later = act_of(request, request.POST.get("key", "")), len(rows) > AT_ONCE
    title, back = f"{kind.many.capitalize()} from a file", reverse("records", args=[kind.name])
    job = jobs.begin(act, "keep_rows", title, asked, len(rows), back, later)
    if not later:
        jobs.run(job.pk)
    return redirect("job", job.pk)
