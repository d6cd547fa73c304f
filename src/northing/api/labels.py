"""Labels as PDF: of receipts, of items and of bins."""

from typing import Annotated

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Query, Router

from northing.access.queries import scoped
from northing.api.callers import require
from northing.api.parameters import Key, answers
from northing.masterdata.models import Bin, Item, Site
from northing.receiving.models import Receipt
from northing.receiving.operations import note_labels
from northing.reports.labels import bin_labels, item_labels, receipt_labels

router = Router()
Copies = Annotated[int, Query(1, ge=1, le=20)]
First = Annotated[int, Query(1, ge=1, le=99_999)]
Count = Annotated[int, Query(1, ge=1, le=200)]


@router.get("/receipts/{receipt_id}/labels", response=answers(None), tags=["receipts"])
def of_receipt(request: HttpRequest, receipt_id: Key, copies: Copies, first: First):
    """The labels of a receipt's pallets as PDF, 500 at a time; marked where they were printed before."""
    require(request, "read")
    record = get_object_or_404(scoped(Receipt.objects.select_related("company"), request.auth.person), pk=receipt_id)
    again = note_labels(record, request.auth.person, timezone.now())
    return _pdf(receipt_labels(record, copies, again=again, first=first))


@router.get("/items/{item_id}/labels", response=answers(None), tags=["directory"])
def of_item(request: HttpRequest, item_id: Key, count: Count):
    """Labels of an item as PDF: its GTIN, else its code."""
    require(request, "read")
    return _pdf(item_labels(get_object_or_404(Item, pk=item_id), count))


@router.get("/sites/{code}/bin-labels", response=answers(None), tags=["stock"])
def of_bins(request: HttpRequest, code: str, first: First):
    """Labels of a site's bins by their codes as PDF, 500 at a time."""
    require(request, "read")
    site = get_object_or_404(scoped(Site.objects.all(), request.auth.person), code__iexact=code)
    bins = Bin.objects.filter(site=site).select_related("site").order_by("code")
    return _pdf(bin_labels(list(bins), first))


def _pdf(content: bytes) -> HttpResponse:
    return HttpResponse(content, content_type="application/pdf")
