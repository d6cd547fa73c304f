"""The calls of receipts, and of goods without an order."""

from dataclasses import replace

from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router

from northing.access.queries import scoped
from northing.actions.receiving.answer_short import ShortAnswer, answer_short
from northing.actions.receiving.receive import receive
from northing.actions.receiving.request import Papers, ReceiveRequest, ReceiveRow, rest_said
from northing.actions.receiving.scans import Context, Scanned, goods_of, rows_of
from northing.actions.receiving.tie import TieRequest, tie
from northing.api.callers import act_of, require
from northing.api.parameters import Key, answers
from northing.api.shapes import receiving as shapes
from northing.core.problems import Problem, Refused
from northing.core.receiving.serials import numbers_of
from northing.masterdata.models import Bin, Party, Site
from northing.masterdata.queries import find_pack
from northing.orders.models import PurchaseOrder
from northing.receiving.models import Receipt, ShortQuestion
from northing.receiving.queries import pallets_of
from northing.shipping.models import Container
from northing.shipping.queries import visible_shipments

router = Router()


@router.post("/receipts", response=answers(shapes.ReceiptMade, 201), tags=["receipts"])
def take_in(request: HttpRequest, asked: shapes.ReceiptIn):
    """Receive goods: out of a container, unpacked against orders, or of a supplier without one; by rows or by scans."""
    require(request, "dock")
    site = _site(request, asked.site)
    if asked.container:
        get_object_or_404(Container, pk=asked.container, shipment__in=visible_shipments(request.auth.person))
    if asked.order:
        get_object_or_404(scoped(PurchaseOrder.objects.all(), request.auth.person), pk=asked.order)
    supplier = _supplier(asked)
    bins = {bin.code.upper(): bin.pk for bin in Bin.objects.filter(site=site)}
    rows = [_row(number, row, bins, emptied=asked.emptied) for number, row in enumerate(asked.rows)]
    rows += _scanned(asked, Context(site, asked.container, asked.order, supplier))
    papers = Papers(asked.supplier_bill, asked.haulier, asked.vehicle, asked.seal, asked.remark)
    head = (asked.container, site.pk, asked.delivery_note, asked.received_on, tuple(rows), asked.accept)
    return 201, made_of(receive(act_of(request), ReceiveRequest(*head, supplier, asked.reason, papers)))


def _site(request: HttpRequest, code: str) -> Site:
    sites = scoped(Site.objects.select_related("company"), request.auth.person)
    site = sites.filter(code__iexact=code).first()
    if site is None:
        raise Http404
    return site


def _supplier(asked: shapes.ReceiptIn) -> int | None:
    if asked.supplier:
        return get_object_or_404(Party, kind=Party.Kind.SUPPLIER, code__iexact=asked.supplier).pk
    return PurchaseOrder.objects.values_list("supplier", flat=True).get(pk=asked.order) if asked.order else None


def _scanned(asked: shapes.ReceiptIn, where: Context) -> list[ReceiveRow]:
    if not asked.scans:
        return []
    goods, bin = goods_of([Scanned(one.scan, one.times) for one in asked.scans], where)
    rest = rest_said(asked.scans_rest)
    return [replace(row, not_there=asked.emptied, **rest) for row in rows_of(goods, where, bin)]


def made_of(key: int) -> dict[str, object]:
    """A receipt by our number, with its pallets."""
    number = Receipt.objects.values_list("number", flat=True).get(pk=key)
    return {"id": key, "number": number, "sscc": pallets_of(key)}


def _row(number: int, row: shapes.ReceiptRowIn, bins: dict[str, int], *, emptied: bool) -> ReceiveRow:
    if (row.shipment_line is not None) + (row.instalment is not None) + bool(row.item) != 1:
        what = "A row is of a shipment line, of an instalment, or of an item."
        raise Refused(Problem(what, f"rows-{number}", "Name one of the three."))
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
        in_dispute=row.in_dispute,
        hold=row.hold,
        condition=row.condition,
        sscc=row.sscc,
        serials=numbers_of(row.serials, f"rows-{number}-serials"),
        item=find_pack(row.item)[0].pk if row.item else None,
        stands_for=row.stands_for,
    )


@router.post("/receipts/{receipt_id}/tie", response=answers(shapes.ReceiptMade, 201), tags=["receipts"])
def tie_goods(request: HttpRequest, receipt_id: Key, asked: shapes.TieIn):
    """Receive held goods of a receipt against an order line."""
    require(request, "dock")
    get_object_or_404(scoped(Receipt.objects.all(), request.auth.person), pk=receipt_id)
    wanted = TieRequest(receipt_id, asked.order_line, asked.occurred_on, asked.quantity, asked.accept)
    return 201, made_of(tie(act_of(request), wanted))


@router.post("/questions/{question_id}/answer", response=answers(shapes.ReceiptMade), tags=["receipts"])
def answer_question(request: HttpRequest, question_id: Key, asked: shapes.ShortAnswerIn):
    """Answer what is short beyond tolerance: no more comes, or it is still coming."""
    require(request, "dock")
    get_object_or_404(scoped(ShortQuestion.objects.all(), request.auth.person), pk=question_id)
    return 200, made_of(answer_short(act_of(request), ShortAnswer(question_id, asked.no_more)))
