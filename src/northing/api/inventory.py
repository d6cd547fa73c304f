"""The calls of stock: what lies where, its movements, and counts."""

from collections.abc import Iterable
from typing import Annotated

from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Query, Router

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.actions.inventory.adjust import AdjustRequest, adjust_stock
from northing.api.callers import act_of, require
from northing.api.paging import USUAL, page
from northing.api.parameters import After, Limit, answers
from northing.api.shapes import inventory as shapes
from northing.api.shapes.common import NO_NUL
from northing.core.receiving.serials import numbers_of
from northing.inventory.models import OnHand, SerialNumber, StockMovement
from northing.masterdata.models import Bin, Site
from northing.masterdata.queries import find_pack

router = Router()
Code = Annotated[str, Query("", max_length=40, pattern=NO_NUL)]


@router.get("/stock", response=answers(shapes.StockPage), tags=["stock"])
def stock(request: HttpRequest, after: After = "", limit: Limit = USUAL, item: Code = "", site: Code = ""):
    """The goods in bins, layer by layer; of an item or a site by their codes."""
    require(request, "read")
    found = OnHand.objects.filter(quantity__gt=0, layer__company__in=companies_of(request.auth.person))
    found = found.filter(layer__item__code__iexact=item) if item else found
    found = found.filter(bin__site__code__iexact=site) if site else found
    rows, following = page(found.select_related("layer__item", "bin__site"), after, limit)
    serials = _serials(rows)
    return {"items": [_stock(row, serials) for row in rows], "next": following}


def _serials(rows: Iterable[OnHand]) -> dict[tuple[int, int, str], list[str]]:
    found: dict[tuple[int, int, str], list[str]] = {}
    numbered = SerialNumber.objects.filter(layer__in={row.layer_id for row in rows}, bin__isnull=False)
    for layer, bin, status, number in numbered.order_by("number").values_list("layer", "bin", "status", "number"):
        found.setdefault((layer, bin, status), []).append(number)
    return found


def _stock(row: OnHand, serials: dict[tuple[int, int, str], list[str]]) -> dict[str, object]:
    layer = row.layer
    where = {"site": row.bin.site.code, "bin": row.bin.code, "status": row.status}
    kept = {"lot": layer.lot, "best_before": layer.best_before, "layer": layer.pk}
    numbered = serials.get((row.layer_id, row.bin_id, row.status), [])
    return {"id": row.pk, "item": layer.item.code, "quantity": row.quantity, "serials": numbered, **where, **kept}


@router.get("/stock/movements", response=answers(shapes.StockMovements), tags=["stock"])
def movements(request: HttpRequest, after: After = "", limit: Limit = USUAL, item: Code = ""):
    """Stock movements, newest first; of an item by its code."""
    require(request, "read")
    found = StockMovement.objects.filter(layer__company__in=companies_of(request.auth.person))
    found = found.filter(layer__item__code__iexact=item) if item else found
    found = found.select_related("layer__item", "source__site", "target__site", "history")
    rows, following = page(found, after, limit, newest_first=True)
    return {"items": [_movement(row) for row in rows], "next": following}


def _movement(row: StockMovement) -> dict[str, object]:
    return {
        "id": row.pk,
        "item": row.layer.item.code,
        "layer": row.layer_id,
        "source": _bin(row.source),
        "source_status": row.source_status,
        "target": _bin(row.target),
        "target_status": row.target_status,
        "quantity": row.quantity,
        "serials": row.serials.splitlines(),
        "occurred_on": row.history.occurred_on,
        "action": row.history.action,
    }


def _bin(bin: Bin | None) -> str | None:
    return f"{bin.site.code} {bin.code}" if bin else None


@router.post("/stock/counts", response=answers(shapes.Made, 201), tags=["stock"])
def count(request: HttpRequest, asked: shapes.CountIn):
    """Adjust stock to what was counted in a bin; the books follow."""
    require(request, "dock")
    site = scoped(Site.objects.all(), request.auth.person).filter(code__iexact=asked.site).first()
    if site is None:
        raise Http404
    bin = get_object_or_404(Bin, site=site, code__iexact=asked.bin)
    item, _ = find_pack(asked.item)
    said = numbers_of(asked.serials, "serials")
    wanted = AdjustRequest(bin.pk, item.pk, asked.lot, asked.counted, asked.reason, asked.occurred_on, said)
    return 201, {"id": adjust_stock(act_of(request), wanted)}
