"""Remarks, documents and papers of any record."""

from collections.abc import Callable
from urllib.parse import urlsplit

from django.contrib import messages
from django.http import FileResponse, Http404, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_POST

from northing.actions.activity import remarks
from northing.activity.documents import LARGEST, content_of, where
from northing.activity.models import Document
from northing.activity.pdf_pages import picture_of
from northing.core.problems import NotAllowed, Refused
from northing.masterdata.models import Party
from northing.shipping.models import Container
from northing.web.activity.forms import DocumentForm, RemarkForm
from northing.web.common.addresses import address_of
from northing.web.common.forms import act_of, say_errors
from northing.web.common.permissions import EVERY, acts_for, open_page


@acts_for(*EVERY)
@require_POST
def remark(request, kind: str, record: int):
    """Write a remark."""
    form = RemarkForm(request.POST)

    def asked(entered: dict) -> remarks.RemarkRequest:
        return remarks.RemarkRequest(record, entered["words"], kind, entered["shared"])

    return _done(request, kind, record, form, remarks.remark, asked, "The remark is in the story.")


@acts_for(*EVERY)
@require_POST
def attach(request, kind: str, record: int):
    """Attach a document."""
    form = DocumentForm(request.POST, request.FILES)

    def asked(entered: dict) -> remarks.DocumentRequest:
        content = entered["file"].read(LARGEST + 1)
        return remarks.DocumentRequest(record, entered["file"].name, content, kind, entered["shared"])

    return _done(request, kind, record, form, remarks.add_document, asked, "The document is attached.")


def _done(request, kind: str, record: int, form, action: Callable, asked: Callable, words: str):
    if kind not in remarks.SUBJECTS:
        raise Http404
    try:
        remarks.seen(act_of(request), kind, record)
    except Refused:
        raise Http404 from None
    if form.do(request, action, asked):
        messages.success(request, words)
    say_errors(request, form)
    return redirect(_page_of(request, kind, record) + "#story")


def _page_of(request, kind: str, record: int) -> str:
    """Where the story stands that was written into: the page one came from, if it is ours, else the record's own."""
    came = request.META.get("HTTP_REFERER", "")
    ours = url_has_allowed_host_and_scheme(came, {request.get_host()}, require_https=request.is_secure())
    # Sent again from the page that said the database was away, it comes from its own address.
    if ours and urlsplit(came).path != request.path:
        return came.partition("#")[0]
    if kind == "container":
        return reverse("shipment", args=[Container.objects.get(pk=record).shipment_id])
    if kind == "party":
        return reverse("record", args=[Party.objects.get(pk=record).kind, record])
    return address_of(kind, record) or reverse(kind, args=[record])


@open_page
def document(request, document_id: int):
    """A document, to those who may see its record: shown if it is a picture or a PDF and that is asked for."""
    found = _found(request, document_id)
    content = content_of(found)
    shown = found.shown and request.GET.get("show") == "1"
    answer = FileResponse(content, as_attachment=not shown, filename=found.name, content_type=found.media_type)
    # Whatever it holds may do nothing, and is what we say it is.
    answer["Content-Security-Policy"] = "sandbox; default-src 'none'; style-src 'unsafe-inline'"
    answer["X-Content-Type-Options"] = "nosniff"
    return answer


@open_page
def document_page(request, document_id: int, page: int):
    """A page of a PDF as a picture, to those who may see its record."""
    found = _found(request, document_id)
    picture = picture_of(where(found.sha256), page) if found.paged else b""
    if not picture:
        raise Http404
    answer = HttpResponse(picture, content_type="image/png")
    # A document never changes: its name is the digest of what it holds.
    answer["Cache-Control"] = "private, max-age=86400"
    return answer


def _found(request, document_id: int) -> Document:
    try:
        return remarks.document_of(act_of(request), document_id)
    except (Refused, NotAllowed):
        raise Http404 from None
