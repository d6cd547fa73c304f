"""The calls of receipts."""

from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router

from northing.access.queries import scoped
from northing.actions.receiving.receive import receive
from northing.actions.receiving.request import ReceiveRequest, ReceiveRow
from northing.api.callers import act_of, require
from northing.api.parameters import answers
from northing.api.shapes import receiving as shapes
from northing.core.problems import Problem, Refused
from northing.masterdata.models import Bin, Site
from northing.receiving.models import Receipt
from northing.shipping.models import Container
from northing.shipping.queries import visible_shipments

router = Router()


@router.post("/receipts", response=answers(shapes.ReceiptMade, 201), tags=["receipts"])
def take_in(request: HttpRequest, asked: shapes.ReceiptIn):
    """Receive goods: out of a container by its shipment lines, or unpacked by the instalments of orders."""
    require(request, "dock")
    sites = scoped(Site.objects.all(), request.auth.person)
    site = sites.filter(code__iexact=asked.site).first()
    if site is None:
        raise Http404
    if asked.container:
        get_object_or_404(Container, pk=asked.container, shipment__in=visible_shipments(request.auth.person))
    bins = {bin.code.upper(): bin.pk for bin in Bin.objects.filter(site=site)}
    rows = tuple(_row(number, row, bins, emptied=asked.emptied) for number, row in enumerate(asked.rows))
    wanted = ReceiveRequest(asked.container, site.pk, asked.delivery_note, asked.received_on, rows, asked.accept)
    made = receive(act_of(request), wanted)
    return 201, {"id": made, "number": Receipt.objects.values_list("number", flat=True).get(pk=made)}


def _row(number: int, row: shapes.ReceiptRowIn, bins: dict[str, int], *, emptied: bool) -> ReceiveRow:
    if (row.shipment_line is None) == (row.instalment is None):
        what = "A row is of a shipment line or of an instalment."
        raise Refused(Problem(what, f"rows-{number}", "Name one of the two."))
    if row.bin and row.bin.upper() not in bins:
        raise Refused(Problem(f"{row.bin!r} is not a bin of this site.", f"rows-{number}-bin"))
    return ReceiveRow(
        row.shipment_line,
        row.quantity,
        row.still_coming,
        row.lot,
        row.best_before,
        bins.get(row.bin.upper()) if row.bin else None,
        row.instalment,
        not_there=emptied,
    )
