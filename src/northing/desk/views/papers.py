"""Remarks, documents and papers of any record."""

from collections.abc import Callable

from django.contrib import messages
from django.http import FileResponse, Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_POST

from northing.core.problems import NotAllowed, Refused
from northing.deeds.house import remarking
from northing.desk.forms.base import act_of, say_errors
from northing.desk.forms.changing import DocumentForm, RemarkForm
from northing.directory.models import Party
from northing.directory.queries import scoped
from northing.orders.models import Revision
from northing.orders.paper import order_pdf, order_ubl
from northing.papers.documents import LARGEST, where
from northing.shipping.models import Container


@require_POST
def remark(request, kind: str, record: int):
    """Write a remark."""
    form = RemarkForm(request.POST)

    def asked(entered: dict) -> remarking.RemarkRequest:
        return remarking.RemarkRequest(record, entered["words"], kind, entered["shared"])

    return _done(request, kind, record, form, remarking.remark, asked, "The remark is in the story.")


@require_POST
def attach(request, kind: str, record: int):
    """Attach a document."""
    form = DocumentForm(request.POST, request.FILES)

    def asked(entered: dict) -> remarking.DocumentRequest:
        content = entered["file"].read(LARGEST + 1)
        return remarking.DocumentRequest(record, entered["file"].name, content, kind, entered["shared"])

    return _done(request, kind, record, form, remarking.add_document, asked, "The document is attached.")


def _done(request, kind: str, record: int, form, deed: Callable, asked: Callable, words: str):
    if kind not in remarking.SUBJECTS:
        raise Http404
    try:
        remarking.seen(act_of(request), kind, record)
    except Refused:
        raise Http404 from None
    if form.do(request, deed, asked):
        messages.success(request, words)
    say_errors(request, form)
    return redirect(_page_of(request, kind, record) + "#story")


def _page_of(request, kind: str, record: int) -> str:
    """Where the story stands that was written into: the page one came from, if it is ours, else the record's own."""
    came = request.META.get("HTTP_REFERER", "")
    if url_has_allowed_host_and_scheme(came, {request.get_host()}, require_https=request.is_secure()):
        return came.partition("#")[0]
    if kind == "container":
        return reverse("shipment", args=[Container.objects.get(pk=record).shipment_id])
    if kind == "party":
        return reverse("record", args=[Party.objects.get(pk=record).kind, record])
    return reverse(kind, args=[record])


def document(request, document_id: int):
    """A document, to those who may see its record: shown if it is a picture or a PDF and that is asked for."""
    try:
        found = remarking.document_of(act_of(request), document_id)
    except (Refused, NotAllowed):
        raise Http404 from None
    path = where(found.sha256)
    if not path.exists():
        raise Http404
    shown = found.shown and request.GET.get("show") == "1"
    answer = FileResponse(path.open("rb"), as_attachment=not shown, filename=found.name, content_type=found.media_type)
    # Whatever it holds may do nothing, and is what we say it is.
    answer["Content-Security-Policy"] = "sandbox; default-src 'none'; style-src 'unsafe-inline'"
    answer["X-Content-Type-Options"] = "nosniff"
    return answer


def order_paper(request, order_id: int, number: int, kind: str):
    """A revision of an order as it was sent."""
    found = scoped(Revision.objects.select_related("order"), request.user, "order__company")
    revision = get_object_or_404(found, order=order_id, number=number)
    if kind == "xml" and not revision.content["lines"]:
        raise Http404
    return paper_file(revision, kind)


def paper_file(revision: Revision, kind: str) -> HttpResponse:
    """A revision as a PDF, or as a UBL Order for machines."""
    content = order_pdf(revision) if kind == "pdf" else order_ubl(revision)
    answer = HttpResponse(content, content_type=f"application/{kind}")
    answer["Content-Disposition"] = f'attachment; filename="{revision.content["number"]}-{revision.number}.{kind}"'
    return answer
