"""Reads for the pages of stock."""

from typing import Any

from django.db.models import Q
from django.urls import reverse

from northing.core.problems import Refused
from northing.formats.gs1 import read_scan
from northing.formats.identifiers import written_gtins
from northing.inventory.models import OnHand
from northing.masterdata.models import Bin, Pack, Site

# Rows that one scan may mean.
MOST = 50


def scanned(site: Site, said: str) -> dict[str, Any]:
    """The bin (`bin`, its code, and its address), or the goods (`rows`, ids of what lies there) that a scan names.

    Else what is wrong with it, and how to mend it.
    """
    try:
        scan = read_scan(said)
    except Refused as refused:
        problem = refused.problems[0]
        return {"wrong": problem.what, "mend": problem.mend}
    bin = Bin.objects.filter(site=site, code__iexact=scan.text).first() if scan.text else None
    if bin:
        return {"bin": bin.code, "at": reverse("bin", args=[bin.pk]), "words": f"Bin {bin.code}"}
    rows = OnHand.objects.filter(bin__site=site, quantity__gt=0)
    if scan.sscc:
        rows, words = rows.filter(layer__receipt_line__sscc=scan.sscc), f"Pallet {scan.sscc}"
    elif scan.gtin:
        packs = Pack.objects.filter(gtin__in=written_gtins(scan.gtin))
        rows = rows.filter(layer__item__in=packs.values("item"))
        words = f"GTIN {scan.gtin}"
    else:
        serial = Q(layer__serials__number=scan.text, layer__serials__bin__isnull=False)
        rows, words = rows.filter(Q(layer__item__code__iexact=scan.text) | serial).distinct(), scan.text
    if scan.lot:
        rows, words = rows.filter(layer__lot=scan.lot), f"{words}, lot {scan.lot}"
    keys = list(rows.order_by("layer__occurred_on", "pk").values_list("pk", flat=True)[:MOST])
    if keys:
        return {"rows": keys, "words": words}
    mend = "Scan another label, or enter the bin by hand."
    return {"wrong": f"“{words}” is no bin and no goods that lie here.", "mend": mend}
