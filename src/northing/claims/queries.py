"""Reads of cases: units that are rejected and have no end yet."""

from collections.abc import Iterable
from decimal import Decimal

from django.db.models import F, Sum

from northing.claims.models import Claim


def rejected_units(lines: Iterable[int]) -> dict[int, Decimal]:
    """By order line (id), units that are rejected and still here; lines without any are left out."""
    line = "layer__shipment_line__instalment__line"
    found = Claim.objects.filter(kind=Claim.Kind.REJECTED, withdrawn_at=None, **{f"{line}__in": list(lines)})
    rows = found.filter(ended__lt=F("quantity")).values_list(line).order_by()
    return dict(rows.annotate(units=Sum(F("quantity") - F("ended"))))
