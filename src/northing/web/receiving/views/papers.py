"""Labels and papers of the dock, as PDF."""

from csp.constants import SELF
from csp.decorators import csp_update
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from django.views.decorators.clickjacking import xframe_options_sameorigin

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.formats.receipt_advice import advice_xml
from northing.masterdata.models import Bin, Item, Site
from northing.receiving.models import Receipt
from northing.receiving.operations import note_labels
from northing.reports.labels import bin_labels, item_labels, notice_labels, receipt_labels
from northing.reports.receipt_advice import advices_of
from northing.reports.receipt_paper import receipt_paper
from northing.shipping.queries import visible_notices
from northing.web.common.permissions import open_page

MOST_COPIES = 20
MOST_LABELS = 200
# The number of the last label that a person may go on from.
LAST = 99_999


def _receipt(request, receipt_id: int) -> Receipt:
    found = Receipt.objects.select_related("company", "site", "container", "received_by", "reversed_by")
    return get_object_or_404(scoped(found, request.user), pk=receipt_id)


def _number(request, name: str, most: int) -> int:
    said = request.GET.get(name, "")
    return min(max(int(said), 1), most) if said.isascii() and said.isdigit() and len(said) < 6 else 1


def _pdf(content: bytes, name: str) -> HttpResponse:
    answer = HttpResponse(content, content_type="application/pdf")
    answer["Content-Disposition"] = f'inline; filename="{name}.pdf"'
    return answer


@xframe_options_sameorigin
@csp_update({"frame-ancestors": [SELF]})
@open_page
def labels(request, receipt_id: int):
    """The labels of a receipt's pallets, `copies` of each; marked where they were printed before."""
    record = _receipt(request, receipt_id)
    copies, first = _number(request, "copies", MOST_COPIES), _number(request, "from", LAST)
    again = note_labels(record, request.user, timezone.now())
    return _pdf(receipt_labels(record, copies, again=again, first=first), f"labels-{record}")


@open_page
def labels_of_notice(request, notice_id: int):
    """The labels of what a despatch notice announces, `copies` of each; marked where they were printed before."""
    notice = get_object_or_404(visible_notices(request.user).select_related("supplier"), pk=notice_id)
    lines = notice.lines.filter(order_line__order__company__in=companies_of(request.user))
    rows = lines.select_related("order_line__item").order_by("number")
    copies, first = _number(request, "copies", MOST_COPIES), _number(request, "from", LAST)
    again = note_labels(notice, request.user, timezone.now())
    return _pdf(notice_labels(notice, rows, copies, again=again, first=first), f"labels-{notice.pk}")


@open_page
def paper(request, receipt_id: int):
    """The receipt on paper."""
    record = _receipt(request, receipt_id)
    return _pdf(receipt_paper(record), f"receipt-{record}")


@open_page
def advice(request, receipt_id: int):
    """The receipt as a UBL ReceiptAdvice; of several suppliers' goods, that of the one asked for by its place."""
    record = _receipt(request, receipt_id)
    found = advices_of(record)
    place = _number(request, "of", max(len(found), 1))
    answer = HttpResponse(advice_xml(found[place - 1]), content_type="application/xml")
    answer["Content-Disposition"] = f'attachment; filename="receipt-{record}-{place}.xml"'
    return answer


@open_page
def labels_of_item(request, item_id: int):
    """Labels of an item, `count` of them."""
    item = get_object_or_404(Item, pk=item_id)
    return _pdf(item_labels(item, _number(request, "count", MOST_LABELS)), f"labels-{item.pk}")


@open_page
def labels_of_bins(request, site_id: int):
    """Labels of a site's bins by their codes, or of the one that is asked for."""
    site = get_object_or_404(scoped(Site.objects.all(), request.user), pk=site_id)
    bins = Bin.objects.filter(site=site).select_related("site").order_by("code")
    if code := request.GET.get("bin", "").replace("\x00", ""):
        bins = bins.filter(code__iexact=code)
    return _pdf(bin_labels(list(bins), _number(request, "from", LAST)), f"bins-{site.code}")
