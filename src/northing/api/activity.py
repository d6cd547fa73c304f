"""The calls of documents, and of what happened."""

from datetime import timedelta
from typing import Any

from django.db.models import Q
from django.http import FileResponse, Http404, HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Router
from ninja.files import UploadedFile

from northing.access.permissions import companies_of
from northing.actions.activity import remarks
from northing.activity.documents import LARGEST
from northing.activity.documents import where as file_of
from northing.activity.models import Document, HistoryEntry, HistoryLink
from northing.api.callers import act_of, require
from northing.api.orders import seen_orders
from northing.api.paging import USUAL, number_of, page, word_of
from northing.api.parameters import After, Key, Limit, answers
from northing.api.shapes import activity as shapes
from northing.billing.models import Bill
from northing.core.problems import Refused
from northing.costing.models import ChargePart
from northing.shipping.models import ShipmentLine

router = Router()


@router.get("/orders/{order_id}/documents", response=answers(shapes.Documents), tags=["documents"])
def documents(request: HttpRequest, order_id: Key):
    """The documents of an order."""
    require(request, "read")
    record = get_object_or_404(seen_orders(request), pk=order_id)
    return {"items": list(Document.objects.filter(kind="order", record=record.pk))}


@router.post("/orders/{order_id}/documents", response=answers(shapes.DocumentOut, 201), tags=["documents"])
def attach(request: HttpRequest, order_id: Key, file: File[UploadedFile], shared: bool = False):
    """Attach a PDF, picture or table; `shared` shows it to the supplier."""
    require(request, "documents")
    record = get_object_or_404(seen_orders(request), pk=order_id)
    wanted = remarks.DocumentRequest(record.pk, file.name or "document", file.read(LARGEST + 1), "order", shared)
    return 201, Document.objects.get(pk=remarks.add_document(act_of(request), wanted))


@router.get("/documents/{document_id}", response=answers(None), tags=["documents"])
def document(request: HttpRequest, document_id: Key):
    """The content of a document, as an attachment."""
    require(request, "read")
    try:
        record = remarks.document_of(act_of(request), document_id)
    except Refused:
        raise Http404 from None
    path = file_of(record.sha256)
    if not path.exists():
        raise Http404
    return FileResponse(path.open("rb"), as_attachment=True, filename=record.name, content_type=record.media_type)


@router.get("/changes", response=answers(shapes.Changes), tags=["changes"])
def changes(request: HttpRequest, after: After = "", limit: Limit = USUAL):
    """The story since a cursor, oldest first: poll with `next`. What is of other companies only stays out.

    Entries of the last seconds are held back: an action that is still being written may get a lower number than one
    that is done, and would be missed.
    """
    require(request, "read")
    seen = HistoryLink.objects.filter(_seen_by(companies_of(request.auth.person)))
    until = timezone.now() - timedelta(seconds=SETTLES_SECONDS)
    found = HistoryEntry.objects.filter(pk__in=seen.values("entry"), at__lt=until).select_related("actor")
    rows, following = page(found.filter(pk__gt=number_of(after)) if after else found, "", limit)
    last = following or (word_of(rows[-1].pk) if rows else after or word_of(0))
    links: dict[int, list[str]] = {}
    for link in seen.filter(entry__in=rows).order_by("pk"):
        links.setdefault(link.entry_id, []).append(f"{link.kind}/{link.record}")
    return {"items": [_change(row, links.get(row.pk, [])) for row in rows], "next": last}


def _seen_by(companies: set[int]) -> Q:
    """Links of companies (ids): their own, those to records of everybody, and those to what they have a part in."""
    aboard = ShipmentLine.objects.filter(instalment__line__order__company__in=companies, container__isnull=False)
    parts = {
        "shipment": aboard.values("container__shipment"),
        "container": aboard.values("container"),
        "charge": ChargePart.objects.filter(company__in=companies).values("charge"),
        "bill": Bill.objects.filter(Q(company__in=companies) | Q(lines__parts__company__in=companies)).values("pk"),
    }
    seen = Q(company__in=companies) | (Q(company=None) & ~Q(kind__in=parts))
    for kind, records in parts.items():
        seen |= Q(company=None, kind=kind, record__in=records)
    return seen


SETTLES_SECONDS = 5


def _change(row: HistoryEntry, records: list[str]) -> dict[str, Any]:
    found = {name: getattr(row, name) for name in ("id", "at", "action", "channel", "text")}
    changed = [{name: str(value) for name, value in change.items()} for change in row.changes]
    return found | {"actor": str(row.actor) if row.actor else "", "changes": changed, "records": records}
