"""An order as a document: PDF and UBL."""

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404

from northing.access.queries import scoped
from northing.orders.documents import order_pdf, order_ubl
from northing.orders.models import Revision
from northing.web.common.permissions import open_page


@open_page
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
