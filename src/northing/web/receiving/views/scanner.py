"""The hand scanner's stand-in of the demo: labels of goods that are expected; a tap scans one."""

from datetime import timedelta

from django.conf import settings
from django.http import Http404
from django.shortcuts import render
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.core.money.exact import plain
from northing.drawings.barcodes import code_128, gs1_128, readable
from northing.masterdata.models import Bin, Pack, Site
from northing.web.common.permissions import open_page
from northing.worklist.models import LineSummary

LINES, BINS = 12, 6
KEEPS = timedelta(days=500)


@open_page
def scanner(request):
    """Labels as they stand on pallets: of open lines, of bins, and some that are wrong."""
    if not settings.SCANNER_STANDIN:
        raise Http404
    mine = companies_of(request.user)
    found = LineSummary.objects.filter(company__in=mine, is_open=True).select_related("item", "order", "supplier")
    lines = list(found.order_by("expected_on", "pk")[:LINES])
    packs = Pack.objects.filter(item__in={line.item_id for line in lines}, gtin__isnull=False).order_by("factor")
    largest = {pack.item_id: pack for pack in packs}
    labels = [_label(line, largest[line.item_id]) for line in lines if line.item_id in largest]
    bins = Bin.objects.filter(site__in=scoped(Site.objects.all(), request.user)).select_related("site")
    labels += [(f"Bin {bin.code} of {bin.site}", code_128(bin.code), bin.code) for bin in bins[:BINS]]
    wrong = "(01)09521000000002(37)1"
    labels.append(("A label with a wrong check digit", code_128(wrong), wrong))
    return render(request, "receiving/scanner.html", {"labels": labels})


def _label(line: LineSummary, pack: Pack):
    """A pallet of a line: carton, count, and lot and day where the item keeps them."""
    item = line.item
    count = max(int(min(line.outstanding, 240) // pack.factor), 1)
    elements = [("01", pack.gtin.zfill(14)), ("37", str(count))]
    if item.keeps_best_before:
        elements.insert(1, ("15", f"{timezone.localdate() + KEEPS:%y%m%d}"))
    if item.keeps_lot:
        elements.append(("10", f"L{line.pk:04d}"))
    words = f"{count} × {pack.name} of {plain(pack.factor)} {item.code} {item.description}, for {line.order.number}"
    return words, gs1_128(elements), readable(elements).replace(" ", "")
